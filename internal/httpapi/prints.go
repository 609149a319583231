package httpapi

import (
	"context"

	"zestyloom/core/printing"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// OrderPrints implements contract.StrictServerInterface.
func (s *server) OrderPrints(ctx context.Context, r contract.OrderPrintsRequestObject) (contract.OrderPrintsResponseObject, error) {
	b := r.Body
	o := printing.Order{Clips: given(b.Clips), Alone: given(b.Alone), Tracks: given(b.Tracks), Bus: given(b.Bus), From: given(b.From), To: given(b.To), Plain: given(b.Plain)}
	if given(b.Preview) {
		prints, _, err := s.app.PlanPrints(ctx, r.Reel, o)
		if err != nil {
			return nil, err
		}
		out := contract.OrderPrints200JSONResponse{}
		for _, p := range prints {
			out = append(out, printView(p))
		}
		return out, nil
	}
	rows, err := s.app.OrderPrints(ctx, r.Reel, o)
	if err != nil {
		return nil, err
	}
	out := contract.OrderPrints202JSONResponse{}
	for _, row := range rows {
		v := printView(row.Body)
		v.Id = &row.ID
		out = append(out, v)
	}
	return out, nil
}

func printView(p printing.Print) contract.Print {
	file := p.Plan.Files[0]
	v := contract.Print{Name: p.Name, File: file.Name, Channels: []string{}, From: p.Plan.From, To: p.Plan.To}
	v.FromTimecode, v.ToTimecode = p.Plan.Rate.FormatSamples(p.Plan.From, int64(p.Plan.Rates.Reel)), p.Plan.Rate.FormatSamples(p.Plan.To, int64(p.Plan.Rates.Reel))
	for _, c := range file.Channels {
		v.Channels = append(v.Channels, c.Name)
	}
	return v
}

// RetryPrint implements contract.StrictServerInterface.
func (s *server) RetryPrint(ctx context.Context, r contract.RetryPrintRequestObject) (contract.RetryPrintResponseObject, error) {
	return contract.RetryPrint204Response{}, s.app.TakeStep(ctx, "print", r.Print, app.StepRetry)
}

// HoldPrint implements contract.StrictServerInterface.
func (s *server) HoldPrint(ctx context.Context, r contract.HoldPrintRequestObject) (contract.HoldPrintResponseObject, error) {
	return contract.HoldPrint204Response{}, s.app.TakeStep(ctx, "print", r.Print, app.StepHold)
}

// NextPrint implements contract.StrictServerInterface.
func (s *server) NextPrint(ctx context.Context, r contract.NextPrintRequestObject) (contract.NextPrintResponseObject, error) {
	return contract.NextPrint204Response{}, s.app.TakeStep(ctx, "print", r.Print, app.StepNext)
}

// CancelPrint implements contract.StrictServerInterface.
func (s *server) CancelPrint(ctx context.Context, r contract.CancelPrintRequestObject) (contract.CancelPrintResponseObject, error) {
	return contract.CancelPrint204Response{}, s.app.TakeStep(ctx, "print", r.Print, app.StepCancel)
}
