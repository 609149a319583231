package app

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/sync"
	"zestyloom/internal/store"
)

// Bounds of what is proposed.
const (
	leastCommon = 1.0 // seconds that timecodes must have in common
	maxPairs    = 24  // for one take
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
	picture := map[uuid.UUID]bool{} // files
	for _, f := range fs {
		picture[f.ID] = f.Facts.Picture != nil
	}
	camera := func(t store.Take) bool { return len(of[t.ID]) > 0 && picture[of[t.ID][0].FileID] }
	var pairs []store.Sync
	for _, t := range ts {
		if !t.Final() || len(of[t.ID]) == 0 {
			continue
		}
		found := partners(t, camera(t), ts, of, camera, func(x, y store.Take) float64 { return sync.Common(stamp(x), stamp(y), p.Rate()) })
		pairs = append(pairs, found...)
	}
	return added, a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		for _, s := range pairs {
			s.ID, s.ProductionID = store.NewID(), production
			isNew, err := tx.ProposeSync(ctx, s)
			if err != nil {
				return err
			}
			if !isNew {
				continue
			}
			added++
			if _, err := a.Queue.Align(ctx, tx.Tx, s.ID); err != nil {
				return err
			}
		}
		return tell(ctx, tx.Queries, Event{Production: production, Kind: "syncs"})
	})
}

func stamp(t store.Take) sync.Stamp {
	s := sync.Stamp{Start: -1, Rate: t.SampleRate, Frames: t.Frames}
	if t.StartSamples != nil {
		s.Start = *t.StartSamples
	}
	return s
}

// partners finds the takes that one is to be lined up with.
func partners(t store.Take, isCamera bool, ts []store.Take, of map[uuid.UUID][]store.Strand, camera func(store.Take) bool, common func(x, y store.Take) float64) (out []store.Sync) {
	var ofTheDay []store.Sync
	for _, ref := range ts {
		n, m := len(of[ref.ID]), len(of[t.ID])
		switch {
		case ref.ID == t.ID || !ref.Final() || n == 0 || camera(ref):
			continue
		case !isCamera && (ref.Roll == t.Roll || ref.Scene != t.Scene || ref.Take != t.Take || t.Scene == ""):
			continue // of one recorder, or of other takes: what they have in common is the time of day
		case !isCamera && (n < m || n == m && ref.ID.String() > t.ID.String()):
			continue // the recorder with more channels stays where it is
		}
		if s := common(ref, t); s >= leastCommon {
			out = append(out, store.Sync{RefTake: ref.ID, Take: t.ID, Why: fmt.Sprintf("their timecodes have %.1f s in common", s)})
		} else if isCamera && ref.Scene != "" && !finished(of[ref.ID]) && (ref.Day == t.Day || t.Day == "" || ref.Day == "") {
			ofTheDay = append(ofTheDay, store.Sync{RefTake: ref.ID, Take: t.ID, Why: "its timecode meets no take: its clock may be off"})
		}
	}
	if out == nil {
		out = ofTheDay
	}
	return out[:min(len(out), maxPairs)]
}

// finished reports whether strands are of music, effects or narration, which no camera heard.
func finished(strands []store.Strand) bool {
	return slices.ContainsFunc(strands, func(s store.Strand) bool { return s.Stem == "MX" || s.Stem == "FX" || s.Stem == "VO" })
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
		if _, err := a.Queue.Align(ctx, tx.Tx, id); err != nil {
			return err
		}
		return tell(ctx, tx.Queries, Event{Production: s.ProductionID, Kind: "syncs"})
	})
}

