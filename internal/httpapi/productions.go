package httpapi

import (
	"context"
	"errors"
	"fmt"
	"time"

	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// GetHealth implements contract.StrictServerInterface.
func (s *server) GetHealth(context.Context, contract.GetHealthRequestObject) (contract.GetHealthResponseObject, error) {
	return contract.GetHealth200JSONResponse{Status: contract.Ok, Parts: map[string]string{"process": "ok"}}, nil
}

// GetReady implements contract.StrictServerInterface.
func (s *server) GetReady(ctx context.Context, _ contract.GetReadyRequestObject) (contract.GetReadyResponseObject, error) {
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
		return contract.GetReady503JSONResponse(h), nil
	}
	return contract.GetReady200JSONResponse(h), nil
}

// ListProductions implements contract.StrictServerInterface.
func (s *server) ListProductions(ctx context.Context, r contract.ListProductionsRequestObject) (contract.ListProductionsResponseObject, error) {
	after, limit, err := cursor(r.Params.After, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	ps, err := s.app.Store.Productions(ctx, after, limit)
	if err != nil {
		return nil, err
	}
	out := contract.ListProductions200JSONResponse{Items: []contract.Production{}}
	for _, p := range ps {
		v, err := s.production(ctx, p)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, v)
	}
	if len(ps) == limit {
		out.Next = ps[limit-1].ID.String()
	}
	return out, nil
}

// ArchiveProduction implements contract.StrictServerInterface.
func (s *server) ArchiveProduction(ctx context.Context, r contract.ArchiveProductionRequestObject) (contract.ArchiveProductionResponseObject, error) {
	v, err := s.shown(ctx)(s.app.ArchiveProduction(ctx, r.Production, r.Body.Archived))
	return contract.ArchiveProduction200JSONResponse(v), err
}

// RemoveProduction implements contract.StrictServerInterface.
func (s *server) RemoveProduction(ctx context.Context, r contract.RemoveProductionRequestObject) (contract.RemoveProductionResponseObject, error) {
	v, err := s.shown(ctx)(s.app.RemoveProduction(ctx, r.Production))
	return contract.RemoveProduction202JSONResponse(v), err
}

// KeepProduction implements contract.StrictServerInterface.
func (s *server) KeepProduction(ctx context.Context, r contract.KeepProductionRequestObject) (contract.KeepProductionResponseObject, error) {
	v, err := s.shown(ctx)(s.app.KeepProduction(ctx, r.Production))
	return contract.KeepProduction200JSONResponse(v), err
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

// CreateProduction implements contract.StrictServerInterface.
func (s *server) CreateProduction(ctx context.Context, r contract.CreateProductionRequestObject) (contract.CreateProductionResponseObject, error) {
	n := app.NewProduction{Name: r.Body.Name, Rate: r.Body.TimecodeRate, SampleRate: 48000, Start: "00:00:00:00"}
	if r.Body.Episode != nil {
		n.Episode = *r.Body.Episode
	}
	if r.Body.SampleRate != nil {
		n.SampleRate = *r.Body.SampleRate
	}
	if r.Body.StartTimecode != nil {
		n.Start = *r.Body.StartTimecode
	}
	p, err := s.app.CreateProduction(ctx, n)
	if err != nil {
		return nil, err
	}
	v, err := s.production(ctx, p)
	return contract.CreateProduction201JSONResponse(v), err
}

// GetProduction implements contract.StrictServerInterface.
func (s *server) GetProduction(ctx context.Context, r contract.GetProductionRequestObject) (contract.GetProductionResponseObject, error) {
	p, err := s.app.Store.Production(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	v, err := s.production(ctx, p)
	return contract.GetProduction200JSONResponse(v), err
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

// Undo implements contract.StrictServerInterface.
func (s *server) Undo(ctx context.Context, r contract.UndoRequestObject) (contract.UndoResponseObject, error) {
	what, err := s.app.Undo(ctx, r.Production, given(r.Params.Of))
	return contract.Undo200JSONResponse{What: what}, err
}

// Redo implements contract.StrictServerInterface.
func (s *server) Redo(ctx context.Context, r contract.RedoRequestObject) (contract.RedoResponseObject, error) {
	what, err := s.app.Redo(ctx, r.Production, given(r.Params.Of))
	return contract.Redo200JSONResponse{What: what}, err
}
