package httpapi

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"math"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/readings"
	"zestyloom/core/report"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// mostBreaks is how many places are said where a limit is not kept.
const mostBreaks = 200

func (s *server) measureReel(ctx context.Context, at ofReel, q contract.MeasureReelParams) (contract.Measurement, error) {
	asking, err := s.asking(ctx, at.Reel, q.Limits, q.Own)
	if err != nil {
		return contract.Measurement{}, err
	}
	m, err := s.app.Measure(ctx, at.Reel)
	if err != nil {
		return contract.Measurement{}, err
	}
	return measurement(m, asking, q.Timeline == nil || *q.Timeline), nil
}

// measureTake: Limits are asked of the whole of it, where it is one sound.
func (s *server) measureTake(ctx context.Context, at ofTake, q contract.MeasureTakeParams) (contract.Measurement, error) {
	asking, err := s.asking(ctx, uuid.Nil, q.Limits, q.Own)
	if err != nil {
		return contract.Measurement{}, err
	}
	m, err := s.app.MeasureTake(ctx, at.Take)
	if err != nil {
		return contract.Measurement{}, err
	}
	return measurement(m, asking, false), nil
}

// measurement is what was measured; nothing of it until all is.
func measurement(m app.Measurement, asking readings.Asking, timeline bool) contract.Measurement {
	v := contract.Measurement{Done: m.Done, Total: m.Total, Start: m.Start, End: m.End, Asked: asking.Name, Buses: []contract.MeasuredBus{}}
	if m.Complete() {
		for _, b := range m.Of {
			v.Buses = append(v.Buses, measuredBus(b, m, asking, timeline))
		}
	}
	return v
}

// asking finds what is asked for; the contract lets no other name pass.
func (s *server) asking(ctx context.Context, reel uuid.UUID, name *contract.LimitsName, own *string) (readings.Asking, error) {
	return s.app.Asking(ctx, reel, string(cmp.Or(given(name), "r128")), given(own))
}

func (s *server) getMeasurementTable(ctx context.Context, at ofReel, q contract.GetMeasurementTableParams) (document, error) {
	m, err := s.printed(ctx, at.Reel, q.Limits, q.Own)
	return document{"text/csv; charset=utf-8", "loudness.csv", func(w io.Writer) error { return report.WriteMeasurement(w, m) }}, err
}

func (s *server) printed(ctx context.Context, reel uuid.UUID, name *contract.LimitsName, own *string) (report.Measurement, error) {
	asking, err := s.asking(ctx, reel, name, own)
	if err != nil {
		return report.Measurement{}, err
	}
	return s.app.PrintedMeasurement(ctx, reel, asking)
}

func (s *server) printMeasurement(ctx context.Context, at ofReel, q contract.PrintMeasurementParams) (document, error) {
	m, err := s.printed(ctx, at.Reel, q.Limits, q.Own)
	return document{"application/pdf", "loudness.pdf", func(w io.Writer) error { return report.PrintMeasurement(w, m) }}, err
}

// told is a level, or nothing where there is none.
func told(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	v = math.Round(v*1000) / 1000
	return &v
}

