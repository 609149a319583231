package httpapi

import (
	"context"
	"math"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// ListSyncs implements contract.StrictServerInterface.
func (s *server) ListSyncs(ctx context.Context, r contract.ListSyncsRequestObject) (contract.ListSyncsResponseObject, error) {
	p, after, limit, err := s.page(ctx, r.Production, r.Params.After, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	rows, err := s.app.Store.SyncPage(ctx, p.ID, after, limit)
	if err != nil {
		return nil, err
	}
	v, err := s.syncView(ctx, p, rows)
	if err != nil {
		return nil, err
	}
	out := contract.ListSyncs200JSONResponse{Items: []contract.Sync{}}
	for _, row := range rows {
		out.Items = append(out.Items, v.pair(row))
	}
	if len(rows) == limit {
		out.Next = rows[limit-1].ID.String()
	}
	return out, nil
}

// syncView shows pairs.
type syncView struct {
	production store.Production
	clocks     align.Clocks
	cameras    map[uuid.UUID]bool
	rows       map[uuid.UUID]store.Take
	shown      map[uuid.UUID]contract.SyncTake
}

func (s *server) syncView(ctx context.Context, p store.Production, rows []store.Sync) (*syncView, error) {
	v := &syncView{production: p, cameras: map[uuid.UUID]bool{}, rows: map[uuid.UUID]store.Take{}, shown: map[uuid.UUID]contract.SyncTake{}}
	var ids []uuid.UUID
	for _, r := range rows {
		ids = append(ids, r.RefTake, r.Take)
	}
	ts, err := s.app.Store.TakesOfRows(ctx, p.ID, ids)
	if err != nil {
		return nil, err
	}
	strands, err := s.app.Store.Strands(ctx, ids)
	if err != nil {
		return nil, err
	}
	pictures, err := app.Pictured(ctx, s.app.Store.Queries, ids)
	if err != nil {
		return nil, err
	}
	if v.clocks, err = app.Clocks(ctx, s.app.Store.Queries, p.ID); err != nil {
		return nil, err
	}
	for _, t := range ts {
		st := contract.SyncTake{Id: t.ID, Name: t.Name, SampleRate: t.SampleRate, Frames: t.Frames, Start: t.StartSamples, StartWas: t.StartWas, Roll: t.Roll, Day: t.Day}
		if t.StartSamples != nil {
			st.StartTimecode = p.Rate().FormatSamples(*t.StartSamples, int64(t.SampleRate))
		}
		if f, ok := pictures[t.ID]; ok {
			v.cameras[t.ID], st.Camera = true, app.AlignTake(t, true).Clock()
			if f.Facts.Strip != nil { // the small picture could be made
				st.Picture = f.ID.String()
			}
		}
		loudest := -1.0
		for _, o := range strands {
			if o.TakeID != t.ID {
				continue
			}
			st.Strands++
			if o.RMS > loudest {
				loudest, st.Strand = o.RMS, o.ID.String()
			}
		}
		v.rows[t.ID], v.shown[t.ID] = t, st
	}
	return v, nil
}

func (v *syncView) pair(row store.Sync) contract.Sync {
	ref, t, b := v.rows[row.RefTake], v.rows[row.Take], row.Body
	at := app.PlacementOf(v.production, row, ref, t, v.cameras, v.clocks)
	out := contract.Sync{
		Id: row.ID, Ref: v.shown[ref.ID], Take: v.shown[t.ID], Why: row.Why, State: contract.SyncState(row.State), Polarity: b.Polarity, Reason: b.Reason, Error: row.ErrorMessage,
		By: contract.SyncBy(at.By), Nudge: row.Nudge, ClockSeconds: at.Late, OffsetSamples: at.Offset, OffsetSeconds: at.Offset / float64(ref.SampleRate),
		Overlap: b.Overlap, Windows: b.Windows, Agree: b.Agree, SpreadMs: b.Spread * 1000,
	}
	if row.RefStrand != nil {
		out.Ref.Strand = row.RefStrand.String()
	}
	if row.TakeStrand != nil {
		out.Take.Strand = row.TakeStrand.String()
	}
	if at.Timecode != nil {
		seconds := float64(*at.Timecode) / float64(ref.SampleRate)
		out.TimecodeSeconds = &seconds
	}
	if t.StartSet != nil {
		if ms, ok := at.Apart(*t.StartSet); ok {
			out.ApartFromHereMs = &ms
		}
	}
	if b.Rate == 0 {
		return out
	}
	out.ApartMs = math.Abs(b.End-b.Start) / float64(b.Rate) * 1000
	if b.DriftKnown {
		out.DriftPpm = &b.Drift
	}
	// By its own timecode, whatever is known of its clock.
	if own := app.PlacementOf(v.production, row, ref, t, v.cameras, nil); own.Timecode != nil && at.By == align.BySound {
		shift := out.OffsetSeconds - float64(*own.Timecode)/float64(ref.SampleRate)
		out.ShiftSeconds = &shift
	}
	return out
}

// ProposeSyncs implements contract.StrictServerInterface.
func (s *server) ProposeSyncs(ctx context.Context, r contract.ProposeSyncsRequestObject) (contract.ProposeSyncsResponseObject, error) {
	added, err := s.app.ProposeSyncs(ctx, r.Production)
	return contract.ProposeSyncs202JSONResponse{Added: added}, err
}

// DecideSync implements contract.StrictServerInterface.
func (s *server) DecideSync(ctx context.Context, r contract.DecideSyncRequestObject) (contract.DecideSyncResponseObject, error) {
	along, err := s.app.DecideSync(ctx, r.Sync, app.Decision{Accept: r.Body.Accept, ByTimecode: given(r.Body.By) == contract.SyncDecisionByTimecode, Nudge: r.Body.Nudge})
	return contract.DecideSync200JSONResponse{Along: along}, err
}

// NudgeSync implements contract.StrictServerInterface.
func (s *server) NudgeSync(ctx context.Context, r contract.NudgeSyncRequestObject) (contract.NudgeSyncResponseObject, error) {
	return contract.NudgeSync204Response{}, s.app.NudgeSync(ctx, r.Sync, r.Body.Samples, r.Body.Was)
}

// SetClock implements contract.StrictServerInterface.
func (s *server) SetClock(ctx context.Context, r contract.SetClockRequestObject) (contract.SetClockResponseObject, error) {
	return contract.SetClock204Response{}, s.app.SetClock(ctx, r.Sync, r.Body.Off)
}

// SetLoose implements contract.StrictServerInterface.
func (s *server) SetLoose(ctx context.Context, r contract.SetLooseRequestObject) (contract.SetLooseResponseObject, error) {
	return contract.SetLoose204Response{}, s.app.SetLoose(ctx, r.Strand, r.Body.Loose, r.Body.Shift, r.Body.Was)
}

// AlignAgain implements contract.StrictServerInterface.
func (s *server) AlignAgain(ctx context.Context, r contract.AlignAgainRequestObject) (contract.AlignAgainResponseObject, error) {
	return contract.AlignAgain202Response{}, s.app.AlignAgain(ctx, r.Sync)
}

// synced says how far lining takes up is: of a take's pairs the furthest counts.
func (s *server) synced(ctx context.Context, p store.Production, ts []store.Take) (map[uuid.UUID]contract.TakeSync, error) {
	rows, err := s.app.Store.Syncs(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	rank := map[contract.TakeSync]int{"": 0, contract.TakeSyncNone: 1, contract.TakeSyncWaiting: 2, contract.TakeSyncDoubtful: 3, contract.TakeSyncAligned: 4, contract.TakeSyncAccepted: 5}
	as := map[string]contract.TakeSync{"proposed": contract.TakeSyncWaiting, "aligning": contract.TakeSyncWaiting, "aligned": contract.TakeSyncAligned, "doubtful": contract.TakeSyncDoubtful, "none": contract.TakeSyncNone, "failed": contract.TakeSyncNone, "accepted": contract.TakeSyncAccepted}
	out := map[uuid.UUID]contract.TakeSync{}
	for _, r := range rows {
		if v := as[r.State]; rank[v] > rank[out[r.Take]] {
			out[r.Take] = v
		}
	}
	for _, t := range ts {
		if t.StartSet != nil {
			out[t.ID] = contract.TakeSyncAccepted
		}
	}
	return out, nil
}
