package demo

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/printing"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// editScene makes a second reel of the first, in which scene 21A has been edited: lines separated strand from strand, a line
// borrowed from another take, a dip, a tightened pause with a crossfade, a hole filled with room tone, markers; and a third,
// a trailer, cut down from it.
func editScene(ctx context.Context, a *app.App, p store.Production, first uuid.UUID) error {
	edited, err := a.CreateReel(ctx, p.ID, app.NewReel{Name: "Scene 21A, edited", Copy: &first})
	if err != nil {
		return err
	}
	slate := p.StartSamples + (32*25+10)*rate/25 // take 21A-3 begins at 22:10:32:10
	at := func(seconds float64) int64 { return slate + int64(seconds*rate) }
	samples := func(seconds float64) int64 { return int64(seconds * rate) }
	version := edited.Version
	doc := edited.Doc
	track := func(label string) string {
		for _, t := range doc.Tracks {
			if t.Label == label {
				return t.ID
			}
		}
		return ""
	}
	clipAt := func(label string, at int64) string {
		for _, t := range doc.Tracks {
			for _, c := range t.Clips {
				if t.Label == label && c.At <= at && at < c.End() {
					return c.ID
				}
			}
		}
		return ""
	}
	do := func(what string, actions ...edit.Action) error {
		e, err := a.EditReel(ctx, edited.ID, version, what, actions)
		if err != nil {
			return fmt.Errorf("editing the demonstration (%s): %w", what, err)
		}
		version, doc = e.Version, e.Doc
		return nil
	}
	lender, err := strandOf(ctx, a, p, "21A-1", "Lav Ines")
	if err != nil {
		return err
	}
	boom, ines, odell := track("Boom"), track("Lav Ines"), track("Lav Odell")
	ramp := samples(0.02)
	steps := []struct {
		what    string
		actions func() []edit.Action
	}{
		{"send Lav Marit to DX", func() []edit.Action {
			return []edit.Action{{SetSends: &reel.SetSends{From: track("Lav Marit"), Sends: weave.Route{Stem: "DX", GainDB: -6, Position: weave.BothMinus}.Sends()}}}
		}},
		{"separate the first lines", func() []edit.Action {
			return []edit.Action{
				{Off: &edit.Off{From: at(0.6), To: at(3.35), Tracks: []string{odell}, Ramp: ramp}},
				{Off: &edit.Off{From: at(3.35), To: at(5.45), Tracks: []string{ines}, Ramp: ramp}},
			}
		}},
		{"borrow Ines's second line from 21A-1", func() []edit.Action {
			return []edit.Action{{Borrow: &edit.Borrow{Track: ines, From: at(5.6), To: at(7.7), Strand: lender, In: samples(4.95), Name: "21A-1", Fade: samples(0.04)}}}
		}},
		{"take a bump out of Lav Odell", func() []edit.Action {
			return []edit.Action{{RemoveSpan: &edit.RemoveSpan{From: at(6.2), To: at(6.8), Tracks: []string{odell}, Alone: true}}}
		}},
		{"fill the hole with room tone", func() []edit.Action {
			return []edit.Action{{CloseGaps: &edit.CloseGaps{From: at(6), To: at(7), Tracks: []string{odell}, Longest: rate, Tone: &edit.Tone{From: at(5.5), To: at(6.0), Fade: samples(0.05)}}}}
		}},
		{"dip the boom under Odell", func() []edit.Action {
			return []edit.Action{{Dip: &edit.Dip{From: at(8.6), To: at(11.2), Tracks: []string{boom}, DB: -4, Ramp: samples(0.1)}}}
		}},
		{"tighten the pause", func() []edit.Action {
			return []edit.Action{{RemoveSpan: &edit.RemoveSpan{From: at(11.25), To: at(11.5), Tracks: []string{boom}, Close: edit.Some}}}
		}},
		{"crossfade", func() []edit.Action {
			return []edit.Action{{Crossfade: &edit.Crossfade{Clips: []string{clipAt("Boom", at(11.2))}, Length: samples(0.06), Shape: reel.EqualPower}}}
		}},
		{"fade in and out", func() []edit.Action {
			return []edit.Action{
				{Fade: &edit.Fade{Clips: []string{clipAt("Boom", at(1))}, In: &reel.Fade{Length: samples(0.4), Shape: reel.RaisedCos}}},
				{Fade: &edit.Fade{Clips: []string{clipAt("Boom", at(17))}, Out: &reel.Fade{Length: samples(0.6), Shape: reel.EqualPower}}},
			}
		}},
		{"bring the engine down under the dialogue", func() []edit.Action {
			level := automation.Curve{{At: at(-4)}, {At: at(-1), Value: -7, Shape: automation.Smooth}, {At: at(2), Value: -9}}
			return []edit.Action{{SetTrack: &reel.SetTrack{ID: track("Ferry"), Gain: &level}}}
		}},
		{"treat the boom", func() []edit.Action {
			chain := treat.Chain{
				HighPass:   treat.Pass{Hz: 90, Slope: 18},
				Bands:      [treat.Bands]treat.Band{{Kind: treat.Bell, Hz: 320, DB: -3.5, Q: 1.4}, {Kind: treat.HighShelf, Hz: 6500, DB: 2.5, Q: 0.71}},
				Compressor: treat.Compressor{Threshold: -26, Ratio: 2.5, Knee: 8, Attack: 8, Release: 140, Makeup: 2},
			}
			return []edit.Action{{SetTrack: &reel.SetTrack{ID: boom, Treat: &chain}}}
		}},
		{"mark", func() []edit.Action {
			return []edit.Action{{SetMarkers: &reel.SetMarkers{Put: []reel.Marker{
				{ID: uuid.NewString(), At: at(0), Name: "Scene 21A", Colour: "citron"},
				{ID: uuid.NewString(), At: at(5.6), Length: samples(2.1), Name: "Borrowed line", Colour: "plum", Note: "From 21A-1: the horn lay over it in 21A-3."},
				{ID: uuid.NewString(), At: at(14.2), Name: "Odell turns away", Colour: "tangerine"},
			}}}}
		}},
	}
	for _, s := range steps {
		if err := do(s.what, s.actions()...); err != nil {
			return err
		}
	}
	pictures, err := picturesOf(ctx, a, edited.ID)
	if err != nil {
		return err
	}
	// The first camera films 21A-3 from its slate on by a clock that is off; the second runs through by the recorder's.
	through := p.StartSamples
	see := func(name string, starts, from, to int64) edit.Action {
		return edit.Action{LayPicture: &edit.LayPicture{File: pictures[name], Name: name, At: from, In: from - starts, Length: to - from}}
	}
	if err := do("lay the picture as it is cut", see("CAM_B_0007.mov", through, at(-4), at(5.6)), see("CAM_A_0031.mov", slate, at(5.6), at(11)),
		see("CAM_B_0007.mov", through, at(11), at(20))); err != nil {
		return err
	}
	if err := printed(ctx, a, edited.ID, clipAt("Lav Marit", at(38))); err != nil {
		return err
	}
	_, err = a.CreateReel(ctx, p.ID, app.NewReel{Name: "Trailer", Copy: &edited.ID, From: at(11), To: at(17)})
	return err
}

