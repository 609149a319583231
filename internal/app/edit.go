package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// change is something that was done or undone, as it is kept in the log of edits.
type change struct {
	Label *labelChange `json:"label,omitempty"`
	Reel  *reelChange  `json:"reel,omitempty"`
}

type labelChange struct {
	Strand uuid.UUID `json:"strand"`
	Label  string    `json:"label"`
	Source string    `json:"source"`
}

type reelChange struct {
	Reel uuid.UUID `json:"reel"`
	Ops  []reel.Op `json:"ops"`
}

// do carries out a change and returns the one that takes it back.
func (a *App) do(ctx context.Context, tx store.Tx, c change) (change, error) {
	switch {
	case c.Label != nil:
		s, err := tx.Strand(ctx, c.Label.Strand)
		if err != nil {
			return change{}, err
		}
		return change{Label: &labelChange{s.ID, s.Label, s.LabelSource}}, tx.LabelStrand(ctx, s.ID, c.Label.Label, c.Label.Source)
	case c.Reel != nil:
		r, err := tx.LockReel(ctx, c.Reel.Reel)
		if err != nil {
			return change{}, err
		}
		doc, inverse, err := reel.Apply(r.Doc, c.Reel.Ops)
		if err != nil {
			return change{}, err
		}
		return change{Reel: &reelChange{r.ID, inverse}}, tx.SaveReel(ctx, r.ID, doc)
	}
	return change{}, errors.New("app: an edit that changes nothing")
}

// Undo takes the last edit of a production back and says in words what it was.
func (a *App) Undo(ctx context.Context, production uuid.UUID) (string, error) {
	return a.step(ctx, production, false)
}

// Redo brings the last undone edit back.
func (a *App) Redo(ctx context.Context, production uuid.UUID) (string, error) {
	return a.step(ctx, production, true)
}

func (a *App) step(ctx context.Context, production uuid.UUID, redo bool) (what string, err error) {
	return what, a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		e, err := tx.LastEdit(ctx, production, redo)
		if errors.Is(err, ErrNotFound) {
			return nil
		}
		if err != nil {
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
		if _, err := a.do(ctx, tx, c); errors.Is(err, ErrNotFound) {
			return snag.Refuse("gone", "%q can't be taken back: what it was about has been removed", e.What)
		} else if err != nil {
			return err
		}
		what = e.What
		if err := tx.MarkEdit(ctx, e.ID, !redo); err != nil {
			return err
		}
		return tell(ctx, tx.Queries, Event{Production: production, Kind: "takes"}, Event{Production: production, Kind: "reel"})
	})
}
