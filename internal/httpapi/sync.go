package httpapi

import (
	"context"
	"math"

	"github.com/google/uuid"

	"zestyloom/core/sync"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// ListSyncs implements contract.StrictServerInterface.
func (s *server) ListSyncs(ctx context.Context, r contract.ListSyncsRequestObject) (contract.ListSyncsResponseObject, error) {
	p, err := s.app.Store.Production(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	rows, err := s.app.Store.Syncs(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	takes, err := s.syncTakes(ctx, p, rows)
	out := contract.ListSyncs200JSONResponse{}
	for _, row := range rows {
		out = append(out, syncOf(p, row, takes))
	}
	return out, err
}

// syncTake is a take of a pair, as it is stored and as it is shown.
type syncTake struct {
	row   store.Take
	shown contract.SyncTake
}

func (s *server) syncTakes(ctx context.Context, p store.Production, rows []store.Sync) (map[uuid.UUID]syncTake, error) {
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
	files, err := s.app.Store.FilesOfTakes(ctx, ids)
	if err != nil {
		return nil, err
	}
	pictures := map[uuid.UUID]bool{}
	for _, f := range files {
		pictures[f.ID] = f.Facts != nil && f.Facts.Picture != nil
	}
	out := map[uuid.UUID]syncTake{}
	for _, t := range ts {
		v := contract.SyncTake{Id: t.ID, Name: t.Name, SampleRate: t.SampleRate, Frames: t.Frames}
		if t.StartSamples != nil {
			v.StartTimecode = p.Rate().FormatSamples(*t.StartSamples, int64(t.SampleRate))
		}
		loudest := -1.0
		for _, st := range strands {
			if st.TakeID != t.ID {
				continue
			}
			v.Strands++
			v.Picture = v.Picture || pictures[st.FileID]
			if st.RMS > loudest {
				loudest, v.Strand = st.RMS, st.ID.String()
			}
		}
		out[t.ID] = syncTake{t, v}
	}
	return out, nil
}

func syncOf(p store.Production, row store.Sync, takes map[uuid.UUID]syncTake) contract.Sync {
	ref, t, b := takes[row.RefTake], takes[row.Take], row.Body
	v := contract.Sync{
		Id: row.ID, Ref: ref.shown, Take: t.shown, Why: row.Why, State: contract.SyncState(row.State), Polarity: b.Polarity, Reason: b.Reason, Error: row.ErrorMessage,
		OffsetSamples: b.Offset, Overlap: b.Overlap, Windows: b.Windows, Agree: b.Agree, SpreadMs: b.Spread * 1000,
	}
	if b.Rate == 0 {
		return v
	}
	v.OffsetSeconds, v.ApartMs = b.Seconds(), math.Abs(b.End-b.Start)/float64(b.Rate)*1000
	if b.DriftKnown {
		v.DriftPpm = &b.Drift
	}
	stamp := func(t store.Take) sync.Stamp {
		st := sync.Stamp{Start: -1, Rate: t.SampleRate, Frames: t.Frames}
		if t.StartWas != nil {
			st.Start = *t.StartWas
		}
		return st
	}
	if by, ok := sync.ByTimecode(stamp(ref.row), stamp(t.row), p.Rate()); ok && b.Certainty != sync.None {
		shift := v.OffsetSeconds - float64(by)/float64(ref.row.SampleRate)
		v.ShiftSeconds = &shift
	}
	return v
}

// ProposeSyncs implements contract.StrictServerInterface.
func (s *server) ProposeSyncs(ctx context.Context, r contract.ProposeSyncsRequestObject) (contract.ProposeSyncsResponseObject, error) {
	added, err := s.app.ProposeSyncs(ctx, r.Production)
	return contract.ProposeSyncs202JSONResponse{Added: added}, err
}

// DecideSync implements contract.StrictServerInterface.
func (s *server) DecideSync(ctx context.Context, r contract.DecideSyncRequestObject) (contract.DecideSyncResponseObject, error) {
	return contract.DecideSync204Response{}, s.app.DecideSync(ctx, r.Sync, r.Body.Accept)
}

// AlignAgain implements contract.StrictServerInterface.
func (s *server) AlignAgain(ctx context.Context, r contract.AlignAgainRequestObject) (contract.AlignAgainResponseObject, error) {
	return contract.AlignAgain202Response{}, s.app.AlignAgain(ctx, r.Sync)
}
