package httpapi

import (
	"context"
	"net/http"

	"zestyloom/core/printing"
	"zestyloom/internal/httpapi/contract"
)

func (s *server) orderPrints(ctx context.Context, at ofReel, b contract.PrintOrder) (withStatus, error) {
	o := printing.Order{Clips: given(b.Clips), Alone: given(b.Alone), Tracks: given(b.Tracks), Bus: given(b.Bus), From: given(b.From), To: given(b.To), Plain: given(b.Plain)}
	if given(b.Preview) {
		prints, _, err := s.app.PlanPrints(ctx, at.Reel, o)
		if err != nil {
			return withStatus{}, err
		}
		out := []contract.Print{}
		for _, p := range prints {
			out = append(out, printView(p))
		}
		return withStatus{http.StatusOK, out}, nil
	}
	rows, err := s.app.OrderPrints(ctx, at.Reel, o)
	if err != nil {
		return withStatus{}, err
	}
	out := []contract.Print{}
	for _, row := range rows {
		v := printView(row.Plan)
		v.Id = &row.ID
		out = append(out, v)
	}
	return withStatus{http.StatusAccepted, out}, nil
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
