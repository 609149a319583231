package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// change is something that was done or undone, as it is kept in the log of edits.
type change struct {
	Cells   []Cell      `json:"cells,omitempty"`
	Decide  []decision  `json:"decide,omitempty"`
	Regroup *regrouping `json:"place,omitempty"`
	Reel    *reelChange `json:"reel,omitempty"`
	// Reels are changes of further reels, and Naming what one is called.
	Reels  []*reelChange `json:"reels,omitempty"`
	Naming *reelName     `json:"naming,omitempty"`
	Syncs  []syncMove    `json:"syncs,omitempty"`
	Nudge  *nudge        `json:"nudge,omitempty"`
	Clock  *clockSet     `json:"clock,omitempty"`
	// Label is how a typed label was kept before the sheet; logs may still hold it.
	Label *labelChange `json:"label,omitempty"`
}

type labelChange struct {
	Strand uuid.UUID `json:"strand"`
	Label  string    `json:"label"`
}

// nudge is how far a pair is moved by hand.
type nudge struct {
	Sync    uuid.UUID `json:"sync"`
	Samples int64     `json:"samples"`
}

// clockSet is by how much a camera's clock was behind on a day: 0 for not.
type clockSet struct {
	Camera string `json:"camera"`
	Day    string `json:"day"`
	Late   int64  `json:"late"` // samples
	Rate   int    `json:"rate"` // of this rate in Hz
}

// decision is what was decided about a suggestion.
type decision struct {
	Suggestion uuid.UUID `json:"suggestion"`
	State      string    `json:"state"`
}

type reelChange struct {
	Reel uuid.UUID `json:"reel"`
	Ops  []reel.Op `json:"ops"`
	// locked is the reel, where it has been read under its lock already: it is then what it becomes. after and back are
	// then what the operations make of it and what undoes them.
	locked     *store.Reel
	after      reel.Reel
	back       []reel.Op
	production *store.Production // where that has been read
}

// do carries out a change and returns the one that takes it back.
func (a *App) do(ctx context.Context, tx store.Tx, production uuid.UUID, c change) (inverse change, err error) {
	if c.Label != nil {
		v, err := json.Marshal(c.Label.Label)
		if err != nil {
			return inverse, err
		}
		c.Cells = append(c.Cells, Cell{Row: c.Label.Strand, Field: "label", Value: v})
	}
	if len(c.Cells) == 0 && len(c.Decide) == 0 && c.Regroup == nil && c.Reel == nil && c.Reels == nil && c.Naming == nil && len(c.Syncs) == 0 && c.Nudge == nil && c.Clock == nil {
		return inverse, errors.New("app: an edit that changes nothing")
	}
	if c.Cells != nil {
		if inverse.Cells, err = a.putCells(ctx, tx, production, c.Cells); err != nil {
			return inverse, err
		}
	}
	for _, d := range c.Decide {
		was, err := tx.SuggestionsByID(ctx, production, []uuid.UUID{d.Suggestion})
		if err != nil {
			return inverse, err
		}
		if len(was) == 0 {
			continue // worked out anew meanwhile: there is nothing to decide about
		}
		inverse.Decide = append(inverse.Decide, decision{d.Suggestion, was[0].State})
		if err := tx.MoveSuggestion(ctx, d.Suggestion, d.State); err != nil {
			return inverse, err
		}
	}
	for _, m := range c.Syncs {
		was, err := tx.Sync(ctx, m.Sync)
		if errors.Is(err, ErrNotFound) {
			continue
		}
		if err != nil {
			return inverse, err
		}
		inverse.Syncs = append(inverse.Syncs, syncMove{m.Sync, was.State})
		if err := tx.MoveSync(ctx, m.Sync, m.State); err != nil {
			return inverse, err
		}
	}
	if c.Nudge != nil {
		was, err := tx.Sync(ctx, c.Nudge.Sync)
		if err != nil {
			return inverse, err
		}
		inverse.Nudge = &nudge{was.ID, was.Nudge}
		if err := tx.NudgeSync(ctx, was.ID, c.Nudge.Samples); err != nil {
			return inverse, err
		}
	}
	if c.Clock != nil {
		if inverse.Clock, err = setClock(ctx, tx, production, *c.Clock); err != nil {
			return inverse, err
		}
	}
	if c.Regroup != nil {
		if inverse.Regroup, err = a.putFiles(ctx, tx, *c.Regroup); err != nil {
			return inverse, err
		}
	}
	if c.Naming != nil {
		was, err := c.Naming.apply(ctx, tx)
		if err != nil {
			return inverse, err
		}
		inverse.Naming = &was
	}
	if err := a.resuggest(ctx, tx, c.Cells, inverse.Cells); err != nil {
		return inverse, err
	}
	for _, rc := range c.reels() {
		if err := rc.prepare(ctx, tx); err != nil {
			return inverse, err
		}
		inverse.Reels = append(inverse.Reels, &reelChange{Reel: rc.Reel, Ops: rc.back})
		if err := rc.save(ctx, tx); err != nil {
			return inverse, err
		}
	}
	return inverse, nil
}

