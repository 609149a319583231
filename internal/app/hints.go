package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// HintRow is one line of what accepting suggestions does, or leaves as it is.
type HintRow struct {
	Take     string // its name
	TakeID   uuid.UUID
	Position int // of the strand, or of the first of those that are read together
	take.Outcome
}

// DecideSuggestions accepts or refuses suggestions: one edit, undone as one. It says row by row what accepting changes; what a
// person has typed stays. A preview changes nothing.
func (a *App) DecideSuggestions(ctx context.Context, production uuid.UUID, ids []uuid.UUID, accept, preview bool) (rows []HintRow, err error) {
	return rows, a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		list, err := tx.SuggestionsByID(ctx, production, ids)
		if err != nil {
			return err
		}
		if len(list) != len(ids) {
			return ErrNotFound
		}
		for _, s := range list {
			if s.State != "open" {
				return &Stale{fmt.Sprintf("it has been decided already that %s: look again", s.Body.Says), map[string]string{"state": s.State}}
			}
		}
		c := change{}
		verb, state := "refuse", "refused"
		if accept {
			verb, state = "accept", "accepted"
			if rows, err = a.accepted(ctx, tx, list, &c); err != nil {
				return err
			}
		}
		if preview {
			return nil
		}
		for _, s := range list {
			c.Decide = append(c.Decide, decision{s.ID, state})
		}
		what := fmt.Sprintf("%s %d suggestions", verb, len(list))
		if len(list) == 1 {
			what = verb + ": " + list[0].Body.Says
		}
		if c.Reels, err = namesFollow(ctx, tx, production, c.Cells); err != nil {
			return err
		}
		return a.edit(ctx, tx, production, what, c)
	})
}

// accepted adds to a change what accepting suggestions does, and says it row by row.
func (a *App) accepted(ctx context.Context, tx store.Tx, list []store.Suggestion, c *change) (rows []HintRow, err error) {
	var takes []uuid.UUID
	for _, s := range list {
		if !slices.Contains(takes, s.TakeID) {
			takes = append(takes, s.TakeID)
		}
	}
	ts, err := tx.TakesByID(ctx, takes)
	if err != nil {
		return nil, err
	}
	strands, err := tx.Strands(ctx, takes)
	if err != nil {
		return nil, err
	}
	for _, t := range ts {
		var held []take.Held
		at := map[int]uuid.UUID{}
		for _, s := range strands {
			if s.TakeID == t.ID {
				held = append(held, take.Held{Position: s.Position, Label: s.Label, Typed: s.LabelSource == "typed", Off: s.Treat.Off, Invert: s.Treat.Invert, Delay: s.Treat.Delay})
				at[s.Position] = s.ID
			}
		}
		readings := t.Readings
		for _, s := range list {
			if s.TakeID != t.ID {
				continue
			}
			for _, o := range s.Body.Accepted(held) {
				if o.Read != nil && o.Kept == "" && take.Overlap(readings, *o.Read) {
					o.Kept = "these strands are read already"
				}
				rows = append(rows, HintRow{Take: t.Name, TakeID: t.ID, Position: o.Position, Outcome: o})
				if o.Kept != "" {
					continue
				}
				if o.Read != nil {
					readings = append(slices.Clone(readings), *o.Read)
					continue
				}
				values := []value{{o.Field, o.Now}}
				if o.Field == "label" {
					values = append(values, value{"label_source", "hint"})
				}
				cells, err := cellsOf(at[o.Position], values...)
				if err != nil {
					return nil, err
				}
				c.Cells = append(c.Cells, cells...)
			}
		}
		if len(readings) > len(t.Readings) {
			cells, err := cellsOf(t.ID, value{"readings", readings})
			if err != nil {
				return nil, err
			}
			c.Cells = append(c.Cells, cells...)
		}
	}
	return rows, nil
}

// resuggest works out anew what the takes are whose labels or readings an edit has changed, where that can come to something
// else than before. Both are cells: as they are, and as they were.
func (a *App) resuggest(ctx context.Context, tx store.Tx, now, was []Cell) error {
	var strands, takes []uuid.UUID
	for _, c := range slices.Concat(now, was) {
		switch c.Field {
		case "readings", "read_by_hand":
			takes = append(takes, c.Row)
		case "label":
			strands = append(strands, c.Row)
		}
	}
	rows, err := tx.StrandsByID(ctx, strands)
	if err != nil {
		return err
	}
	spoken := map[uuid.UUID]bool{}
	for _, c := range slices.Concat(now, was) {
		var label string
		if c.Field == "label" && json.Unmarshal(c.Value, &label) == nil && take.SaysChannel(label) {
			spoken[c.Row] = true
		}
	}
	var maybe []uuid.UUID
	for _, s := range rows {
		if spoken[s.ID] {
			takes = append(takes, s.TakeID)
		} else {
			maybe = append(maybe, s.TakeID)
		}
	}
	asking, err := tx.Asking(ctx, maybe)
	if err != nil {
		return err
	}
	for _, s := range asking {
		takes = append(takes, s.TakeID)
	}
	slices.SortFunc(takes, func(x, y uuid.UUID) int { return slices.Compare(x[:], y[:]) })
	for _, id := range slices.Compact(takes) {
		if err := a.suggest(ctx, tx, id); err != nil {
			return err
		}
	}
	return nil
}
