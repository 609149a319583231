package app

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// regrouping puts files into takes. Takes are those that must be there, as they are to be.
type regrouping struct {
	Files []placed     `json:"files"`
	Takes []store.Take `json:"takes"`
}

type placed struct {
	File   uuid.UUID `json:"file"`
	Take   uuid.UUID `json:"take"`
	Pinned bool      `json:"pinned"`
	Alone  bool      `json:"alone"`
}

// MoveFile puts a mono file into a take, or, without one, into a take of its own.
func (a *App) MoveFile(ctx context.Context, id uuid.UUID, to *uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		f, err := tx.File(ctx, id)
		if err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, f.ProductionID); err != nil {
			return err
		}
		strands, err := tx.StrandsOfFiles(ctx, []uuid.UUID{id})
		if err != nil {
			return err
		}
		if len(strands) != 1 {
			return snag.Refuse("not_mono", "%s is not a mono file in a take: only those are moved between takes", f.Name)
		}
		from, err := tx.Take(ctx, strands[0].TakeID)
		if err != nil {
			return err
		}
		if used, err := tx.StrandsInReels(ctx, f.ProductionID); err != nil {
			return err
		} else if used[strands[0].ID.String()] {
			return snag.Refuse("in_use", "%s is in the reel: take its clips out first", f.Name)
		}
		p := regrouping{}
		var what string
		if to == nil {
			files, err := tx.FilesOfTakes(ctx, []uuid.UUID{from.ID})
			if err != nil {
				return err
			}
			if len(files) == 1 {
				return snag.Refuse("alone_already", "%s is a take by itself already", f.Name)
			}
			own := store.Take{ID: store.NewID(), ProductionID: f.ProductionID, Scene: from.Scene, Take: from.Take, SceneWas: from.SceneWas, TakeWas: from.TakeWas, Roll: from.Roll, Recorder: from.Recorder, Day: from.Day, SampleRate: f.Facts.SampleRate}
			own.Name = take.NameOf(own.Scene, own.Take, f.Name)
			p.Takes = []store.Take{own}
			p.Files = []placed{{f.ID, own.ID, true, true}}
			what = fmt.Sprintf("split %s off %s", f.Name, from.Name)
		} else {
			t, err := tx.Take(ctx, *to)
			if err == nil && t.ProductionID != f.ProductionID {
				err = ErrNotFound
			}
			if err != nil {
				return err
			}
			if t.SampleRate != f.Facts.SampleRate {
				return snag.Refuse("rate_differs", "%s is at %d Hz and %s at %d Hz: they can't be one take", f.Name, f.Facts.SampleRate, t.Name, t.SampleRate)
			}
			files, err := tx.FilesOfTakes(ctx, []uuid.UUID{t.ID})
			if err != nil {
				return err
			}
			for _, o := range files {
				if o.Facts.Channels != 1 {
					return snag.Refuse("not_mono", "%s is a recording of %d channels, not a set of mono files", t.Name, o.Facts.Channels)
				}
				p.Files = append(p.Files, placed{o.ID, t.ID, true, false}) // now put together by hand
			}
			p.Files = append(p.Files, placed{f.ID, t.ID, true, false})
			what = fmt.Sprintf("move %s to %s", f.Name, t.Name)
		}
		return a.edit(ctx, tx, f.ProductionID, what, change{Regroup: &p})
	})
}

// putFiles carries a placing out and returns the one that takes it back.
func (a *App) putFiles(ctx context.Context, tx store.Tx, p regrouping) (*regrouping, error) {
	inverse := &regrouping{}
	touched := map[uuid.UUID]bool{}
	for _, m := range p.Files {
		f, err := tx.File(ctx, m.File)
		if err != nil {
			return nil, err
		}
		strands, err := tx.StrandsOfFiles(ctx, []uuid.UUID{f.ID})
		if err != nil {
			return nil, err
		}
		if len(strands) == 0 {
			return nil, ErrNotFound
		}
		touched[strands[0].TakeID] = true
		inverse.Files = append(inverse.Files, placed{f.ID, strands[0].TakeID, f.Pinned, f.Alone})
	}
	for id := range touched {
		t, err := tx.Take(ctx, id)
		if err != nil {
			return nil, err
		}
		inverse.Takes = append(inverse.Takes, t)
	}
	for _, t := range p.Takes {
		if err := tx.SaveTake(ctx, t); err != nil {
			return nil, err
		}
	}
	for _, m := range p.Files {
		touched[m.Take] = true
		if err := tx.PinFile(ctx, m.File, m.Pinned, m.Alone); err != nil {
			return nil, err
		}
		strands, err := tx.StrandsOfFiles(ctx, []uuid.UUID{m.File})
		if err != nil {
			return nil, err
		}
		for _, s := range strands {
			if err := tx.PlaceStrand(ctx, s.ID, m.Take, 1000+s.Position); err != nil {
				return nil, err
			}
		}
	}
	var ids []uuid.UUID
	for id := range touched {
		ids = append(ids, id)
	}
	if err := tx.DeleteEmptyTakes(ctx, ids); err != nil {
		return nil, err
	}
	return inverse, a.redescribe(ctx, tx, ids)
}

// redescribe says anew what takes are that were put together by hand.
func (a *App) redescribe(ctx context.Context, tx store.Tx, ids []uuid.UUID) error {
	for _, id := range ids {
		files, err := tx.FilesOfTakes(ctx, []uuid.UUID{id})
		if err != nil {
			return err
		}
		if len(files) == 0 {
			continue
		}
		t, err := tx.Take(ctx, id)
		if err != nil {
			return err
		}
		byKey := map[string]store.File{}
		var fids []uuid.UUID
		var in []take.File
		pinned := slices.ContainsFunc(files, func(f store.File) bool { return f.Pinned })
		for _, f := range files {
			byKey[f.ID.String()] = f
			fids = append(fids, f.ID)
			tf := takeFile(f, &t)
			if pinned {
				tf.Pin = t.ID.String()
			}
			in = append(in, tf)
		}
		strands, err := tx.StrandsOfFiles(ctx, fids)
		if err != nil {
			return err
		}
		groups := take.Groups(in)
		slices.SortStableFunc(groups, func(x, y take.Group) int { return len(y.Members) - len(x.Members) })
		describe(&t, groups[0])
		if err := tx.SaveTake(ctx, t); err != nil {
			return err
		}
		if err := a.fill(ctx, tx, t, groups[0], byKey, strands); err != nil {
			return err
		}
	}
	return nil
}
