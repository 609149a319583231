package app

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/naming"
	"zestyloom/core/order"
	"zestyloom/core/poly"
	"zestyloom/core/readiness"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// WritingOrder asks for takes to be written out as files.
type WritingOrder struct {
	Takes   []uuid.UUID
	Packing poly.Packing
	Pattern string // of names, see poly.TakePattern
	All     bool   // strands that are empty or off, too
}

// Writing is what is to be written of one take.
type Writing struct {
	Packing poly.Packing      `json:"packing"`
	Outs    []poly.Out        `json:"outs"` // names without a folder
	Said    poly.Said         `json:"said"`
	Options poly.WriteOptions `json:"options"`
	Frames  int64             `json:"frames"`
	Linked  []linkedFile      `json:"linked,omitempty"`
	Sources map[string]read   `json:"sources,omitempty"` // what the files that strands are of were at intake, by path
	Left    []string          `json:"left,omitempty"`    // strands that are left out, and why
}

// read is a file as it was read first.
type read struct {
	Name string `json:"name"`
	Hash string `json:"hash"` // of what the sound is read from
}

// linkedFile is an original that is read where it lies, as it was at intake.
type linkedFile struct {
	Path     string `json:"path"` // of the shelf
	Size     int64  `json:"size"`
	Modified int64  `json:"modified"`
}

// PlanWritings works out what an order would write, a take each, without writing. Two files of one
// name are refused.
func (a *App) PlanWritings(ctx context.Context, production uuid.UUID, o WritingOrder) ([]store.Writing, []Writing, error) {
	p, err := a.Store.Production(ctx, production)
	if err != nil {
		return nil, nil, err
	}
	strands, err := a.Store.Strands(ctx, o.Takes)
	if err != nil {
		return nil, nil, err
	}
	of := map[uuid.UUID][]store.Strand{}
	for _, s := range strands {
		of[s.TakeID] = append(of[s.TakeID], s)
	}
	var rows []store.Writing
	var plans []Writing
	var names []string
	for _, id := range o.Takes {
		t, err := a.Store.Take(ctx, id)
		if err == nil && t.ProductionID != production {
			err = ErrNotFound
		}
		if err != nil {
			return nil, nil, err
		}
		w, err := a.planWriting(t, of[id], p, o)
		if err != nil {
			return nil, nil, err
		}
		for _, out := range w.Outs {
			names = append(names, out.Path)
		}
		body, err := json.Marshal(w)
		if err != nil {
			return nil, nil, err
		}
		rows = append(rows, store.Writing{Plan: body, Order: store.Order{
			ID: store.NewID(), ProductionID: production, Kind: order.Writing, Name: t.Name, Says: string(w.Packing), Frames: w.Frames, State: order.Waiting,
		}})
		plans = append(plans, w)
	}
	if n := naming.Clash(names); n != "" {
		return nil, nil, snag.Refuse("names_clash", "two files would be called %s: put {name}, {channel} or {roll} into the pattern", n)
	}
	return rows, plans, nil
}

func (a *App) planWriting(t store.Take, strands []store.Strand, p store.Production, o WritingOrder) (Writing, error) {
	if !t.Final() {
		return Writing{}, snag.Refuse("not_final", "which files are %s is only proposed: look at the group and accept it first", t.Name)
	}
	w := Writing{
		Packing: o.Packing, Frames: t.Length(), Sources: map[string]read{}, Options: poly.WriteOptions{Pad: t.LengthRemedy != "shortest", Shortest: t.LengthRemedy == "shortest"},
		Said: poly.Said{Facts: source.Facts{
			Start: -1, Rate: p.Rate(), Project: p.Name, Scene: t.Scene, Take: t.Take, Roll: t.Roll, Note: t.Note,
			Circled: t.Circled, WildTrack: t.WildTrack, NoGood: t.NoGood, FalseStart: t.FalseStart,
		}},
	}
	if t.StartSamples != nil {
		w.Said.Facts.Start = *t.StartSamples
	}
	take := poly.Recorded{Name: t.Name, Facts: w.Said.Facts, Readings: t.Readings}
	for _, s := range strands {
		path, err := a.soundOf(s)
		if s.Linked != "" && a.Shelf != nil {
			path, err = a.Shelf.Path(s.Linked) // one that is lost fails its own job, not the order
		}
		if err != nil {
			return w, err
		}
		if s.Linked != "" && !slices.ContainsFunc(w.Linked, func(l linkedFile) bool { return l.Path == s.Linked }) {
			w.Linked = append(w.Linked, linkedFile{s.Linked, s.FileSize, s.FileModified})
		}
		if w.Sources[path] = (read{s.FileName, s.SoundHash}); s.SoundHash == "" {
			delete(w.Sources, path)
		}
		st := poly.Strand{Path: path, Channel: s.Channel, Label: s.Label, Track: s.Position}
		if s.RecorderTrack != nil {
			st.Track = *s.RecorderTrack
		}
		take.Strands = append(take.Strands, poly.Placed{Strand: st, Position: s.Position})
	}
	if !o.All {
		why := map[int]string{}
		for _, s := range strands {
			switch {
			case s.Treat.Off:
				why[s.Position] = "off"
			case readiness.Strand{Peak: s.Peak}.Silent():
				why[s.Position] = "empty"
			}
		}
		var left []poly.Placed
		take, left = take.Without(func(s poly.Placed) bool { return why[s.Position] != "" })
		if len(take.Strands) == 0 {
			return w, snag.Refuse("nothing_left", "every strand of %s is empty or off: ask for those, too, to write it out", t.Name)
		}
		for _, s := range left {
			w.Left = append(w.Left, strings.TrimSpace(fmt.Sprintf("%d %s", s.Position, s.Label))+": "+why[s.Position])
		}
	}
	var err error
	w.Outs, err = poly.Plan(take, o.Packing, o.Pattern)
	return w, err
}

