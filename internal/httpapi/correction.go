package httpapi

import (
	"context"
	"fmt"
	"strings"

	"zestyloom/core/loudness"
	"zestyloom/core/readings"
	"zestyloom/core/weave"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// mostDips is how many places are said where a correction does something, of either kind.
const mostDips = 200

func (s *server) planCorrection(ctx context.Context, at ofReel, b contract.CorrectionOrder) (contract.Correction, error) {
	o := readings.Order{Bus: b.Bus, Stems: given(b.Stems), FreeLFE: given(b.FreeLfe)}
	o.Target = loudness.Target{Integrated: b.IntegratedLufs, ShortTerm: b.MaxShortTermLufs, Window: given(b.ShortTermWindowS), Slope: given(b.SlopeDbPerS), TruePeak: b.MaxTruePeakDbtp}
	p, reel, err := s.app.PlanCorrection(ctx, at.Reel, o)
	if err != nil {
		return contract.Correction{}, err
	}
	production, err := s.app.Store.Production(ctx, reel.ProductionID)
	if err != nil {
		return contract.Correction{}, err
	}
	v := contract.Correction{Correction: p.Correction, GainDb: p.GainDB, DeepestDb: p.Foreseen.Deepest, Dips: dips(p.State, production.As(reel.Doc)), Buses: append([]string{}, p.Buses...), Also: append([]string{}, p.Also...)}
	v.Before = contract.CorrectionFigures{IntegratedLufs: told(p.Before.Integrated), MaxShortTermLufs: told(p.Before.MaxShortTerm.Value), TruePeakDbtp: told(p.Before.TruePeak.Value)}
	v.Foreseen = contract.CorrectionFigures{IntegratedLufs: told(p.Foreseen.Integrated), MaxShortTermLufs: told(p.Foreseen.ShortTerm), TruePeakDbtp: told(p.TruePeak)}
	v.Says = correctionSays(p.State, p.Buses)
	return v, nil
}

// correctionSays is what a correction does, in words.
func correctionSays(c readings.State, buses []string) string {
	says := fmt.Sprintf("%+.2f dB on %s", c.GainDB, strings.Join(buses, ", "))
	deepest := func(dips []loudness.Dip) (most float64) {
		for _, d := range dips {
			most = min(most, d.Most)
		}
		return most
	}
	if len(c.Slow) > 0 {
		says += fmt.Sprintf(", a slow gain that goes down by up to %.2f dB", -deepest(c.Slow))
		if c.ByHand {
			says += ", drawn by hand"
		}
	}
	if len(c.Peaks) > 0 {
		says += fmt.Sprintf(", true peaks held in %s, by up to %.2f dB", places(len(c.Peaks)), -deepest(c.Peaks))
	}
	switch len(c.Also) {
	case 0:
	case 1:
		says += "; " + c.Also[0] + " changes with it"
	default:
		says += "; " + strings.Join(c.Also, ", ") + " change with it"
	}
	return says
}

func places(n int) string {
	if n == 1 {
		return "one place"
	}
	return fmt.Sprintf("%d places", n)
}

// dips are the places where a correction does something.
func dips(c readings.State, p store.Production) []contract.Dip {
	out := []contract.Dip{}
	add := func(what contract.DipWhat, list []loudness.Dip, says string) {
		for _, d := range list[:min(len(list), mostDips)] {
			out = append(out, contract.Dip{What: what, From: d.From, To: d.To, MostDb: d.Most, Timecode: p.Rate().FormatSamples(d.At, int64(p.SampleRate)), Says: fmt.Sprintf(says, d.Most, float64(d.To-d.From)/float64(p.SampleRate))})
		}
	}
	add(contract.Slow, c.Slow, "slow gain of %+.2f dB at the most, for %.1f s")
	add(contract.Peaks, c.Peaks, "true peaks held by %+.2f dB at the most, for %.2f s")
	return out
}

func correctionState(c readings.State, w weave.Weave, p store.Production) *contract.CorrectionState {
	var names []string
	for _, id := range c.Buses {
		b, _ := w.Bus(id)
		names = append(names, b.Name)
	}
	return &contract.CorrectionState{Correction: c.Correction, Stale: c.Stale, Also: append([]string{}, c.Also...), Dips: dips(c, p), Says: correctionSays(c, names)}
}
