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

func (s *server) previewWeave(ctx context.Context, at ofReel, body contract.WeaveChange) (contract.WeavePreview, error) {
	rows, lost, err := s.app.PreviewWeave(ctx, at.Reel, body.Change)
	if err != nil {
		return contract.WeavePreview{}, err
	}
	v := contract.WeavePreview{Rows: []contract.WeaveRow{}, Lost: append([]string{}, lost...)}
	for _, w := range rows {
		v.Rows = append(v.Rows, contract.WeaveRow{What: contract.WeaveRowWhat(w.What), Name: w.Name, State: contract.WeaveRowState(w.State), Says: w.Says})
	}
	return v, nil
}

func (s *server) getNulls(ctx context.Context, at ofReel, q contract.GetNullsParams) ([]contract.NullFigure, error) {
	nulls, p, err := s.app.Nulls(ctx, at.Reel, q.From, q.To)
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
	return out, nil
}

func (s *server) getWays(ctx context.Context, at ofReel, q contract.GetWaysParams) ([][]contract.WayStep, error) {
	row, err := s.app.Store.Reel(ctx, at.Reel)
	if err != nil {
		return nil, err
	}
	out := [][]weave.Step{}
	for _, t := range row.Doc.Routed() {
		if t.ID == q.Track {
			out = append(out, row.Doc.Weave.Traces(t, q.Output)...)
		}
	}
	return out, nil
}

func keptTemplate(t app.KeptTemplate) contract.KeptTemplate {
	v := contract.KeptTemplate{Id: t.Template.Name, Template: t.Template, Shipped: t.ID == uuid.Nil}
	if !v.Shipped {
		v.Id = t.ID.String()
	}
	return v
}

func (s *server) listWeaveTemplates(ctx context.Context, _ none, _ none) ([]contract.KeptTemplate, error) {
	all, err := s.app.WeaveTemplates(ctx)
	if err != nil {
		return nil, err
	}
	out := []contract.KeptTemplate{}
	for _, t := range all {
		out = append(out, keptTemplate(t))
	}
	return out, nil
}

func (s *server) getBeginnings(ctx context.Context, _ none, q contract.GetBeginningsParams) (contract.Beginnings, error) {
	b, err := s.app.Beginnings(ctx, q.Production)
	return contract.Beginnings(b), err
}

func (s *server) setBeginning(ctx context.Context, _ none, body contract.BeginningChange) (contract.Beginnings, error) {
	if err := s.app.SetBeginning(ctx, body.Production, body.Template); err != nil {
		return contract.Beginnings{}, err
	}
	b, err := s.app.Beginnings(ctx, body.Production)
	return contract.Beginnings(b), err
}

func (s *server) addWeaveTemplate(ctx context.Context, _ none, body contract.WeaveTemplate) (contract.KeptTemplate, error) {
	t, err := s.app.AddWeaveTemplate(ctx, body)
	if err != nil {
		return contract.KeptTemplate{}, err
	}
	return keptTemplate(t), nil
}

func (s *server) keepWeave(ctx context.Context, at ofReel, body contract.TemplateNaming) (contract.KeptTemplate, error) {
	description := ""
	if body.Description != nil {
		description = *body.Description
	}
	t, err := s.app.KeepWeave(ctx, at.Reel, body.Name, description)
	if err != nil {
		return contract.KeptTemplate{}, err
	}
	return keptTemplate(t), nil
}

func (s *server) removeWeaveTemplate(ctx context.Context, at ofTemplate, _ none) (none, error) {
	if err := s.app.RemoveWeaveTemplate(ctx, at.Template); err != nil {
		return none{}, err
	}
	return none{}, nil
}
