package app

import (
	"context"
	"errors"
	"path/filepath"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/render"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

var errNoShelf = snag.Refuse("no_shelf", "the server was started without the shelf this file lies on: start it with --shelf DIR and try again")

// original is where a file's original lies. One that was taken in in place must still be the one that
// was read then.
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

// placeOf is where a strand's sound is and what is done to it.
func (a *App) placeOf(s store.Strand) (render.Place, error) {
	path, err := a.soundOf(s)
	return render.Place{Path: path, Channel: s.Channel - 1, Treat: s.Treat, Drift: s.Drift}, err
}

// Sound is named by a strand's id, or, for the two sides of a mid-side pair, by the ids of both:
// mid+side for the left, mid~side for the right.
const (
	sumOf        = "+"
	differenceOf = "~"
)

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

// sound finds what a name of sound stands for; the strand is the first that it names.
func (a *App) sound(ctx context.Context, name string) (render.Place, store.Strand, error) {
	missing := snag.Refuse("no_such_strand", "the strand %q is not here, or not any more", name)
	mid, side, sign, err := strandIDs(name)
	if err != nil {
		return render.Place{}, store.Strand{}, missing
	}
	s, err := a.Store.Strand(ctx, mid)
	if errors.Is(err, ErrNotFound) {
		err = missing
	}
	if err != nil {
		return render.Place{}, s, err
	}
	p, err := a.placeOf(s)
	if err != nil || sign == 0 {
		return p, s, err
	}
	with, _, err := a.sound(ctx, side.String())
	p.With, p.Sign = &with, sign
	return p, s, err
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
		var lost *snag.Snag
		if _, err := a.original(f); err != nil {
			r := snag.Of(err)
			lost = &snag.Snag{Code: r.Code, Message: r.Message}
		}
		if (lost == nil) == (f.Lost == nil) && (lost == nil || *lost == *f.Lost) {
			continue
		}
		if err := a.Store.SetLost(ctx, f.ID, lost); err != nil {
			return err
		}
		if err := tell(ctx, a.Store.Queries, Event{Production: f.ProductionID, Kind: "files", ID: f.ID.String()}, Event{Production: f.ProductionID, Kind: "takes"}); err != nil {
			return err
		}
	}
	return nil
}

// listedPath is how hash lists name a file.
func listedPath(f store.File) string {
	if f.SourcePath != "" {
		return filepath.ToSlash(f.SourcePath)
	}
	return f.Name
}
