package httpapi

import (
	"context"
	"fmt"
	"math"
	"net/http"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/report"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// mostBreaks is how many places are said where a limit is not kept.
const mostBreaks = 200

// MeasureReel implements contract.StrictServerInterface.
func (s *server) MeasureReel(ctx context.Context, r contract.MeasureReelRequestObject) (contract.MeasureReelResponseObject, error) {
	m, err := s.app.Measure(ctx, r.Reel)
	if err != nil {
		return nil, err
	}
	limits := limitsOf(r.Params.Limits)
	v := contract.Measurement{Done: m.Done, Total: m.Total, Start: m.Start, End: m.End, Limits: limits, Buses: []contract.MeasuredBus{}}
	if m.Done == m.Total {
		for _, b := range m.Buses {
			v.Buses = append(v.Buses, measuredBus(b, m, limits, r.Params.Timeline == nil || *r.Params.Timeline))
		}
	}
	return contract.MeasureReel200JSONResponse(v), nil
}

// limitsOf are those of a name; the contract lets no other pass.
func limitsOf[T ~string](name *T) loudness.Limits {
	if name == nil {
		return loudness.Known()["r128"]
	}
	return loudness.Known()[string(*name)]
}

// GetMeasurementTable implements contract.StrictServerInterface.
func (s *server) GetMeasurementTable(ctx context.Context, r contract.GetMeasurementTableRequestObject) (contract.GetMeasurementTableResponseObject, error) {
	m, err := s.app.PrintedMeasurement(ctx, r.Reel, limitsOf(r.Params.Limits))
	return measurementTable(m), err
}

type measurementTable report.Measurement

// VisitGetMeasurementTableResponse writes the table.
func (m measurementTable) VisitGetMeasurementTableResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="loudness.csv"`)
	return report.WriteMeasurement(w, report.Measurement(m))
}

// PrintMeasurement implements contract.StrictServerInterface.
func (s *server) PrintMeasurement(ctx context.Context, r contract.PrintMeasurementRequestObject) (contract.PrintMeasurementResponseObject, error) {
	m, err := s.app.PrintedMeasurement(ctx, r.Reel, limitsOf(r.Params.Limits))
	return printedMeasurement(m), err
}

type printedMeasurement report.Measurement

// VisitPrintMeasurementResponse writes the pages.
func (m printedMeasurement) VisitPrintMeasurementResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/pdf")
	w.Header().Set("Content-Disposition", `attachment; filename="loudness.pdf"`)
	return report.PrintMeasurement(w, report.Measurement(m))
}

// told is a level, or nothing where there is none.
func told(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	v = math.Round(v*1000) / 1000
	return &v
}

func measuredBus(b app.Measured, m app.Measurement, limits loudness.Limits, timeline bool) contract.MeasuredBus {
	r := b.Result
	v := contract.MeasuredBus{Bus: b.Bus.ID, Name: b.Bus.Name, Role: contract.MeasuredBusRole(b.Bus.Role), Says: b.Says, Verdicts: []loudness.Verdict{}, Breaks: []contract.LoudnessBreak{}}
	if b.Says != "" {
		return v
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
	quasi := math.Inf(-1)
	for _, c := range r.Channels {
		quasi = max(quasi, c.Quasi)
		v.Channels = append(v.Channels, struct {
			Dc             float64  `json:"dc"`
			Name           string   `json:"name"`
			PpmDbfs        *float64 `json:"ppm_dbfs,omitempty"`
			SamplePeakDbfs *float64 `json:"sample_peak_dbfs,omitempty"`
			TruePeakDbtp   *float64 `json:"true_peak_dbtp,omitempty"`
		}{c.DC, c.Name, told(c.Quasi), told(c.SamplePeak), told(c.TruePeak)})
	}
	v.PpmDbfs, v.PpmMark = told(quasi), told(meter.Mark(quasi))
	v.Verdicts = append(v.Verdicts, limits.Judge(r, b.Powers)...)
	for i := range v.Verdicts {
		if at := v.Verdicts[i].At; at != nil {
			moved := m.Start + *at
			v.Verdicts[i].At = &moved
		}
	}
	rate := int64(m.Production.SampleRate)
	place := func(tenth int) int64 { return min(m.End, m.Start+int64(tenth)*rate/loudness.PowersPerSecond) }
	for _, k := range limits.Breaks(b.Powers, b.Peaks) {
		if len(v.Breaks) == mostBreaks {
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
	if timeline {
		v.ShortTermLine = line(len(b.Powers), func(i int) float64 { return b.Powers.At(i, limits.ShortTermPowers()) })
		v.MomentaryLine = line(len(b.Powers), func(i int) float64 { return b.Powers.At(i, loudness.MomentaryPowers) })
		v.PeakLine = line(len(b.Peaks), func(i int) float64 { return audio.Decibels(float64(b.Peaks[i])) })
	}
	return v
}

// line is the values of tenths of a second, to a tenth, with nothing under -70.
func line(n int, value func(i int) float64) *[]*float32 {
	out := make([]*float32, n)
	for i := range out {
		if v := value(i); v > -70 {
			w := float32(math.Round(v*10) / 10)
			out[i] = &w
		}
	}
	return &out
}
