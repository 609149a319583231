package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// syncMove is what was decided about a pair.
type syncMove struct {
	Sync  uuid.UUID `json:"sync"`
	State string    `json:"state"`
}

// ProposeSyncs finds what is to be lined up, and has every new pair compared: cameras and other
// recorders against the takes of a recorder, where their timecodes overlap; a camera whose timecode
// meets none, its clock being off, against the takes of its day.
func (a *App) ProposeSyncs(ctx context.Context, production uuid.UUID) (added int, err error) {
	p, err := a.Store.Production(ctx, production)
	if err != nil {
		return 0, err
	}
	ts, of, err := a.allTakes(ctx, production)
	if err != nil {
		return 0, err
	}
	fs, err := ready(ctx, a.Store.Queries, production)
	if err != nil {
		return 0, err
	}
	picture, printed := map[uuid.UUID]bool{}, map[uuid.UUID]bool{} // files
	for _, f := range fs {
		picture[f.ID] = hasPicture(f)
		printed[f.ID] = strings.HasPrefix(f.SourcePath, printOrigin) // it lies where what it was made of does
	}
	clocks, err := Clocks(ctx, a.Store.Queries, production)
	if err != nil {
		return 0, err
	}
	var known []align.Candidate
	var ids []uuid.UUID
	for _, t := range ts {
		strands := of[t.ID]
		if !t.Final() || len(strands) == 0 {
			continue
		}
		known, ids = append(known, align.Candidate{
			Take: AlignTake(t, picture[strands[0].FileID]), ID: t.ID.String(), Scene: t.Scene, Slot: t.Take, Channels: len(strands), Finished: finished(strands) || printed[strands[0].FileID],
		}), append(ids, t.ID)
	}
	pairs := align.Propose(known, clocks, p.Rate())
	return added, a.Store.InTx(ctx, func(tx store.Tx) error {
		added = 0
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		for _, found := range pairs {
			s := store.Sync{ID: store.NewID(), ProductionID: production, RefTake: ids[found.Ref], Take: ids[found.Take], Why: found.Why}
			isNew, err := tx.ProposeSync(ctx, s)
			if err != nil {
				return err
			}
			if !isNew {
				continue
			}
			added++
			if _, err := a.Queue.Add(ctx, tx.Tx, AlignJob{s.ID}); err != nil {
				return err
			}
		}
		return publish(ctx, tx.Queries, Event{Production: production, Kind: "syncs"}, Event{Production: production, Kind: "takes"})
	})
}

// finished reports whether all strands are of music, effects or narration, which no camera heard. A plant among them that
// goes to the effects makes no take of the set an effect.
func finished(strands []store.Strand) bool {
	return !slices.ContainsFunc(strands, func(s store.Strand) bool { return !take.MadeElsewhere(s.Stem, s.FileName, s.Label) })
}

// AlignAgain compares a pair once more.
func (a *App) AlignAgain(ctx context.Context, id uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		s, err := tx.Sync(ctx, id)
		if err != nil {
			return err
		}
		if s.State == "accepted" {
			return snag.Refuse("ended", "the pair is accepted: take that back first")
		}
		if err := tx.MoveSync(ctx, id, "proposed"); err != nil {
			return err
		}
		if _, err := a.Queue.Add(ctx, tx.Tx, AlignJob{id}); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, pairChanged(s)...)
	})
}

// pairChanged tells of a pair, and of its take, beside which it is shown how far lining up is.
func pairChanged(s store.Sync) []Event {
	return []Event{
		{Production: s.ProductionID, Kind: "syncs", ID: s.ID.String()},
		{Production: s.ProductionID, Kind: "takes", Rows: []uuid.UUID{s.Take}},
	}
}

// AlignJob asks for a pair of takes to be lined up.
type AlignJob struct {
	Pair uuid.UUID `json:"pair"`
}

// Kind implements Job.
func (AlignJob) Kind() string { return "align" }

