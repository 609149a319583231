package demo

import (
	"context"
	"fmt"
	"regexp"
	"strings"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// Seed makes the production, unless there is one, and takes the files of a folder in through the
// same intake as any others; then it lays a few takes, so that no stage is empty.
func Seed(ctx context.Context, a *app.App, dir string, say func(string)) error {
	there, err := a.Store.Productions(ctx, uuid.Nil, 1)
	if err != nil || len(there) > 0 {
		return err
	}
	say("Taking Lantern Ferry in (once).")
	p, err := a.CreateProduction(ctx, app.NewProduction{Name: "Lantern Ferry", Episode: "Ep 2 Low Water", SampleRate: rate, Rate: "25", Start: "22:10:00:00"})
	if err != nil {
		return err
	}
	shelf, err := media.OpenShelf(dir)
	if err != nil {
		return err
	}
	entries, err := shelf.List("")
	if err != nil {
		return err
	}
	for _, inPlace := range []bool{false, true} {
		var paths []string
		for _, e := range entries {
			if !e.Folder && StaysThere(e.Name) == inPlace {
				paths = append(paths, e.Path)
			}
		}
		if _, err := a.TakeFromShelf(ctx, p.ID, paths, inPlace); err != nil {
			return err
		}
	}
	if err := settled(ctx, a, p); err != nil {
		return err
	}
	first, err := lay(ctx, a, p)
	if err != nil {
		return err
	}
	if err := editScene(ctx, a, p, first); err != nil {
		return err
	}
	if err := weaveSurround(ctx, a, p, first); err != nil {
		return err
	}
	return writeCutLists(dir)
}

// StaysThere reports whether a file of the demonstration is taken in in place, as finished music, effects,
// narration and pictures are; what recorders wrote is copied.
func StaysThere(name string) bool {
	return strings.HasPrefix(name, "LF_") || strings.HasPrefix(name, "CAM_")
}

// settled waits until every file has been read.
func settled(ctx context.Context, a *app.App, p store.Production) error {
	for {
		fs, err := a.Store.FilesAfter(ctx, p.ID, uuid.UUID{}, 500)
		if err != nil {
			return err
		}
		busy := 0
		for _, f := range fs {
			if f.State == "waiting" || f.State == "analysing" {
				busy++
			}
		}
		if busy == 0 {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// unlabelled are the names that tracks of channels have which nobody labelled.
var unlabelled = regexp.MustCompile(`^(21A-3|22-1) \d$`)

// lay takes the circled take, the pier, the score and the effects into the reel and routes most of
// their tracks; one is left for whoever looks.
func lay(ctx context.Context, a *app.App, p store.Production) (first uuid.UUID, err error) {
	ts, err := a.Store.TakesAfter(ctx, p.ID, uuid.UUID{}, 500)
	if err != nil {
		return first, err
	}
	r, err := a.Store.ReelOf(ctx, p.ID)
	if err != nil {
		return first, err
	}
	start := p.StartSamples
	e, err := a.EditReel(ctx, r.ID, r.Version, "start the reel at 22:10:00:00", []edit.Action{{SetStart: &reel.SetStart{Start: &start}}})
	if err != nil {
		return first, err
	}
	for _, t := range ts {
		wanted := t.Name == "21A-3" && t.Roll == "LF07" || t.Name == "22-1" || t.Scene == "1M1" || t.Scene == "FX"
		if !wanted {
			continue
		}
		if err := readTogether(ctx, a, t); err != nil {
			return first, err
		}
		if e, err = a.LayTakes(ctx, r.ID, []uuid.UUID{t.ID}, false); err != nil {
			return first, err
		}
	}
	var actions []edit.Action
	for _, t := range e.Doc.Tracks {
		if sends := sendsOf(t.Label); sends != nil {
			actions = append(actions, edit.Action{SetSends: &reel.SetSends{From: t.ID, Sends: sends}})
		}
		if unlabelled.MatchString(t.Label) { // the empty channels
			off := true
			actions = append(actions, edit.Action{SetTrack: &reel.SetTrack{ID: t.ID, Off: &off}})
		}
	}
	if _, err = a.EditReel(ctx, r.ID, e.Version, "send tracks to stems", actions); err != nil {
		return first, fmt.Errorf("routing the demonstration: %w", err)
	}
	return r.ID, nil
}

// readTogether accepts the hint that the score and the effects are stereo recordings.
func readTogether(ctx context.Context, a *app.App, t store.Take) error {
	if t.Scene != "1M1" && t.Scene != "FX" {
		return nil
	}
	all, err := a.Store.Suggestions(ctx, []uuid.UUID{t.ID})
	if err != nil {
		return err
	}
	for _, s := range all {
		if s.Body.Kind == "pair" && s.State == "open" {
			if _, err := a.DecideSuggestions(ctx, t.ProductionID, []uuid.UUID{s.ID}, true, false); err != nil {
				return err
			}
		}
	}
	return nil
}

// sendsOf is where a track of the demonstration goes: the score and the effects are stereo tracks and enter their stems as
// they are.
func sendsOf(label string) []weave.Send {
	switch label {
	case "Boom":
		return weave.Route{Stem: "DX", GainDB: -4, Position: weave.Both}.Sends()
	case "Lav Ines", "Lav Odell":
		return weave.Route{Stem: "DX", GainDB: -6, Position: weave.BothMinus}.Sends()
	case "Plant wheelhouse":
		return weave.Route{Stem: "FX", GainDB: -3, Position: weave.Both}.Sends()
	case "Score":
		return []weave.Send{{To: "MX"}}
	case "Ferry":
		return []weave.Send{{To: "FX"}}
	}
	return nil
}