// Align is the work of a job: compare a pair by what it hears.
func (a *App) Align(ctx context.Context, id uuid.UUID) error {
	s, err := a.Store.Sync(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil || s.State == "accepted" || s.State == "refused" {
		return err
	}
	changed := Event{Production: s.ProductionID, Kind: "syncs", ID: id.String()}
	if err := a.Store.MoveSync(ctx, id, "aligning"); err != nil {
		return err
	}
	if err := tell(ctx, a.Store.Queries, changed); err != nil {
		return err
	}
	found, err := a.compare(ctx, s)
	if ctx.Err() != nil {
		return err
	}
	s.Body = found
	switch {
	case err != nil:
		s.State, s.ErrorMessage = "failed", snag.Of(err).Message
	case found.Certainty == sync.Certain:
		s.State = "aligned"
	default:
		s.State = string(found.Certainty)
	}
	return errors.Join(a.Store.SaveSync(ctx, s), tell(ctx, a.Store.Queries, changed))
}

func (a *App) compare(ctx context.Context, s store.Sync) (sync.Alignment, error) {
	ref, closeRef, err := a.ways(ctx, s.RefTake)
	if err != nil {
		return sync.Alignment{}, err
	}
	defer closeRef()
	other, closeOther, err := a.ways(ctx, s.Take)
	if err != nil {
		return sync.Alignment{}, err
	}
	defer closeOther()
	found, _, err := sync.NewListener(ref...).Align(ctx, other...)
	return found, err
}

// ways are how a take is listened to: all its channels together, then each by itself, the loudest
// first.
func (a *App) ways(ctx context.Context, id uuid.UUID) (out []sync.Sound, done func(), err error) {
	strands, err := a.Store.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return nil, nil, err
	}
	files := map[string]*source.Source{}
	done = func() {
		for _, f := range files {
			f.Close()
		}
	}
	var all sync.Sum
	slices.SortStableFunc(strands, func(x, y store.Strand) int { return cmp.Compare(y.RMS, x.RMS) })
	for _, s := range strands {
		path, err := a.soundOf(s)
		if err != nil {
			done()
			return nil, nil, err
		}
		src, ok := files[path]
		if !ok {
			if src, err = source.Open(path); err != nil {
				done()
				return nil, nil, fmt.Errorf("%s: %w", s.FileName, err)
			}
			files[path] = src
			all = append(all, sync.FromFile(src))
		}
		out = append(out, sync.FromFile(src, s.Channel-1))
	}
	if len(all) == 0 {
		done()
		return nil, nil, ErrNotFound
	}
	if len(strands) > 1 {
		out = append([]sync.Sound{all}, out...)
	}
	return out, done, nil
}

// DecideSync accepts an alignment, which moves all strands of its take to where they belong, or
// refuses it. It is undone like any other edit.
func (a *App) DecideSync(ctx context.Context, id uuid.UUID, accept bool) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		s, err := tx.Sync(ctx, id)
		if err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, s.ProductionID); err != nil {
			return err
		}
		ref, err := tx.Take(ctx, s.RefTake)
		if err != nil {
			return err
		}
		t, err := tx.Take(ctx, s.Take)
		if err != nil {
			return err
		}
		if !accept {
			return a.edit(ctx, tx, s.ProductionID, fmt.Sprintf("refuse to line %s up with %s", t.Name, ref.Name), change{Syncs: []syncMove{{id, "refused"}}})
		}
		if s.State != "aligned" && s.State != "doubtful" {
			return snag.Refuse("not_aligned", "%s and %s are %s: there is no offset to accept", t.Name, ref.Name, s.State)
		}
		p, err := tx.Production(ctx, s.ProductionID)
		if err != nil {
			return err
		}
		start, err := a.startBy(ctx, tx, p, ref, t, s.Body)
		if err != nil {
			return err
		}
		value, err := json.Marshal(start)
		if err != nil {
			return err
		}
		what := fmt.Sprintf("line %s up with %s", t.Name, ref.Name)
		return a.edit(ctx, tx, s.ProductionID, what, change{Cells: []Cell{{Row: t.ID, Field: "start_set", Value: value}}, Syncs: []syncMove{{id, "accepted"}}})
	})
}

// startBy is where a take begins by an alignment, in its own samples since midnight.
func (a *App) startBy(ctx context.Context, tx store.Tx, p store.Production, ref, t store.Take, by sync.Alignment) (int64, error) {
	if ref.StartSamples == nil {
		return 0, snag.Refuse("no_start", "%s has no start timecode to line %s up with", ref.Name, t.Name)
	}
	used, err := tx.StrandsInReels(ctx, p.ID)
	if err != nil {
		return 0, err
	}
	strands, err := tx.Strands(ctx, []uuid.UUID{t.ID})
	if err != nil {
		return 0, err
	}
	if slices.ContainsFunc(strands, func(s store.Strand) bool { return used[s.ID.String()] }) {
		return 0, snag.Refuse("in_use", "%s is in the reel: take its clips out first, then line it up and take it in again", t.Name)
	}
	// Whole samples of the reference go over exactly, what is left of the offset by rounding.
	at, from, to := *ref.StartSamples, int64(ref.SampleRate), int64(t.SampleRate)
	start := at/from*to + int64(math.Round((float64(at%from)+by.Offset)*float64(to)/float64(from)))
	day := p.Rate().SampleAt(p.Rate().DayFrames(), to)
	return (start%day + day) % day, nil
}