// printed prints a clip in place, and waits until it is laid.
func printed(ctx context.Context, a *app.App, reel uuid.UUID, clip string) error {
	rows, err := a.OrderPrints(ctx, reel, printing.Order{Clips: []string{clip}, Alone: true})
	if err != nil {
		return err
	}
	for _, row := range rows {
		for {
			p, err := a.Store.Print(ctx, row.ID)
			if err != nil {
				return err
			}
			if p.State == order.Proven {
				break
			}
			if p.State == order.Failed {
				return fmt.Errorf("printing a clip of the demonstration: %s", p.ErrorMessage)
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(100 * time.Millisecond):
			}
		}
	}
	return nil
}

// picturesOf are the files with pictures that a reel can show, by name.
func picturesOf(ctx context.Context, a *app.App, reel uuid.UUID) (map[string]string, error) {
	all, _, err := a.Seeables(ctx, reel)
	out := map[string]string{}
	for _, f := range all {
		out[f.Name] = f.File.String()
	}
	return out, err
}

// strandOf finds the strand of a take by both their names.
func strandOf(ctx context.Context, a *app.App, p store.Production, name, label string) (string, error) {
	takes, err := a.Store.ProductionTakes(ctx, p.ID)
	if err != nil {
		return "", err
	}
	for _, t := range takes {
		if t.Name != name {
			continue
		}
		strands, err := a.Store.Strands(ctx, []uuid.UUID{t.ID})
		if err != nil {
			return "", err
		}
		for _, s := range strands {
			if s.Label == label {
				return s.ID.String(), nil
			}
		}
	}
	return "", fmt.Errorf("the demonstration has no %s in take %s", label, name)
}

// The cut lists of the demonstration: what picture has cut of the pier and the wheelhouse, twice.
var cutLists = map[string]string{
	"low water, cut 1.edl": `TITLE: LOW WATER CUT 1
FCM: NON-DROP FRAME

001  LF07     V     C        22:10:33:00 22:10:40:20 22:20:00:00 22:20:07:20
* FROM CLIP NAME: 21A-3
002  LF07     V     C        22:10:10:00 22:10:12:05 22:20:07:20 22:20:10:00
* FROM CLIP NAME: 21A-1
003  LF07     V     C        22:11:05:00 22:11:05:00 22:20:10:00 22:20:10:00
003  LF07     V     D    012 22:11:12:00 22:11:18:00 22:20:10:00 22:20:16:00
* FROM CLIP NAME: 21A-1
* TO CLIP NAME: 22-1
004  BOAT     V     C        09:00:00:00 09:00:03:00 22:20:16:00 22:20:19:00
* FROM CLIP NAME: SECOND UNIT 4
`,
	"low water, cut 2.csv": `number,name,reel,source_in,source_out,record_in,fade
1,21A-3,LF07,22:10:33:00,22:10:39:00,22:20:00:00,
2,22-1,LF07,22:11:11:00,22:11:18:00,22:20:06:00,12
`,
}

// writeCutLists puts the cut lists beside the recordings, in a folder of their own.
func writeCutLists(shelf string) error {
	dir := filepath.Join(filepath.Dir(shelf), "cut lists")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for name, text := range cutLists {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}
