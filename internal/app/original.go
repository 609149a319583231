package app

import (
	"context"
	"errors"
	"iter"
	"path/filepath"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

var errNoShelf = snag.Refuse("no_shelf", "the server was started without the shelf this file lies on: start it with --shelf DIR and try again")

// original is where a file's original lies. One that was taken in in place must still have the size and time that it had
// then; whether it has the contents is told as it is read (known).
func (a *App) original(f store.File) (string, error) {
	if f.Origin == "linked" {
		return a.linked(f.SourcePath, f.Size, f.Modified)
	}
	return a.Media.Path(f.Path), nil
}

func (a *App) linked(path string, size, modified int64) (string, error) {
	if a.Shelf == nil {
		return "", errNoShelf
	}
	return a.Shelf.Linked(path, size, modified)
}

// soundOf is the file that a strand's sound is read from.
func (a *App) soundOf(s store.Strand) (string, error) {
	if s.Linked != "" {
		return a.linked(s.Linked, s.FileSize, s.FileModified)
	}
	return a.Media.Path(s.FilePath), nil
}

// sourceOf is where a strand's sound is, what is known of it, and what is done to it.
func (a *App) sourceOf(ctx context.Context, s store.Strand) (mix.Source, error) {
	path, err := a.soundOf(s)
	if err != nil {
		return mix.Source{}, err
	}
	known, err := a.known(ctx, s.FileName, s.SoundHash)
	return mix.Source{Path: path, Channel: s.Channel - 1, Treat: s.Treat, Drift: s.Drift, Known: known}, err
}

// Sound is named by a strand's id, or, for the two sides of a mid-side pair, by the ids of both:
// mid+side for the left, mid~side for the right.
const (
	sumOf        = "+"
	differenceOf = "~"
)

// SoundName is the name under which what a clip plays can be heard and drawn: that of its strand or of a side of its
// pair; of a clip of more strands that of its first.
func SoundName(c reel.Clip) string {
	if m := c.Patch.Matrix; len(c.Strands) == 2 && len(m) == 1 && m[0][0] == 1 && (m[0][1] == 1 || m[0][1] == -1) {
		return c.Strands[0] + map[float64]string{1: sumOf, -1: differenceOf}[m[0][1]] + c.Strands[1]
	}
	return c.Strands[0]
}

// strandIDs takes a name of sound apart. sign is 0 for a strand by itself.
func strandIDs(name string) (mid, side uuid.UUID, sign float64, err error) {
	a, b, found := strings.Cut(name, sumOf)
	if sign = 1; !found {
		if a, b, found = strings.Cut(name, differenceOf); found {
			sign = -1
		}
	}
	if mid, err = uuid.Parse(a); err == nil && found {
		side, err = uuid.Parse(b)
		return mid, side, sign, err
	}
	return mid, side, 0, err
}

// strandsOf are the strands that a reel plays; a name that is none is refused.
func strandsOf(r reel.Reel) (ids []uuid.UUID, err error) {
	for name := range r.Strands() {
		id, err := uuid.Parse(name)
		if err != nil {
			return nil, noStrand(name)
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// namedStrands are those of some names that are names of strands.
func namedStrands(names iter.Seq[string]) (ids []uuid.UUID) {
	for name := range names {
		if id, err := uuid.Parse(name); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}

// sound finds what a name of sound stands for; the strand is the first that it names.
func (a *App) sound(ctx context.Context, name string) ([]mix.Part, store.Strand, error) {
	mid, side, sign, err := strandIDs(name)
	if err != nil {
		return nil, store.Strand{}, noStrand(name)
	}
	src, s, err := a.strand(ctx, mid)
	if err != nil {
		return nil, s, err
	}
	parts := []mix.Part{{Source: src, Factor: 1}}
	if sign != 0 {
		if src, _, err = a.strand(ctx, side); err != nil {
			return nil, s, err
		}
		parts = append(parts, mix.Part{Source: src, Factor: sign})
	}
	return parts, s, nil
}

func noStrand(name string) error {
	return snag.Refuse("no_such_strand", "the strand %q is not here, or not any more", name)
}

// strand finds a strand and its sound.
func (a *App) strand(ctx context.Context, id uuid.UUID) (mix.Source, store.Strand, error) {
	s, err := a.Store.Strand(ctx, id)
	if errors.Is(err, ErrNotFound) {
		err = noStrand(id.String())
	}
	if err != nil {
		return mix.Source{}, s, err
	}
	src, err := a.sourceOf(ctx, s)
	return src, s, err
}

// sources finds the files of the strands of a reel.
func (a *App) sources(ctx context.Context) mix.Sources {
	return func(name string) (mix.Source, error) {
		id, err := uuid.Parse(name)
		if err != nil {
			return mix.Source{}, noStrand(name)
		}
		src, _, err := a.strand(ctx, id)
		return src, err
	}
}

// LookForLost looks whether the originals that were taken in in place are still there as they were,
// and records it where that has changed.
func (a *App) LookForLost(ctx context.Context) error {
	if a.Shelf == nil {
		return nil
	}
	fs, err := a.Store.LinkedFiles(ctx)
	if err != nil {
		return err
	}
	for _, f := range fs {
		_, err := a.linked(f.SourcePath, f.Size, f.Modified)
		if err == nil && f.Lost != nil && f.Lost.Code == "source_changed" {
			continue // its contents are: it looks as it did, and is not
		}
		if err := a.setLost(ctx, store.File{ID: f.ID, ProductionID: f.ProductionID, Lost: f.Lost}, err); err != nil {
			return err
		}
	}
	return nil
}

// amiss is an error as what is kept of it; nil for none.
func amiss(why error) *snag.Snag {
	if why == nil {
		return nil
	}
	r := snag.Of(why)
	return &snag.Snag{Code: r.Code, Message: r.Message}
}

func sameSnag(a, b *snag.Snag) bool {
	return (a == nil) == (b == nil) && (a == nil || *a == *b)
}

// setLost records why a file can't be used now, nil where it can, and tells browsers where that has changed.
func (a *App) setLost(ctx context.Context, f store.File, why error) error {
	lost := amiss(why)
	if sameSnag(lost, f.Lost) {
		return nil
	}
	if err := a.Store.SetLost(ctx, f.ID, lost); err != nil {
		return err
	}
	return publish(ctx, a.Store.Queries, Event{Production: f.ProductionID, Kind: "files", ID: f.ID.String()})
}

// listedPath is how hash lists name a file.
func listedPath(f store.File) string {
	if f.SourcePath != "" {
		return filepath.ToSlash(f.SourcePath)
	}
	return f.Name
}
