package app

import (
	"context"
	"encoding/json"
	"maps"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/edit"
	"zestyloom/core/readiness"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// decided refuses takes of which it is not certain what their channels are: nothing undecided is laid.
func decided(ctx context.Context, tx store.Tx, ts []store.Take) error {
	ids := make([]uuid.UUID, len(ts))
	for i, t := range ts {
		ids[i] = t.ID
	}
	asking, err := tx.Asking(ctx, ids)
	if err != nil || len(asking) == 0 {
		return err
	}
	i := slices.IndexFunc(ts, func(t store.Take) bool { return t.ID == asking[0].TakeID })
	s := readiness.Undecided(asking[0].Body.Says)
	more := ""
	if others := takesOf(asking); others > 1 {
		more = " (and so of further takes that are chosen)"
	}
	return snag.Refuse(s.Code, "%s: %s%s", ts[i].Name, s.Message, more)
}

func takesOf(list []store.Suggestion) int {
	of := map[uuid.UUID]bool{}
	for _, s := range list {
		of[s.TakeID] = true
	}
	return len(of)
}

// namesFollow has the tracks in all reels follow the labels that cells give: those that are called as their strands were, and
// all of whose clips are then called the same. One that was renamed by hand stays.
func namesFollow(ctx context.Context, tx store.Tx, production uuid.UUID, cells []Cell) ([]*reelChange, error) {
	labels := map[uuid.UUID]string{}
	for _, c := range cells {
		var label string
		if c.Field == "label" && json.Unmarshal(c.Value, &label) == nil {
			labels[c.Row] = oneLine(label)
		}
	}
	if len(labels) == 0 {
		return nil, nil
	}
	laid, err := tx.StrandsInReels(ctx, production)
	if err != nil {
		return nil, err
	}
	there := false
	for id := range labels {
		there = there || laid[id.String()]
	}
	if !there {
		return nil, nil
	}
	reels, err := tx.Reels(ctx, production)
	if err != nil {
		return nil, err
	}
	var ids []uuid.UUID
	for name := range laid {
		if id, err := uuid.Parse(name); err == nil {
			ids = append(ids, id)
		}
	}
	was, now, err := trackNames(ctx, tx, production, ids, labels)
	if err != nil {
		return nil, err
	}
	var out []*reelChange
	for _, r := range reels {
		out = append(out, movedBy(r.ID, edit.Renamed(r.Doc, was, now))...)
	}
	return out, nil
}

// DifferingNames are the tracks of a reel that are called otherwise than the strands that they play, and what these are called.
func (a *App) DifferingNames(ctx context.Context, id uuid.UUID) (out map[string]string, err error) {
	return out, a.Store.InTx(ctx, func(tx store.Tx) error {
		r, err := tx.Reel(ctx, id)
		if err != nil {
			return err
		}
		names, _, err := trackNames(ctx, tx, r.ProductionID, namedStrands(maps.Keys(r.Doc.Strands())), nil)
		out = edit.Differing(r.Doc, names)
		return err
	})
}

// trackNames are what the tracks of takes are called that strands are of, by strands, before and after these are labelled
// anew.
func trackNames(ctx context.Context, tx store.Tx, production uuid.UUID, laid []uuid.UUID, labels map[uuid.UUID]string) (was, now map[string]string, err error) {
	p, err := tx.Production(ctx, production)
	if err != nil {
		return nil, nil, err
	}
	rows, err := tx.StrandsByID(ctx, laid)
	if err != nil {
		return nil, nil, err
	}
	var takes []uuid.UUID
	for _, s := range rows {
		if !slices.Contains(takes, s.TakeID) {
			takes = append(takes, s.TakeID)
		}
	}
	ts, err := tx.TakesByID(ctx, takes)
	if err != nil {
		return nil, nil, err
	}
	strands, err := tx.Strands(ctx, takes)
	if err != nil {
		return nil, nil, err
	}
	was, now = map[string]string{}, map[string]string{}
	for _, t := range ts {
		for into, relabelled := range map[*map[string]string]bool{&was: false, &now: true} {
			of := slices.Clone(strands)
			for i, s := range of {
				if label, typed := labels[s.ID]; typed && relabelled {
					of[i].Label = label
				}
			}
			et, err := takeOf(t, of, nil, p)
			if err != nil {
				return nil, nil, err
			}
			for id, name := range et.TrackNames() {
				(*into)[id] = name
			}
		}
	}
	return was, now, nil
}