// reels are the changes of reels.
func (c change) reels() []*reelChange {
	if c.Reel == nil {
		return c.Reels
	}
	return append([]*reelChange{c.Reel}, c.Reels...)
}

// prepare reads the reel under its lock and works out what becomes of it, where that has not been done.
func (c *reelChange) prepare(ctx context.Context, tx store.Tx) error {
	if c.locked != nil {
		return nil
	}
	r, err := tx.LockReel(ctx, c.Reel)
	if err != nil {
		return err
	}
	c.locked = &r
	c.after, c.back, err = reel.Apply(r.Doc, c.Ops)
	return err
}

// save stores what has been prepared.
func (c *reelChange) save(ctx context.Context, tx store.Tx) error {
	if c.production == nil {
		p, err := tx.Production(ctx, c.locked.ProductionID)
		if err != nil {
			return err
		}
		c.production = &p
	}
	snags, err := reelSnagsIn(ctx, tx.Queries, *c.production, *c.locked, c.after)
	if err != nil {
		return err
	}
	if err := picturesThere(ctx, tx, c.locked.ProductionID, c.Ops); err != nil {
		return err
	}
	what := reel.Touched(slices.Concat(c.Ops, c.back))
	*c.locked, err = tx.SaveReel(ctx, *c.locked, c.after, store.ReelStep{Session: Session(ctx), Ops: c.Ops, Touched: what}, snags)
	return err
}

// setClock sets a clock and returns what takes that back.
func setClock(ctx context.Context, tx store.Tx, production uuid.UUID, c clockSet) (*clockSet, error) {
	all, err := tx.Clocks(ctx, production)
	if err != nil {
		return nil, err
	}
	back := clockSet{Camera: c.Camera, Day: c.Day, Rate: c.Rate}
	for _, o := range all {
		if o.Camera == c.Camera && o.Day == c.Day {
			back.Late, back.Rate = o.Late, o.Rate
		}
	}
	return &back, tx.SetClock(ctx, store.Clock{ProductionID: production, Camera: c.Camera, Day: c.Day, Late: c.Late, Rate: c.Rate})
}

// Undo takes the last edit that a session has made of the sheet (UndoSheet) or of a reel (its ID) back, or of anything where
// nothing is said, and says in words what it was.
func (a *App) Undo(ctx context.Context, production uuid.UUID, of string) (string, error) {
	return a.step(ctx, production, of, false)
}

// Redo does the edit again that a session has undone last, as Undo.
func (a *App) Redo(ctx context.Context, production uuid.UUID, of string) (string, error) {
	return a.step(ctx, production, of, true)
}

// Edits lists what was done to the sheet or a reel, as Undo, the last first.
func (a *App) Edits(ctx context.Context, production uuid.UUID, of string, limit int) ([]store.LoggedEdit, error) {
	return a.Store.EditsLogged(ctx, production, Session(ctx), areasOf(of), limit)
}

func (a *App) step(ctx context.Context, production uuid.UUID, of string, redo bool) (what string, err error) {
	return what, a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		e, err := tx.LastEdit(ctx, production, Session(ctx), areasOf(of), redo)
		if errors.Is(err, ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := mayStep(ctx, tx, production, e, areasOf(of)); err != nil {
			return err
		}
		raw := e.Inverse
		if redo {
			raw = e.Forward
		}
		var c change
		if err := json.Unmarshal(raw, &c); err != nil {
			return fmt.Errorf("edit %d is not understood: %w", e.ID, err)
		}
		if _, err := a.do(ctx, tx, production, c); errors.Is(err, ErrNotFound) {
			return snag.Refuse("gone", "%q can't be taken back: what it was about has been removed", e.What)
		} else if err != nil {
			return err
		}
		what = e.What
		if err := tx.MarkEdit(ctx, e.ID, !redo); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: production, Kind: "takes"}, Event{Production: production, Kind: "reel"}, Event{Production: production, Kind: "syncs"})
	})
}