// Align is the work of a job: compare a pair by what it hears.
func (a *App) Align(ctx context.Context, id uuid.UUID) error {
	s, err := a.Store.Sync(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil || s.State == "accepted" || s.State == "refused" {
		return err
	}
	changed := pairChanged(s)
	if err := a.Store.MoveSync(ctx, id, "aligning"); err != nil {
		return err
	}
	if err := publish(ctx, a.Store.Queries, changed...); err != nil {
		return err
	}
	s, err = a.compare(ctx, s)
	if ctx.Err() != nil {
		return err
	}
	s.Nudge = 0
	switch {
	case store.Passing(err):
		return err
	case err != nil:
		s.State, s.ErrorMessage = "failed", snag.Of(err).Message
	case s.Body.Certainty == align.Certain:
		s.State = "aligned"
	default:
		s.State = string(s.Body.Certainty)
	}
	return errors.Join(a.Store.SaveSync(ctx, s), publish(ctx, a.Store.Queries, changed...))
}

// FailSync says that a pair can't be compared, and why.
func (a *App) FailSync(ctx context.Context, id uuid.UUID, why *snag.Refusal) error {
	s, err := a.Store.Sync(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil || s.State == "accepted" || s.State == "refused" {
		return err
	}
	s.State, s.ErrorMessage = "failed", why.Message
	return errors.Join(a.Store.SaveSync(ctx, s), publish(ctx, a.Store.Queries, pairChanged(s)...))
}

// compare finds where a pair lies, and which of its strands agree best there.
func (a *App) compare(ctx context.Context, s store.Sync) (store.Sync, error) {
	ref, err := a.ways(ctx, s.RefTake)
	if err != nil {
		return s, err
	}
	defer ref.close()
	other, err := a.ways(ctx, s.Take)
	if err != nil {
		return s, err
	}
	defer other.close()
	found, way, err := align.NewListener(ref.all()...).Align(ctx, other.all()...)
	if err != nil {
		return s, err
	}
	s.Body, s.RefStrand, s.TakeStrand = found, nil, nil
	if found.Certainty == align.None {
		return s, nil
	}
	heard := 0
	if len(other.each) > 1 && way > 0 { // the first way is all of them together
		heard = way - 1
	}
	near, err := align.Nearest(ctx, found, ref.each, other.each[heard])
	if err != nil {
		return s, err
	}
	s.RefStrand, s.TakeStrand = &ref.strands[near].ID, &other.strands[heard].ID
	return s, nil
}

// ways are how a take is listened to.
type ways struct {
	together align.Sum
	strands  []store.Strand // the loudest first
	each     []align.Sound  // of those
	files    map[string]*source.Source
}

// all lists them: all channels together first, then each by itself.
func (w *ways) all() []align.Sound {
	if len(w.each) == 1 {
		return w.each
	}
	return append([]align.Sound{w.together}, w.each...)
}

func (w *ways) close() {
	for _, f := range w.files {
		f.Close()
	}
}

// ways opens a take's strands to be listened to. Close them when done.
func (a *App) ways(ctx context.Context, id uuid.UUID) (*ways, error) {
	strands, err := a.Store.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return nil, err
	}
	if len(strands) == 0 {
		return nil, ErrNotFound
	}
	slices.SortStableFunc(strands, func(x, y store.Strand) int { return cmp.Compare(y.RMS, x.RMS) })
	w := &ways{strands: strands, files: map[string]*source.Source{}}
	for _, s := range strands {
		at, err := a.sourceOf(ctx, s)
		if err != nil {
			w.close()
			return nil, err
		}
		src, ok := w.files[at.Path]
		if !ok {
			if src, err = source.OpenKnown(at.Path, at.Known); err != nil {
				w.close()
				return nil, fmt.Errorf("%s: %w", s.FileName, err)
			}
			w.files[at.Path] = src
			w.together = append(w.together, align.FromFile(src))
		}
		w.each = append(w.each, align.FromFile(src, s.Channel-1))
	}
	return w, nil
}
