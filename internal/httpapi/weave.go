package httpapi

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// PreviewWeave implements contract.StrictServerInterface.
func (s *server) PreviewWeave(ctx context.Context, r contract.PreviewWeaveRequestObject) (contract.PreviewWeaveResponseObject, error) {
	rows, lost, err := s.app.PreviewWeave(ctx, r.Reel, r.Body.Change)
	if err != nil {
		return nil, err
	}
	v := contract.WeavePreview{Rows: []contract.WeaveRow{}, Lost: append([]string{}, lost...)}
	for _, w := range rows {
		v.Rows = append(v.Rows, contract.WeaveRow{What: contract.WeaveRowWhat(w.What), Name: w.Name, State: contract.WeaveRowState(w.State), Says: w.Says})
	}
	return contract.PreviewWeave200JSONResponse(v), nil
}

// GetNulls implements contract.StrictServerInterface.
func (s *server) GetNulls(ctx context.Context, r contract.GetNullsRequestObject) (contract.GetNullsResponseObject, error) {
	nulls, p, err := s.app.Nulls(ctx, r.Reel, r.Params.From, r.Params.To)
	if err != nil {
		return nil, err
	}
	out := []contract.NullFigure{}
	for _, n := range nulls {
		v := contract.NullFigure{Bus: n.Bus.ID, Name: n.Bus.Name, At: n.At, Timecode: p.Rate().FormatSamples(n.At, int64(p.SampleRate)), Channel: n.Channel, Members: append([]string{}, n.Members...)}
		sum := strings.Join(n.Members, " + ")
		switch {
		case len(n.Members) == 0 && n.Tracks == 0:
			v.Says = "nothing is sent into it"
		case n.Peak == 0:
			v.Says = fmt.Sprintf("%s is the sum of %s, bit for bit", n.Bus.Name, sum)
		default:
			worst := audio.Decibels(n.Peak)
			v.WorstDb = &worst
			steps := n.Peak * (1 << 23)
			v.Says = fmt.Sprintf("%s differs from %s by at most %.1f dBFS (%.1f steps of 24 bits), in %s at %s", n.Bus.Name, sum, worst, steps, v.Channel, v.Timecode)
		}
		if n.Tracks > 0 {
			v.Says += fmt.Sprintf("; %d tracks are sent into it by themselves", n.Tracks)
		}
		out = append(out, v)
	}
	return contract.GetNulls200JSONResponse(out), nil
}

// GetWays implements contract.StrictServerInterface.
func (s *server) GetWays(ctx context.Context, r contract.GetWaysRequestObject) (contract.GetWaysResponseObject, error) {
	row, err := s.app.Store.Reel(ctx, r.Reel)
	if err != nil {
		return nil, err
	}
	out := [][]weave.Step{}
	for _, t := range row.Doc.Routed() {
		if t.ID == r.Params.Track {
			out = append(out, row.Doc.Weave.Traces(t, r.Params.Output)...)
		}
	}
	return contract.GetWays200JSONResponse(out), nil
}

func keptTemplate(t app.KeptTemplate) contract.KeptTemplate {
	v := contract.KeptTemplate{Id: t.Template.Name, Template: t.Template, Shipped: t.ID == uuid.Nil}
	if !v.Shipped {
		v.Id = t.ID.String()
	}
	return v
}

// ListWeaveTemplates implements contract.StrictServerInterface.
func (s *server) ListWeaveTemplates(ctx context.Context, _ contract.ListWeaveTemplatesRequestObject) (contract.ListWeaveTemplatesResponseObject, error) {
	all, err := s.app.WeaveTemplates(ctx)
	if err != nil {
		return nil, err
	}
	out := []contract.KeptTemplate{}
	for _, t := range all {
		out = append(out, keptTemplate(t))
	}
	return contract.ListWeaveTemplates200JSONResponse(out), nil
}

// GetBeginnings implements contract.StrictServerInterface.
func (s *server) GetBeginnings(ctx context.Context, r contract.GetBeginningsRequestObject) (contract.GetBeginningsResponseObject, error) {
	b, err := s.app.Beginnings(ctx, r.Params.Production)
	return contract.GetBeginnings200JSONResponse(b), err
}

// SetBeginning implements contract.StrictServerInterface.
func (s *server) SetBeginning(ctx context.Context, r contract.SetBeginningRequestObject) (contract.SetBeginningResponseObject, error) {
	if err := s.app.SetBeginning(ctx, r.Body.Production, r.Body.Template); err != nil {
		return nil, err
	}
	b, err := s.app.Beginnings(ctx, r.Body.Production)
	return contract.SetBeginning200JSONResponse(b), err
}

// AddWeaveTemplate implements contract.StrictServerInterface.
func (s *server) AddWeaveTemplate(ctx context.Context, r contract.AddWeaveTemplateRequestObject) (contract.AddWeaveTemplateResponseObject, error) {
	t, err := s.app.AddWeaveTemplate(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	return contract.AddWeaveTemplate200JSONResponse(keptTemplate(t)), nil
}

// KeepWeave implements contract.StrictServerInterface.
func (s *server) KeepWeave(ctx context.Context, r contract.KeepWeaveRequestObject) (contract.KeepWeaveResponseObject, error) {
	description := ""
	if r.Body.Description != nil {
		description = *r.Body.Description
	}
	t, err := s.app.KeepWeave(ctx, r.Reel, r.Body.Name, description)
	if err != nil {
		return nil, err
	}
	return contract.KeepWeave200JSONResponse(keptTemplate(t)), nil
}

// RemoveWeaveTemplate implements contract.StrictServerInterface.
func (s *server) RemoveWeaveTemplate(ctx context.Context, r contract.RemoveWeaveTemplateRequestObject) (contract.RemoveWeaveTemplateResponseObject, error) {
	if err := s.app.RemoveWeaveTemplate(ctx, r.Template); err != nil {
		return nil, err
	}
	return contract.RemoveWeaveTemplate204Response{}, nil
}
