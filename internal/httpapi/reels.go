package httpapi

import (
	"context"
	"errors"
	"math"
	"net/http"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// GetReel implements contract.StrictServerInterface.
func (s *server) GetReel(ctx context.Context, r contract.GetReelRequestObject) (contract.GetReelResponseObject, error) {
	row, err := s.app.Store.ReelOf(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	v, err := s.reel(ctx, row)
	return contract.GetReel200JSONResponse(v), err
}

func (s *server) reel(ctx context.Context, row store.Reel) (contract.Reel, error) {
	p, err := s.app.Store.Production(ctx, row.ProductionID)
	if err != nil {
		return contract.Reel{}, err
	}
	d := row.Doc
	start, end := d.Span()
	v := contract.Reel{
		Id: row.ID, Name: row.Name, Version: row.Version, Start: start, End: end, StartFixed: d.Start != nil, SampleRate: p.SampleRate,
		StartTimecode: p.Rate().FormatSamples(start, int64(p.SampleRate)),
		Tracks:        []contract.Track{}, Stems: []contract.Stem{}, Outputs: []contract.Output{}, Routes: map[string]contract.Route{},
		Matrix: [][]float64{},
	}
	product, err := d.Product()
	if err != nil {
		return v, err
	}
	for _, output := range product {
		row := make([]float64, len(output))
		for t, factors := range output {
			for _, f := range factors { // of a wide track the one that is heard most
				if math.Abs(f) > math.Abs(row[t]) {
					row[t] = f
				}
			}
		}
		v.Matrix = append(v.Matrix, row)
	}
	if v.Loose, err = s.app.LooseInReel(ctx, p, d); err != nil {
		return v, err
	}
	for _, t := range d.Tracks {
		ct := contract.Track{Id: t.ID, Label: t.Label, Off: t.Off, Clips: []contract.Clip{}}
		for _, c := range t.Clips {
			ct.Clips = append(ct.Clips, contract.Clip{Id: c.ID, Strand: app.SoundName(c), Name: c.Name, At: c.At, In: c.In, Length: c.Length, Unplaced: c.Unplaced})
		}
		v.Tracks = append(v.Tracks, ct)
	}
	for _, b := range d.Weave.Buses {
		if b.Role == weave.Stem {
			v.Stems = append(v.Stems, contract.Stem{Id: b.ID, Name: b.Name, Kind: contract.StemKind(b.Kind), Layout: b.Layout, Channels: b.Channels().Channels()})
		}
	}
	for _, o := range d.Weave.Outputs {
		v.Outputs = append(v.Outputs, contract.Output{Name: o.Name, Stem: o.Bus, Channel: o.Channel})
	}
	for _, t := range d.Tracks {
		if s, ok := d.Weave.Send(t.ID); ok {
			v.Routes[t.ID] = contract.Route{Stem: s.To, GainDb: s.GainDB, Position: contract.Position(s.Patch.Preset)}
		}
	}
	return v, nil
}

// ops turns the contract's operations into the core's.
func ops(in []contract.ReelOp) []reel.Op {
	var out []reel.Op
	for _, o := range in {
		switch {
		case o.SetTrack != nil:
			out = append(out, reel.Op{SetTrack: &reel.SetTrack{ID: o.SetTrack.Id, Label: &o.SetTrack.Label, Off: &o.SetTrack.Off}})
		case o.RemoveTrack != nil:
			out = append(out, reel.Op{RemoveTrack: &reel.RemoveTrack{ID: o.RemoveTrack.Id}})
		case o.SetRoute != nil:
			op := reel.SetSends{From: o.SetRoute.Track}
			if rt := o.SetRoute.Route; rt != nil {
				op.Sends = weave.Route{Stem: rt.Stem, GainDB: rt.GainDb, Position: weave.Preset(rt.Position)}.Sends()
			}
			out = append(out, reel.Op{SetSends: &op})
		case o.SetOutputs != nil:
			op := reel.SetOutputs{}
			for _, c := range o.SetOutputs.Outputs {
				op.Outputs = append(op.Outputs, weave.Output{Name: c.Name, Bus: c.Stem, Channel: c.Channel})
			}
			out = append(out, reel.Op{SetOutputs: &op})
		case o.SetPlaced != nil:
			out = append(out, reel.Op{SetPlaced: &reel.SetPlaced{Track: o.SetPlaced.Track, ID: o.SetPlaced.Id, Placed: o.SetPlaced.Placed}})
		case o.SetStart != nil:
			out = append(out, reel.Op{SetStart: &reel.SetStart{Start: o.SetStart.Start}})
		}
	}
	return out
}

// EditReel implements contract.StrictServerInterface.
func (s *server) EditReel(ctx context.Context, r contract.EditReelRequestObject) (contract.EditReelResponseObject, error) {
	v, stale, err := s.edited(ctx)(s.app.EditReel(ctx, r.Reel, r.Body.Version, r.Body.What, ops(r.Body.Ops)))
	if stale {
		return contract.EditReel409ApplicationProblemPlusJSONResponse(reelConflict(v)), nil
	}
	return contract.EditReel200JSONResponse(v), err
}

func reelConflict(now contract.Reel) contract.ReelConflict {
	return contract.ReelConflict{Title: http.StatusText(http.StatusConflict), Status: http.StatusConflict, Code: "stale", Current: now,
		Detail: "somebody else has changed the reel meanwhile: look, and do it again"}
}

// SetWidth implements contract.StrictServerInterface.
func (s *server) SetWidth(ctx context.Context, r contract.SetWidthRequestObject) (contract.SetWidthResponseObject, error) {
	v, stale, err := s.edited(ctx)(s.app.SetWidth(ctx, r.Reel, r.Body.Version, r.Body.Outputs))
	if stale {
		return contract.SetWidth409ApplicationProblemPlusJSONResponse(reelConflict(v)), nil
	}
	return contract.SetWidth200JSONResponse(v), err
}

// LayTake implements contract.StrictServerInterface.
func (s *server) LayTake(ctx context.Context, r contract.LayTakeRequestObject) (contract.LayTakeResponseObject, error) {
	v, _, err := s.edited(ctx)(s.app.LayTakes(ctx, r.Reel, r.Body.Takes))
	return contract.LayTake200JSONResponse(v), err
}

// edited shows the outcome of an edit.
func (s *server) edited(ctx context.Context) func(store.Reel, error) (contract.Reel, bool, error) {
	return func(row store.Reel, err error) (contract.Reel, bool, error) {
		stale := errors.Is(err, app.ErrStale)
		if err != nil && !stale {
			return contract.Reel{}, false, err
		}
		v, err := s.reel(ctx, row)
		return v, stale && err == nil, err
	}
}
