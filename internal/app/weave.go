package app

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// PreviewWeave says what a change of a reel's routing would do, and what would have no place any more.
func (a *App) PreviewWeave(ctx context.Context, id uuid.UUID, c weave.Change) (rows []weave.Row, lost []string, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	now, lost, err := r.Doc.Weave.Changed(c, r.Doc.Routed(), uuid.NewString)
	if err != nil {
		return nil, nil, err
	}
	return weave.Compare(r.Doc.Weave, now, r.Doc.Routed()), lost, nil
}

// NullFigure is a mix's null figure, with the names of what it is made of.
type NullFigure struct {
	mix.Null
	Bus     weave.Bus
	Channel string
	Members []string // names
}

// Nulls works the null figures of a reel's mixes out, of all of it or from one sample to another, as 24 bits are written.
func (a *App) Nulls(ctx context.Context, id uuid.UUID, from, to *int64) ([]NullFigure, store.Production, error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return nil, store.Production{}, err
	}
	p, err := a.Store.Production(ctx, r.ProductionID)
	if err != nil {
		return nil, p, err
	}
	p = p.As(r.Doc)
	program, err := mix.Compile(r.Doc, p.SampleRate, a.sources(ctx))
	if err != nil {
		return nil, p, err
	}
	start, end := program.Span()
	if from != nil {
		start = max(start, *from)
	}
	if to != nil {
		end = min(end, *to)
	}
	var mixes []weave.Bus
	var ids []string
	for _, b := range r.Doc.Weave.Buses {
		if b.Role == weave.Mix {
			mixes, ids = append(mixes, b), append(ids, b.ID)
		}
	}
	nulls, err := program.Nulls(ctx, ids, audio.S24, start, max(start, end))
	if err != nil {
		return nil, p, err
	}
	out := make([]NullFigure, len(nulls))
	for i, n := range nulls {
		out[i] = NullFigure{Null: n, Bus: mixes[i], Channel: mixes[i].Channels().Channel(n.Channel)}
		for _, m := range n.Members {
			b, _ := r.Doc.Weave.Bus(m)
			out[i].Members = append(out[i].Members, b.Name)
		}
	}
	return out, p, nil
}

// KeptTemplate is a template of a routing; of one that comes with the program the ID is nothing.
type KeptTemplate struct {
	ID       uuid.UUID
	Template weave.Template
}

// WeaveTemplates lists those that come with the program, and then those that were kept.
func (a *App) WeaveTemplates(ctx context.Context) ([]KeptTemplate, error) {
	var out []KeptTemplate
	for _, t := range weave.Shipped() {
		out = append(out, KeptTemplate{Template: t})
	}
	kept, err := a.Store.WeaveTemplates(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range kept {
		out = append(out, KeptTemplate{t.ID, t.Doc})
	}
	return out, nil
}

// AddWeaveTemplate keeps a template; one of that name is replaced.
func (a *App) AddWeaveTemplate(ctx context.Context, t weave.Template) (KeptTemplate, error) {
	t.Name = strings.TrimSpace(t.Name)
	if err := t.Check(); err != nil {
		return KeptTemplate{}, err
	}
	if slices.ContainsFunc(weave.Shipped(), func(s weave.Template) bool { return s.Name == t.Name }) {
		return KeptTemplate{}, snag.Refuse("bad_template", "%s is the name of a template that comes with the program: choose another", t.Name)
	}
	id, err := a.Store.SaveWeaveTemplate(ctx, store.WeaveTemplate{ID: uuid.Must(uuid.NewV7()), Name: t.Name, Doc: t})
	return KeptTemplate{id, t}, err
}

// KeepWeave keeps a reel's routing as a template.
func (a *App) KeepWeave(ctx context.Context, reel uuid.UUID, name, description string) (KeptTemplate, error) {
	r, err := a.Store.Reel(ctx, reel)
	if err != nil {
		return KeptTemplate{}, err
	}
	return a.AddWeaveTemplate(ctx, r.Doc.Weave.TemplateOf(strings.TrimSpace(name), description, r.Doc.Routed()))
}

// RemoveWeaveTemplate forgets one that was kept.
func (a *App) RemoveWeaveTemplate(ctx context.Context, id uuid.UUID) error {
	there, err := a.Store.DeleteWeaveTemplate(ctx, id)
	if err == nil && !there {
		err = ErrNotFound
	}
	return err
}
