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

func (s *server) listSyncs(ctx context.Context, at ofProduction, q contract.ListSyncsParams) (contract.SyncPage, error) {
	p, after, limit, err := s.page(ctx, at.Production, q.After, q.Limit)
	if err != nil {
		return contract.SyncPage{}, err
	}
	var rows []store.Sync
	if q.Rows != nil {
		rows, err = s.app.Store.SyncsOf(ctx, p.ID, *q.Rows)
	} else {
		rows, err = s.app.Store.SyncPage(ctx, p.ID, after, limit)
	}
	if err != nil {
		return contract.SyncPage{}, err
	}
	v, err := s.syncView(ctx, p, rows)
	if err != nil {
		return contract.SyncPage{}, err
	}
	out := contract.SyncPage{Items: []contract.Sync{}}
	for _, row := range rows {
		out.Items = append(out.Items, v.pair(row))
	}
	if len(rows) == limit && q.Rows == nil {
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
	ts, err := s.app.Store.SyncTakes(ctx, p.ID, ids)
	if err != nil {
		return nil, err
	}
	if v.clocks, err = app.Clocks(ctx, s.app.Store.Queries, p.ID); err != nil {
		return nil, err
	}
	for _, row := range ts {
		t := row.Take
		st := contract.SyncTake{Id: t.ID, Name: t.Name, SampleRate: t.SampleRate, Frames: t.Frames, Start: t.StartSamples, StartWas: t.StartWas, Roll: t.Roll, Day: t.Day, Strands: row.Strands}
		if t.StartSamples != nil {
			st.StartTimecode = p.Rate().FormatSamples(*t.StartSamples, int64(t.SampleRate))
		}
		if row.Picture != nil {
			v.cameras[t.ID], st.Camera = true, app.AlignTake(t, true).Clock()
			if row.Stills {
				st.Picture = row.Picture.String()
			}
		}
		if row.Loudest != nil {
			st.Strand = row.Loudest.String()
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

func (s *server) proposeSyncs(ctx context.Context, at ofProduction, _ none) (contract.Proposed, error) {
	added, err := s.app.ProposeSyncs(ctx, at.Production)
	return contract.Proposed{Added: added}, err
}

func (s *server) decideSync(ctx context.Context, at ofSync, body contract.SyncDecision) (contract.SyncDecided, error) {
	along, err := s.app.DecideSync(ctx, at.Sync, app.Decision{Accept: body.Accept, ByTimecode: given(body.By) == contract.SyncDecisionByTimecode, Nudge: body.Nudge})
	return contract.SyncDecided{Along: along}, err
}

func (s *server) nudgeSync(ctx context.Context, at ofSync, body contract.SyncNudge) (none, error) {
	return none{}, s.app.NudgeSync(ctx, at.Sync, body.Samples, body.Was)
}

func (s *server) setClock(ctx context.Context, at ofSync, body contract.ClockOrder) (none, error) {
	return none{}, s.app.SetClock(ctx, at.Sync, body.Off)
}

func (s *server) setDetached(ctx context.Context, at ofStrand, body contract.DetachOrder) (none, error) {
	return none{}, s.app.SetDetached(ctx, at.Strand, body.Detached, body.Shift, body.Was)
}

func (s *server) alignAgain(ctx context.Context, at ofSync, _ none) (none, error) {
	return none{}, s.app.AlignAgain(ctx, at.Sync)
}

// synced says how far lining a take up is: of its pairs the furthest counts.
func synced(t store.ListedTake) contract.TakeSync {
	if t.StartSet != nil {
		return contract.TakeSyncAccepted
	}
	rank := []contract.TakeSync{"", contract.TakeSyncNone, contract.TakeSyncWaiting, contract.TakeSyncDoubtful, contract.TakeSyncAligned, contract.TakeSyncAccepted}
	as := map[string]int{"none": 1, "failed": 1, "proposed": 2, "aligning": 2, "doubtful": 3, "aligned": 4, "accepted": 5}
	furthest := 0
	for _, state := range t.Syncs {
		furthest = max(furthest, as[state])
	}
	return rank[furthest]
}