// OrderWritings orders takes to be written, each as a job of its own: one that fails stops no other.
func (a *App) OrderWritings(ctx context.Context, production uuid.UUID, o WritingOrder) ([]store.Writing, error) {
	rows, _, err := a.PlanWritings(ctx, production, o)
	if err != nil {
		return nil, err
	}
	return rows, a.Store.InTx(ctx, func(tx store.Tx) error {
		for _, w := range rows {
			if err := a.placeOrder(ctx, tx, w.Order, w.Plan); err != nil {
				return err
			}
		}
		return nil
	})
}

// WriteJob asks for a take to be written out.
type WriteJob struct {
	Writing uuid.UUID `json:"writing"`
}

// Kind implements Job.
func (WriteJob) Kind() string { return "write" }

// write writes the files of a take, reads them back and compares.
func (a *App) write(ctx context.Context, id, attempt uuid.UUID, dir string) error {
	row, err := a.Store.Writing(ctx, id)
	if err != nil {
		return err
	}
	var w Writing
	if err := json.Unmarshal(row.Plan, &w); err != nil {
		return fmt.Errorf("the order is not understood: %w", err)
	}
	report := a.progress(ctx, row.ProductionID, row.ID)
	var bytes int64
	for i := range w.Outs {
		bytes += w.Frames * int64(len(w.Outs[i].Strands)) * 4
		w.Outs[i].Path = filepath.Join(dir, w.Outs[i].Path)
	}
	if err := a.Media.Room(bytes); err != nil {
		return err
	}
	for _, l := range w.Linked {
		if _, err := a.linked(l.Path, l.Size, l.Modified); err != nil {
			return err
		}
	}
	w.Options.Known = map[string]*source.Known{}
	for path, s := range w.Sources {
		known, err := a.assured(ctx, s.Name, path, s.Hash)
		if err != nil {
			return err
		}
		w.Options.Known[path] = known
	}
	if _, err := poly.Write(ctx, w.Outs, w.Said, w.Options, report); err != nil {
		return err
	}
	if err := a.moveOrder(ctx, row.Order, order.ReadBack, store.Outcome{Attempt: attempt}); err != nil {
		return err
	}
	proof, err := poly.Prove(ctx, w.Outs, w.Said, w.Options, report)
	if err != nil {
		return err
	}
	for _, p := range proof {
		if !p.OK {
			why := snag.Refuse("proof_failed", "%s read back is not what was ordered: see its proof", p.Name)
			return a.moveOrder(ctx, row.Order, order.Fail, store.Outcome{Attempt: attempt, Why: why, Proof: proof})
		}
	}
	for _, p := range proof {
		if err := a.Store.SaveBlocks(ctx, p.Sums); err != nil {
			return err
		}
	}
	if err := media.Seal(dir); err != nil {
		return err
	}
	return a.moveOrder(ctx, row.Order, order.Finish, store.Outcome{Attempt: attempt, Proof: proof})
}

// WrittenFile finds a file of a proven writing, to be given out.
func (a *App) WrittenFile(ctx context.Context, id uuid.UUID, index int) (Given, error) {
	row, err := a.Store.Writing(ctx, id)
	if err != nil {
		return Given{}, err
	}
	if row.State != order.Proven {
		return Given{}, snag.Refuse("not_proven", "%s is %s: files are given out once they are proven", row.Name, row.State)
	}
	if index < 0 || index >= len(row.Proof) {
		return Given{}, ErrNotFound
	}
	p := row.Proof[index]
	g := Given{Name: p.Name, bytes: p.Bytes, hash: p.Hash, since: row.FinishedAt, spoilt: func(error) error { return nil }}
	return a.given(ctx, g, a.Media.Attempted(a.Media.Order(row.Kind, id), row.Attempt))
}
