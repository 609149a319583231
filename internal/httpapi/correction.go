package httpapi

import (
	"context"
	"fmt"
	"strings"

	"zestyloom/core/loudness"
	"zestyloom/internal/httpapi/contract"
)

// PlanCorrection implements contract.StrictServerInterface.
func (s *server) PlanCorrection(ctx context.Context, r contract.PlanCorrectionRequestObject) (contract.PlanCorrectionResponseObject, error) {
	b := r.Body
	target := loudness.Target{Integrated: b.IntegratedLufs, ShortTerm: b.MaxShortTermLufs, Window: given(b.ShortTermWindowS), Slope: given(b.SlopeDbPerS)}
	c, err := s.app.PlanCorrection(ctx, r.Reel, b.Bus, target, given(b.Stems))
	if err != nil {
		return nil, err
	}
	v := contract.Correction{GainDb: c.GainDB, DeepestDb: c.Deepest, Levels: c.Levels, Buses: append([]string{}, c.Stems...), Also: append([]string{}, c.Also...)}
	v.Before = contract.CorrectionFigures{IntegratedLufs: told(c.Before.Integrated), MaxShortTermLufs: told(c.Before.MaxShortTerm.Value), TruePeakDbtp: told(c.Before.TruePeak.Value)}
	v.Foreseen = contract.CorrectionFigures{IntegratedLufs: told(c.Correction.Integrated), MaxShortTermLufs: told(c.Correction.ShortTerm), TruePeakDbtp: told(c.Before.TruePeak.Value + c.GainDB)}
	v.Says = fmt.Sprintf("%+.2f dB on %s", c.GainDB, strings.Join(c.Stems, ", "))
	if c.Deepest > 0 {
		v.Says += fmt.Sprintf(", and a slow gain that goes down by up to %.2f dB", c.Deepest)
	}
	if len(c.Also) == 1 {
		v.Says += "; " + c.Also[0] + " changes with it"
	} else if len(c.Also) > 1 {
		v.Says += "; " + strings.Join(c.Also, ", ") + " change with it"
	}
	return contract.PlanCorrection200JSONResponse(v), nil
}
