package app

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/printing"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// PlanPrints works out what an order comes to: a file for each take that something is chosen of, or one for a bus. What can't
// be laid afterwards is refused here.
func (a *App) PlanPrints(ctx context.Context, reelID uuid.UUID, o printing.Order) ([]printing.Print, store.Reel, error) {
	r, p, err := a.reelIn(ctx, reelID)
	if err != nil {
		return nil, r, err
	}
	ids, err := strandsOf(r.Doc)
	if err != nil {
		return nil, r, err
	}
	rows, err := a.Store.StrandsByID(ctx, ids)
	if err != nil {
		return nil, r, err
	}
	of := make(map[string]uuid.UUID, len(rows))
	var takeIDs []uuid.UUID
	for _, s := range rows {
		of[s.ID.String()] = s.TakeID
		takeIDs = append(takeIDs, s.TakeID)
	}
	named, err := a.Store.TakesByID(ctx, takeIDs)
	if err != nil {
		return nil, r, err
	}
	takes := map[uuid.UUID]string{}
	for _, t := range named {
		takes[t.ID] = t.Name
	}
	now := a.Now()
	prints, err := printing.Make(r.Doc, o, printing.Context{
		Titles: delivery.Titles{Production: p.Name, Episode: p.Episode, Reel: r.Name}, Rate: r.Doc.Counted(p.Rate()), Samples: p.SampleRate,
		Date: now.Format("2006-01-02"), Time: now.Format("15:04:05"), NewID: uuid.NewString,
		TakeOf: func(strand string) (string, string) { return of[strand].String(), takes[of[strand]] },
	})
	if err != nil {
		return nil, r, err
	}
	doc := r.Doc
	for i := range prints {
		if prints[i].Plan.Sources, err = a.frozen(ctx, prints[i].Plan.Reel); err != nil {
			return nil, r, err
		}
		laid := prints[i].Laid(func(channel int) string { return fmt.Sprint("print ", i, " ", channel) })
		planned, err := edit.Plan(doc, []edit.Action{{Printed: &laid}}, edit.Context{NewID: uuid.NewString, Frames: func([]string) (map[string]int64, error) { return nil, nil }})
		if err != nil {
			return nil, r, err
		}
		doc = planned.After
	}
	return prints, r, nil
}

// OrderPrints orders prints, each as a job of its own. Whoever orders them can undo that they are laid.
func (a *App) OrderPrints(ctx context.Context, reelID uuid.UUID, o printing.Order) ([]store.Print, error) {
	prints, r, err := a.PlanPrints(ctx, reelID, o)
	if err != nil {
		return nil, err
	}
	var rows []store.Print
	return rows, a.Store.InTx(ctx, func(tx store.Tx) error {
		rows = nil
		for _, p := range prints {
			o := store.Order{
				ID: store.NewID(), ProductionID: r.ProductionID, Kind: order.Print, ReelID: r.ID, Name: p.Name, Says: strings.Join(p.Of, ", "),
				Frames: p.Plan.Frames, SampleRate: p.Plan.Rates.Files, Session: Session(ctx), State: order.Waiting,
			}
			if err := a.placeOrder(ctx, tx, o, p); err != nil {
				return err
			}
			rows = append(rows, store.Print{Order: o, Plan: p})
		}
		return nil
	})
}

// PrintJob asks for a print to be made and laid.
type PrintJob struct {
	Print uuid.UUID `json:"print"`
}

// Kind implements Job.
func (PrintJob) Kind() string { return "print" }

// render makes the file of a print, reads it back, and takes it in.
func (a *App) render(ctx context.Context, id, attempt uuid.UUID, dir string) error {
	p, err := a.Store.Print(ctx, id)
	if err != nil {
		return err
	}
	plan := p.Plan.Plan
	report := a.progress(ctx, p.ProductionID, p.ID)
	if err := a.Media.Room(plan.Bytes()); err != nil {
		return err
	}
	options := delivery.Options{OwnReader: true, Progress: func(done int64) { report(done, plan.Frames) }, Sources: once(a.ordered(ctx, plan))}
	written, err := delivery.Write(ctx, plan, dir, options)
	if err != nil {
		return err
	}
	if err := a.moveOrder(ctx, p.Order, order.ReadBack, store.Outcome{Attempt: attempt}); err != nil {
		return err
	}
	options.Hashes = written.Hashes
	proof, err := delivery.Prove(ctx, plan, dir, options)
	if err != nil {
		return err
	}
	if !proof.Passed {
		return snag.Refuse("proof_failed", "the print read back is not what was rendered: %s", strings.Join(firstOf(proof.Failures(), 3), "; "))
	}
	// It may have been taken in by an attempt that nobody heard of any more.
	name := plan.Files[0].Name
	f, err := a.takeOwn(ctx, p.ProductionID, printOrigin+p.ID.String(), name, proof.Files[0].Bytes, func() (string, error) { return filepath.Join(dir, name), nil })
	if err != nil {
		return err
	}
	return a.moveOrder(ctx, p.Order, order.Lay, store.Outcome{Attempt: attempt, File: &f.ID})
}

// printOrigin is before the ID of the print that a file came from.
const printOrigin = "print:"

// lookAgain is how often it is looked whether a print has been analysed.
const lookAgain = 100 * time.Millisecond

// layPrint lays a print that was taken in, once its file has been analysed. What is in the way is said, and the print is among
// the takes all the same.
func (a *App) layPrint(ctx context.Context, id uuid.UUID) error {
	p, err := a.Store.Print(ctx, id)
	if err != nil || p.FileID == nil || !p.State.UnderWay() {
		return err
	}
	if err := a.moveOrder(ctx, p.Order, order.Lay, store.Outcome{}); err != nil {
		return err
	}
	var f store.File
	for {
		var err error
		if f, err = a.Store.File(ctx, *p.FileID); err != nil {
			return err
		}
		if f.State == "ready" || f.State == "refused" {
			break
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(lookAgain):
		}
	}
	lay := func() error {
		if f.State == "refused" {
			return snag.Refuse("not_readable", "%s: %s", f.Name, f.ErrorMessage)
		}
		rows, err := a.Store.StrandsOfFiles(ctx, []uuid.UUID{f.ID})
		if err != nil {
			return err
		}
		missing := false
		laid := p.Plan.Laid(func(channel int) string {
			i := slices.IndexFunc(rows, func(s store.Strand) bool { return s.Channel == channel+1 })
			if missing = missing || i < 0; i < 0 {
				return ""
			}
			return rows[i].ID.String()
		})
		if missing {
			return snag.Refuse("no_such_strand", "%s has not all of its channels here: its take was changed", f.Name)
		}
		r, err := a.Store.Reel(ctx, p.ReelID)
		if err != nil || r.Doc.Strands()[rows[0].ID.String()] { // laid by a worker that was killed before it could say so
			return err
		}
		_, err = a.EditReel(WithSession(ctx, p.Session), p.ReelID, latest, "print "+p.Plan.Name+" in place", []edit.Action{{Printed: &laid}})
		return err
	}
	err = lay()
	var refused *snag.Refusal
	switch {
	case err == nil:
		return a.moveOrder(ctx, p.Order, order.Finish, store.Outcome{})
	case errors.As(err, &refused) || errors.Is(err, ErrNotFound):
		return a.moveOrder(ctx, p.Order, order.Fail, store.Outcome{Why: a.Media.Refusal(err)})
	}
	return err
}
