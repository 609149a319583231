package app

import (
	"context"
	"errors"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// takeFile is a file as far as grouping goes.
func takeFile(f store.File) take.File {
	return take.File{Key: f.ID.String(), Name: f.Name, Channels: f.Facts.Channels, SampleRate: f.Facts.SampleRate, Frames: f.Facts.Frames, Facts: f.Facts.Facts}
}

// intoTake puts a file's channels into the take of its set where there is one, else into a take of
// their own.
func (a *App) intoTake(ctx context.Context, tx store.Tx, f store.File) error {
	tf := takeFile(f)
	key, isSet := take.SetKey(tf)
	var stranger *snag.Snag
	if isSet {
		t, err := tx.TakeOfSet(ctx, f.ProductionID, key)
		switch {
		case err == nil:
			members, err := tx.FilesOfTakes(ctx, []uuid.UUID{t.ID})
			if err != nil {
				return err
			}
			if stranger = take.Fits(tf, takeFile(members[0])); stranger == nil {
				if err := a.addStrands(ctx, tx, t.ID, f, len(members)); err != nil {
					return err
				}
				return a.resort(ctx, tx, t.ID)
			}
			key = "" // it is no set's
		case !errors.Is(err, ErrNotFound):
			return err
		}
	}
	facts := f.Facts.Facts
	t := store.Take{
		ID: store.NewID(), ProductionID: f.ProductionID, SetKey: key, Name: takeName(f), Scene: facts.Scene, Take: facts.Take,
		Roll: facts.Roll, Note: facts.Note, Circled: facts.Circled, WildTrack: facts.WildTrack, NoGood: facts.NoGood,
		SampleRate: f.Facts.SampleRate, Frames: f.Facts.Frames, Snags: []snag.Snag{},
	}
	if facts.Start >= 0 {
		t.StartSamples = &facts.Start
	}
	if stranger != nil {
		t.Snags = append(t.Snags, *stranger)
	} else if isSet {
		t.Snags = append(t.Snags, take.Missing([]take.File{tf})...)
	}
	if err := tx.InsertTake(ctx, t); err != nil {
		return err
	}
	return a.addStrands(ctx, tx, t.ID, f, 0)
}

func takeName(f store.File) string {
	facts := f.Facts.Facts
	switch {
	case facts.Scene != "" && facts.Take != "":
		return facts.Scene + "-" + facts.Take
	case facts.Scene != "":
		return facts.Scene
	}
	return strings.TrimSuffix(f.Name, filepath.Ext(f.Name))
}

func (a *App) addStrands(ctx context.Context, tx store.Tx, id uuid.UUID, f store.File, after int) error {
	for c, t := range f.Facts.Facts.Tracks {
		s := store.Strand{
			ID: store.NewID(), TakeID: id, FileID: f.ID, Channel: c + 1, Position: after + c + 1, Label: t.Label, LabelSource: t.LabelSource,
			Peak: f.Facts.Levels[c].Peak, RMS: f.Facts.Levels[c].RMS,
		}
		if t.RecorderTrack > 0 {
			s.RecorderTrack = &t.RecorderTrack
		}
		if err := tx.InsertStrand(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// resort puts the strands of a mono set in order and says anew how long it is and what it lacks.
func (a *App) resort(ctx context.Context, tx store.Tx, id uuid.UUID) error {
	files, err := tx.FilesOfTakes(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	strands, err := tx.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	members := make([]take.File, len(files))
	frames := int64(math.MaxInt64)
	for i, f := range files {
		members[i] = takeFile(f)
		frames = min(frames, f.Facts.Frames)
	}
	take.Sort(members)
	for _, s := range strands {
		at := slices.IndexFunc(members, func(m take.File) bool { return m.Key == s.FileID.String() })
		if err := tx.PlaceStrand(ctx, s.ID, at+1); err != nil {
			return err
		}
	}
	return tx.UpdateTakeSet(ctx, id, frames, append([]snag.Snag{}, take.Missing(members)...))
}

// resortTakes does so for the sets that some removed strands belonged to, where any of them is left.
func (a *App) resortTakes(ctx context.Context, tx store.Tx, removed []store.Strand) error {
	for _, s := range removed {
		t, err := tx.Take(ctx, s.TakeID)
		if errors.Is(err, ErrNotFound) {
			continue
		}
		if err == nil && t.SetKey != "" {
			err = a.resort(ctx, tx, t.ID)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// LabelStrand gives a strand a label. was is the label the person saw; another one means that
// somebody else has typed meanwhile.
func (a *App) LabelStrand(ctx context.Context, id uuid.UUID, label, was string) (store.Take, error) {
	label = strings.TrimSpace(label)
	var t store.Take
	return t, a.Store.InTx(ctx, func(tx store.Tx) error {
		s, err := tx.Strand(ctx, id)
		if err != nil {
			return err
		}
		if t, err = tx.Take(ctx, s.TakeID); err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, t.ProductionID); err != nil {
			return err
		}
		if s, err = tx.Strand(ctx, id); err != nil {
			return err
		}
		if s.Label != was {
			return snag.Refuse("stale", "strand %d of %s is labelled %q by now, not %q: look at it and type again", s.Position, t.Name, s.Label, was)
		}
		if label == s.Label {
			return nil
		}
		source := "typed"
		if label == "" {
			source = ""
		}
		forward := change{Label: &labelChange{id, label, source}}
		inverse := change{Label: &labelChange{id, s.Label, s.LabelSource}}
		if _, err := a.do(ctx, tx, forward); err != nil {
			return err
		}
		what := fmt.Sprintf("label strand %d of %s %q", s.Position, t.Name, label)
		if err := tx.LogEdit(ctx, t.ProductionID, what, forward, inverse); err != nil {
			return err
		}
		return tell(ctx, tx.Queries, Event{Production: t.ProductionID, Kind: "takes", ID: t.ID.String()})
	})
}
