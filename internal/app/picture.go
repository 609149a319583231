package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// Seeable is a file with a picture that can be laid in a reel.
type Seeable struct {
	File uuid.UUID
	Name string
	// Start is where it lies by the clock of its take, in samples since midnight of the production's rate; nil where
	// nothing says so.
	Start  *int64
	Length int64 // samples of the production's rate
	Stills bool  // a small picture could be made of it
}

// Seeables lists the files of a reel's production that have pictures, in the order they arrived, and that production.
func (a *App) Seeables(ctx context.Context, reelID uuid.UUID) ([]Seeable, store.Production, error) {
	var p store.Production
	r, err := a.Store.Reel(ctx, reelID)
	if err != nil {
		return nil, p, err
	}
	if p, err = a.Store.Production(ctx, r.ProductionID); err != nil {
		return nil, p, err
	}
	files, err := a.Store.FilesWithPicture(ctx, p.ID)
	if err != nil {
		return nil, p, err
	}
	var takes []uuid.UUID
	for _, f := range files {
		takes = append(takes, f.Take)
	}
	rows, err := a.Store.TakesByID(ctx, takes)
	if err != nil {
		return nil, p, err
	}
	var out []Seeable
	for _, f := range files {
		if f.Facts == nil || f.Facts.Picture == nil {
			continue
		}
		s := Seeable{File: f.ID, Name: f.Name, Length: f.Facts.Picture.Samples(p.SampleRate), Stills: f.Facts.Strip != nil}
		if i := slices.IndexFunc(rows, func(t store.Take) bool { return t.ID == f.Take }); i >= 0 {
			k, err := clockOf(rows[i], p)
			if err != nil {
				return nil, p, err
			}
			if at := k.Start(rows[i].StartSamples); at >= 0 {
				at = reel.DayOf(r.Doc, at, r.Doc.Counted(p.Rate()).DaySamples(p.SampleRate))
				s.Start = &at
			}
		}
		out = append(out, s)
	}
	return out, p, nil
}

// picturesThere refuses operations that lay pictures of files that a production does not have.
func picturesThere(ctx context.Context, tx store.Tx, production uuid.UUID, ops []reel.Op) error {
	names := map[uuid.UUID]string{}
	for _, o := range ops {
		if o.SetPictures == nil {
			continue
		}
		for _, p := range o.SetPictures.Put {
			id, err := uuid.Parse(p.File)
			if err != nil {
				return noPicture(p.Name)
			}
			names[id] = p.Name
		}
	}
	if len(names) == 0 {
		return nil
	}
	files, err := tx.FilesWithPicture(ctx, production)
	if err != nil {
		return err
	}
	for _, f := range files {
		delete(names, f.ID)
	}
	for _, name := range names {
		return noPicture(name)
	}
	return nil
}

func noPicture(name string) error {
	return snag.Refuse("no_such_picture", "%s is no file with a picture of this production, or has been removed: take it in first", name)
}

// picturesOf are the operations that would lay what is seen in a reel.
func picturesOf(r reel.Reel) []reel.Op {
	return []reel.Op{{SetPictures: &reel.SetPictures{Put: r.Pictures}}}
}

// notSeen refuses to let go of a file whose picture is laid.
func notSeen(ctx context.Context, tx store.Tx, f store.File) error {
	if !hasPicture(f) {
		return nil
	}
	reels, err := tx.Reels(ctx, f.ProductionID)
	if err != nil {
		return err
	}
	for _, r := range reels {
		if slices.ContainsFunc(r.Doc.Pictures, func(p reel.Picture) bool { return p.File == f.ID.String() }) {
			return snag.Refuse("in_use", "%s is the picture of %s: take it out of the reel first", f.Name, r.Name)
		}
	}
	return nil
}
