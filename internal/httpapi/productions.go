package httpapi

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func (s *server) getHealth(context.Context, none, none) (contract.Health, error) {
	return contract.Health{Status: contract.Ok, Parts: map[string]string{"process": "ok"}}, nil
}

func (s *server) getReady(ctx context.Context, _, _ none) (withStatus, error) {
	h := contract.Health{Status: contract.Ok, Parts: map[string]string{}}
	ask, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	says := map[string]string{"database": "the database does not answer", "media": "nothing can be written to the media folder", "queue": "the job queue can't be read"}
	if t := s.app.Trouble; t != nil && t() != "" {
		says["database"] = t()
	}
	database := s.app.Store.Pool.Ping(ask)
	if database != nil {
		says["queue"] = says["database"] // one cause is said once
	}
	for part, err := range map[string]error{
		"database": database,
		"media":    s.app.Media.Usable(),
		"queue":    s.app.Store.QueueUsable(ask),
	} {
		h.Parts[part] = "ok"
		if err != nil {
			s.log.Error("not ready", "part", part, "error", err)
			h.Parts[part], h.Status = says[part], contract.Failing
		}
	}
	// A full disk keeps nobody from reading and deleting: it is said, and the server is ready.
	h.Parts["disk"] = "ok"
	if free, ok := s.app.Media.Free(); ok && free <= 0 {
		h.Parts["disk"] = "the disk of the media folder is full but for what is kept for the database: nothing is taken in or written until there is room"
	}
	// Nor does sound that is lost: what can be made of the rest is.
	h.Parts["originals"] = "ok"
	if n, err := s.app.Scrub(ask); err == nil && n.Amiss > 0 {
		h.Parts["originals"] = fmt.Sprintf("sound is gone, or not what it was (%d): Intake and Delivery say which", n.Amiss)
	}
	if h.Status != contract.Ok {
		return withStatus{http.StatusServiceUnavailable, h}, nil
	}
	return withStatus{http.StatusOK, h}, nil
}

func (s *server) listProductions(ctx context.Context, _ none, q contract.ListProductionsParams) (contract.ProductionPage, error) {
	after, limit, err := cursor(q.After, q.Limit)
	if err != nil {
		return contract.ProductionPage{}, err
	}
	ps, err := s.app.Store.Productions(ctx, after, limit)
	if err != nil {
		return contract.ProductionPage{}, err
	}
	out := contract.ProductionPage{Items: []contract.Production{}}
	for _, p := range ps {
		v, err := s.production(ctx, p)
		if err != nil {
			return contract.ProductionPage{}, err
		}
		out.Items = append(out.Items, v)
	}
	if len(ps) == limit {
		out.Next = ps[limit-1].ID.String()
	}
	return out, nil
}

func (s *server) archiveProduction(ctx context.Context, at ofProduction, body contract.ArchiveOrder) (contract.Production, error) {
	return s.shown(ctx)(s.app.ArchiveProduction(ctx, at.Production, body.Archived))
}

func (s *server) removeProduction(ctx context.Context, at ofProduction, _ none) (contract.Production, error) {
	return s.shown(ctx)(s.app.RemoveProduction(ctx, at.Production))
}

func (s *server) keepProduction(ctx context.Context, at ofProduction, _ none) (contract.Production, error) {
	return s.shown(ctx)(s.app.KeepProduction(ctx, at.Production))
}

// shown shows a production that something was done to.
func (s *server) shown(ctx context.Context) func(store.Production, error) (contract.Production, error) {
	return func(p store.Production, err error) (contract.Production, error) {
		if err != nil {
			return contract.Production{}, err
		}
		return s.production(ctx, p)
	}
}

func (s *server) createProduction(ctx context.Context, _ none, body contract.NewProduction) (contract.Production, error) {
	n := app.NewProduction{Name: body.Name, Rate: body.TimecodeRate, SampleRate: 48000, Start: "00:00:00:00"}
	if body.Episode != nil {
		n.Episode = *body.Episode
	}
	if body.SampleRate != nil {
		n.SampleRate = *body.SampleRate
	}
	if body.StartTimecode != nil {
		n.Start = *body.StartTimecode
	}
	p, err := s.app.CreateProduction(ctx, n)
	if err != nil {
		return contract.Production{}, err
	}
	return s.production(ctx, p)
}

func (s *server) getProduction(ctx context.Context, at ofProduction, _ none) (contract.Production, error) {
	p, err := s.app.Store.Production(ctx, at.Production)
	if err != nil {
		return contract.Production{}, err
	}
	return s.production(ctx, p)
}

func (s *server) production(ctx context.Context, p store.Production) (v contract.Production, err error) {
	rate := p.Rate()
	v = contract.Production{
		Id: p.ID, Name: p.Name, Episode: p.Episode, SampleRate: p.SampleRate,
		Rate: contract.Rate{Num: rate.Num, Den: rate.Den, Drop: rate.Drop}, RateName: rate.String(),
		Archived: p.Archived, Removal: p.Removal,
		Start: p.StartSamples, StartTimecode: rate.FormatSamples(p.StartSamples, int64(p.SampleRate)),
	}
	st := s.app.Store
	undo, err1 := st.LastEdit(ctx, p.ID, app.Session(ctx), nil, false)
	redo, err2 := st.LastEdit(ctx, p.ID, app.Session(ctx), nil, true)
	v.CanUndo, v.CanRedo = undo.What, redo.What
	var err3, err4, err5 error
	v.Snags.Intake, err3 = st.FileSnags(ctx, p.ID)
	v.Snags.Takes, err4 = st.TakeSnags(ctx, p.ID)
	v.Snags.Delivery, err5 = st.DeliverySnags(ctx, p.ID)
	for _, e := range []error{err1, err2} {
		if e != nil && !errors.Is(e, store.ErrNotFound) {
			err = errors.Join(err, e)
		}
	}
	if err = errors.Join(err, err3, err4, err5); err != nil {
		return v, err
	}
	kept, err := st.ReelSnags(ctx, p.ID)
	v.Snags.Reel, v.Snags.Weave, v.Snags.Measure = kept.Reel, kept.Weave, kept.Measure
	return v, err
}

func (s *server) undo(ctx context.Context, at ofProduction, q contract.UndoParams) (contract.Undone, error) {
	what, err := s.app.Undo(ctx, at.Production, given(q.Of))
	return contract.Undone{What: what}, err
}

func (s *server) redo(ctx context.Context, at ofProduction, q contract.RedoParams) (contract.Undone, error) {
	what, err := s.app.Redo(ctx, at.Production, given(q.Of))
	return contract.Undone{What: what}, err
}
