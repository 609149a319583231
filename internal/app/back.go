package app

import (
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// Back is how far a delivery is taken back in.
type Back struct {
	Files   int // that are taken in
	Waiting int // of these, still being read
	Reel    *store.Reel
	Says    []string // what can't be as it was
}

// TakeBack takes the files of a proven delivery in, unless they are here, and once all have been read makes a reel of them
// that is laid out as they were sent. It is called until it gives the reel: what is there already is found again.
func (a *App) TakeBack(ctx context.Context, id uuid.UUID) (Back, error) {
	d, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return Back{}, err
	}
	if d.State != order.Proven {
		return Back{}, snag.Refuse("not_proven", "the delivery is %s: files are taken back in once they are proven", d.State)
	}
	files := make([]store.File, len(d.Plan.Files))
	b := Back{}
	for i := range files {
		if len(d.Plan.Files[i].Channels) == 0 {
			continue // a picture alone: there is nothing of it to lay
		}
		b.Files++
		if files[i], err = a.takenBack(ctx, d, i); err != nil {
			return b, err
		}
		switch files[i].State {
		case "ready":
		case "refused":
			return b, snag.Refuse("not_readable", "%s: %s", files[i].Name, files[i].ErrorMessage)
		default:
			b.Waiting++
		}
	}
	if b.Waiting > 0 {
		return b, nil
	}
	return a.layBack(ctx, d, files, b)
}

// takenBack is the file of the production that a delivered one is; it is taken in where there is none.
func (a *App) takenBack(ctx context.Context, d store.Delivery, i int) (store.File, error) {
	planned := d.Plan.Files[i]
	var proof struct {
		hash  string
		bytes int64
	}
	for _, f := range d.Proof.Files {
		if f.Name == planned.Name {
			proof.hash, proof.bytes = f.Hash, f.Bytes
		}
	}
	f, err := a.Store.FileWithHash(ctx, d.ProductionID, proof.hash)
	if err == nil || !errors.Is(err, ErrNotFound) {
		return f, err
	}
	// One that is being read has no hash yet: it is known by where it came from.
	return a.takeOwn(ctx, d.ProductionID, "delivery:"+d.ID.String()+"/"+planned.Name, path.Base(planned.Name), proof.bytes, func() (string, error) {
		g, err := a.deliveredFile(ctx, d, i)
		if err == nil {
			err = g.whole()
		}
		return g.Path, err
	})
}

// takeOwn takes a file in that was made here, unless it is here: it is known by where it came from. where it lies is asked only
// when it is to be taken in.
func (a *App) takeOwn(ctx context.Context, production uuid.UUID, from, name string, bytes int64, where func() (string, error)) (store.File, error) {
	f, err := a.Store.FileFrom(ctx, production, from)
	if err == nil || !errors.Is(err, ErrNotFound) {
		return f, err
	}
	at, err := where()
	if err != nil {
		return f, err
	}
	f = store.File{ID: store.NewID(), ProductionID: production, Name: displayName(name), Size: bytes, Origin: "upload", SourcePath: from, State: "waiting"}
	f.Path = a.Media.OriginalPath(f.ID, f.Name)
	if err := a.Media.Share(at, f.Path); err != nil {
		return f, err
	}
	return f, a.insertFile(ctx, f)
}

// layBack makes a reel of files that have been read.
func (a *App) layBack(ctx context.Context, d store.Delivery, files []store.File, b Back) (Back, error) {
	ids := make([]uuid.UUID, len(files))
	for i, f := range files {
		ids[i] = f.ID
	}
	strands, err := a.Store.StrandsOfFiles(ctx, ids)
	if err != nil {
		return b, err
	}
	of := map[[2]string]string{}
	for _, s := range strands {
		of[[2]string{s.FileID.String(), fmt.Sprint(s.Channel)}] = s.ID.String()
	}
	missing := ""
	doc, says, err := d.Plan.LaidBack(func(file, channel int) string {
		id := of[[2]string{files[file].ID.String(), fmt.Sprint(channel + 1)}]
		if id == "" {
			missing = files[file].Name
		}
		return id
	}, uuid.NewString)
	if missing != "" {
		return b, snag.Refuse("no_such_strand", "%s has not all of its channels here: its take was changed; remove it from Intake and take the delivery back in again", missing)
	}
	if err != nil {
		return b, err
	}
	was, err := a.Store.Reel(ctx, d.ReelID)
	if err != nil {
		return b, err
	}
	family := was.ID
	if was.Family != nil {
		family = *was.Family
	}
	spec, err := a.Store.SpecNamed(ctx, d.Plan.Order.Spec.Name)
	var chosen *uuid.UUID
	if err == nil {
		chosen = &spec.ID
	} else if !errors.Is(err, ErrNotFound) {
		return b, err
	}
	b.Says = says
	name := fmt.Sprintf("%s, %s v%d", d.Plan.Order.Titles.Reel, d.Plan.Order.Spec.Name, d.Version)
	for n := 1; n < 100; n++ {
		r, err := a.CreateReel(ctx, d.ProductionID, NewReel{Name: numbered(name, n), Doc: &doc, SpecID: chosen, Family: &family})
		var taken *snag.Refusal
		if errors.As(err, &taken) && taken.Code == "exists" {
			continue
		}
		b.Reel = &r
		return b, err
	}
	return b, snag.Refuse("exists", "there are too many reels named %s already", name)
}

// Masters is a reel that lays takes as they were sent: finished masters, anybody's. Channels that are the speakers of one layout
// and named alike are a stem of their own, everything else a mono stem, in the order of files and channels.
func (a *App) Masters(ctx context.Context, production uuid.UUID, takes []uuid.UUID) (reel.Reel, error) {
	p, err := a.Store.Production(ctx, production)
	if err != nil {
		return reel.Reel{}, err
	}
	strands, err := a.Store.Strands(ctx, takes)
	if err != nil {
		return reel.Reel{}, err
	}
	var given []delivery.Given
	for _, id := range takes {
		t, err := a.Store.Take(ctx, id)
		if err == nil && t.ProductionID != production {
			err = ErrNotFound
		}
		if err != nil {
			return reel.Reel{}, err
		}
		if !t.Final() {
			return reel.Reel{}, snag.Refuse("not_final", "which files are %s is only proposed: look at the group and accept it first", t.Name)
		}
		k, err := clockOf(t, p)
		if err != nil {
			return reel.Reel{}, err
		}
		var last uuid.UUID
		for _, s := range strands {
			if s.TakeID != id {
				continue
			}
			if s.FileID != last {
				given = append(given, delivery.Given{Name: s.FileName, Start: k.Start(t.StartSamples), Frames: k.Frames(s.Frames)})
				last = s.FileID
			}
			g := &given[len(given)-1]
			g.Labels, g.Strands = append(g.Labels, s.Label), append(g.Strands, s.ID.String())
		}
	}
	return delivery.LayBack(given, uuid.NewString)
}

// numbered is a name with a number after it from 2 on, of no more letters than a reel may have.
func numbered(name string, n int) string {
	suffix := ""
	if n > 1 {
		suffix = fmt.Sprintf(" (%d)", n)
	}
	if most := maxReelName - len(suffix); len(name) > most {
		name = strings.ToValidUTF8(name[:most], "")
	}
	return name + suffix
}