func measuredBus(b readings.Measured, m app.Measurement, asking readings.Asking, timeline bool) contract.MeasuredBus {
	r := b.Result
	v := contract.MeasuredBus{Bus: b.ID, Name: b.Name, Role: contract.MeasuredBusRole(b.Role), Says: b.Says, Verdicts: []loudness.Verdict{}, Breaks: []contract.LoudnessBreak{}, Channels: []contract.MeasuredChannel{}}
	if b.As != "" {
		v.As = &b.As
	}
	if b.How != "" {
		v.How = &b.How
	}
	if b.Says != "" {
		return v
	}
	limits, asked := asking.Of(m.Measurement, b)
	if asked {
		v.Limits = &limits
	}
	tc := func(at int64) string {
		return m.Production.Rate().FormatSamples(at, int64(m.Production.SampleRate))
	}
	most := func(p loudness.Place) *contract.MostAt {
		if math.IsInf(p.Value, -1) {
			return nil
		}
		return &contract.MostAt{Value: *told(p.Value), At: m.Start + p.At, Timecode: tc(m.Start + p.At)}
	}
	v.IntegratedLufs, v.GateLufs, v.Correlation, v.MonoLossLu = told(r.Integrated), told(r.Gate), r.Correlation, r.MonoLoss
	if r.RangeKnown {
		v.RangeLu = told(r.Range)
	}
	v.Momentary, v.ShortTerm, v.TruePeak = most(r.MaxMomentary), most(r.MaxShortTerm), most(r.TruePeak)
	for _, c := range r.Channels {
		v.Channels = append(v.Channels, contract.MeasuredChannel{Dc: c.DC, Name: c.Name, PpmDbfs: told(c.Quasi), SamplePeakDbfs: told(c.SamplePeak), TruePeakDbtp: told(c.TruePeak)})
	}
	quasi := r.Quasi()
	v.PpmDbfs, v.PpmMark = told(quasi), told(meter.Mark(quasi))
	if asked {
		v.Verdicts = append(v.Verdicts, limits.Judge(r, b.Powers)...)
	}
	for i := range v.Verdicts {
		if at := v.Verdicts[i].At; at != nil {
			moved := m.Start + *at
			v.Verdicts[i].At = &moved
		}
	}
	rate := int64(m.Production.SampleRate)
	place := func(tenth int) int64 { return min(m.End, m.Start+int64(tenth)*rate/loudness.PowersPerSecond) }
	for _, k := range limits.Breaks(b.Powers, b.Peaks) {
		if len(v.Breaks) == mostBreaks || !asked {
			break
		}
		unit, by := "LUFS", "LU"
		if k.What == "true peak" {
			unit, by = "dBTP", "dB"
		}
		w := contract.LoudnessBreak{What: k.What, From: place(k.From), To: place(k.To), At: place(k.At), Most: k.Most, Over: k.Over, Timecode: tc(place(k.From))}
		w.Says = fmt.Sprintf("%s up to %.1f %s, %.1f %s too high", k.What, k.Most, unit, k.Over, by)
		v.Breaks = append(v.Breaks, w)
	}
	if d := b.Dialogue; d != nil {
		v.Dialogue = &contract.Dialogue{SpeechLufs: *told(d.Speech), MixLufs: *told(d.Mix), OverLu: *told(d.Over), Share: d.Share}
	}
	if b.Correction != nil {
		v.Correction = correctionState(*b.Correction, m.Reel.Doc.Weave, m.Production)
	}
	if was := b.Before; was != nil {
		r := was.Result
		v.Before = &contract.BusBefore{IntegratedLufs: told(r.Integrated), MomentaryLufs: told(r.MaxMomentary.Value), ShortTermLufs: told(r.MaxShortTerm.Value), TruePeakDbtp: told(r.TruePeak.Value)}
		if r.RangeKnown {
			v.Before.RangeLu = told(r.Range)
		}
		if timeline {
			v.Before.ShortTermLine = tenths(len(was.Powers), func(i int) float64 { return was.Powers.At(i, limits.ShortTermPowers()) })
		}
	}
	if timeline && b.As == "" {
		v.ShortTermLine = tenths(len(b.Powers), func(i int) float64 { return b.Powers.At(i, limits.ShortTermPowers()) })
		v.MomentaryLine = tenths(len(b.Powers), func(i int) float64 { return b.Powers.At(i, loudness.MomentaryPowers) })
		v.PeakLine = tenths(len(b.Peaks), func(i int) float64 { return audio.Decibels(float64(b.Peaks[i])) })
	}
	return v
}

// tenths is the values of tenths of a second, to a tenth, with nothing under -70.
func tenths(n int, value func(i int) float64) *[]*float32 {
	out := make([]*float32, n)
	for i := range out {
		if v := value(i); v > -70 {
			w := float32(math.Round(v*10) / 10)
			out[i] = &w
		}
	}
	return &out
}
