package app

import (
	"context"
	"fmt"
	"math"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// agreeing is by how many milliseconds other pairs of a take may differ to be accepted along with one,
// and by how many parts in a million of the time between them besides: clocks drift.
const agreeing, agreeingDrift = 1.0, 100e-6

// Decision is what a person says of a pair.
type Decision struct {
	Accept     bool
	ByTimecode bool   // accepted by the timecodes and not by what was heard
	Nudge      *int64 // the move by hand that was seen; nil does not say
}

func moved(by int64) error {
	return &Stale{"somebody else has moved the pair meanwhile: look again", map[string]int64{"samples": by}}
}

// DecideSync accepts an alignment, by what was heard or by the timecodes, which moves all strands of its
// take to where they belong and has its drift corrected from then on; or refuses it. Other pairs of that
// take that say the same are accepted with it: along says how many. It is undone like any other edit.
func (a *App) DecideSync(ctx context.Context, id uuid.UUID, d Decision) (along int, err error) {
	return along, a.Store.InTx(ctx, func(tx store.Tx) error {
		p, l, err := a.lockPair(ctx, tx, id)
		if err != nil {
			return err
		}
		if d.Nudge != nil && *d.Nudge != l.pair.Nudge {
			return moved(l.pair.Nudge)
		}
		t, ref := l.take, l.ref
		if !d.Accept {
			return a.edit(ctx, tx, p.ID, fmt.Sprintf("refuse to line %s up with %s", t.Name, ref.Name), change{Syncs: []syncMove{{id, "refused"}}})
		}
		offset, drift := l.Offset, l.Drift
		if d.ByTimecode {
			if l.Timecode == nil {
				return snag.Refuse("no_start", "%s or %s has no timecode to line them up by", t.Name, ref.Name)
			}
			offset, drift = float64(*l.Timecode+l.pair.Nudge), 0
		} else if l.By != "sound" || l.pair.State != "aligned" && l.pair.State != "doubtful" {
			return snag.Refuse("not_aligned", "%s and %s are %s: there is no offset to accept by what they hear", t.Name, ref.Name, l.pair.State)
		}
		start, err := l.start(p, offset)
		if err != nil {
			return err
		}
		drift = math.Round(drift/resample.DriftStep) * resample.DriftStep
		c := change{Syncs: []syncMove{{id, "accepted"}}}
		if c.Cells, err = cellsOf(t.ID, value{"start_set", start}, value{"drift_set", drift}); err != nil {
			return err
		}
		if c.Reels, err = a.moveLaid(ctx, tx, p, t, start, drift); err != nil {
			return err
		}
		more, err := agree(ctx, tx, p, l, start)
		if err != nil {
			return err
		}
		c.Syncs, along = append(c.Syncs, more...), len(more)
		return a.edit(ctx, tx, p.ID, fmt.Sprintf("line %s up with %s", t.Name, ref.Name), c)
	})
}

// lockPair finds a pair, with its production locked.
func (a *App) lockPair(ctx context.Context, tx store.Tx, id uuid.UUID) (p store.Production, l Placement, err error) {
	s, err := tx.Sync(ctx, id)
	if err != nil {
		return p, l, err
	}
	if _, err := tx.LockProduction(ctx, s.ProductionID); err != nil {
		return p, l, err
	}
	if p, err = tx.Production(ctx, s.ProductionID); err != nil {
		return p, l, err
	}
	if s, err = tx.Sync(ctx, id); err != nil { // as it is now that it is locked
		return p, l, err
	}
	l, err = placementIn(ctx, tx.Queries, p, s)
	return p, l, err
}

// agree finds the other pairs of a take that say that it begins there, too.
func agree(ctx context.Context, tx store.Tx, p store.Production, l Placement, start int64) (out []syncMove, err error) {
	rows, err := tx.Syncs(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	for _, s := range rows {
		if s.Take != l.take.ID || s.ID == l.pair.ID || s.State != "aligned" {
			continue
		}
		o, err := placementIn(ctx, tx.Queries, p, s)
		if err != nil {
			return nil, err
		}
		if o.take.StartSet = &start; o.ref.StartSamples == nil {
			continue
		}
		apart, ok := o.Apart(p)
		between := math.Abs(float64(*o.ref.StartSamples)/float64(o.ref.SampleRate)-float64(*l.ref.StartSamples)/float64(l.ref.SampleRate)) * 1000
		if ok && math.Abs(apart) <= agreeing+agreeingDrift*between {
			out = append(out, syncMove{s.ID, "accepted"})
		}
	}
	return out, nil
}

// moveLaid works out how a take's clips move when the take comes to begin elsewhere or its drift is
// corrected otherwise; nil when none is laid. Clips of a take that had no start come from the end of the reel, where
// they were laid for want of one.
func (a *App) moveLaid(ctx context.Context, tx store.Tx, p store.Production, t store.Take, start int64, drift float64) ([]*reelChange, error) {
	strands, err := tx.Strands(ctx, []uuid.UUID{t.ID})
	if err != nil {
		return nil, err
	}
	all, err := tx.Reels(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	day := p.Rate().SampleAt(p.Rate().DayFrames(), int64(p.SampleRate))
	m := reel.Shift{Of: oneOf(strands), Placed: true, NewID: uuid.NewString}
	at := func(samples int64) int64 { return atRate(samples, t.SampleRate, p.SampleRate) }
	if drift != t.DriftSet {
		now, err := clockLength(t.SampleRate, p.SampleRate, drift)
		if err != nil {
			return nil, err
		}
		m.Retime = func(frame int64) int64 {
			own := float64(frame) * float64(t.SampleRate) / float64(p.SampleRate) * (1 + t.DriftSet*1e-6)
			return min(int64(math.Round(own*float64(p.SampleRate)/float64(t.SampleRate)/(1+drift*1e-6))), now(t.Longest))
		}
	}
	var out []*reelChange
	for _, r := range all {
		m.By = 0
		if t.StartSamples != nil {
			m.By = shorter(at(start)-at(*t.StartSamples), day)
		} else if from, ok := laidAt(r.Doc, strands); ok {
			m.By = reel.DayOf(r.Doc, at(start), day) - from
		}
		out = append(out, movedBy(r, m)...)
	}
	return out, nil
}

// laidAt is where the first sample of a take without a start has been laid.
func laidAt(r reel.Reel, strands []store.Strand) (int64, bool) {
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if i := slices.IndexFunc(strands, func(s store.Strand) bool { return s.ID.String() == c.Strands[0] }); i >= 0 && c.Unplaced {
				return c.At - c.In - strands[i].Shift, true
			}
		}
	}
	return 0, false
}

// moveClips works out how clips of the production's reels move.
func (a *App) moveClips(ctx context.Context, tx store.Tx, production uuid.UUID, m reel.Shift) (out []*reelChange, err error) {
	all, err := tx.Reels(ctx, production)
	for _, r := range all {
		out = append(out, movedBy(r, m)...)
	}
	return out, err
}

// movedBy is how a reel changes as clips of it move: not at all when none does.
func movedBy(r store.Reel, m reel.Shift) []*reelChange {
	ops := reel.MoveClips(r.Doc, m)
	if len(ops) == 0 {
		return nil
	}
	return []*reelChange{{Reel: r.ID, Ops: ops}}
}

// oneOf reports whether a strand is one of some.
func oneOf(strands []store.Strand) func(name string) bool {
	ids := map[string]bool{}
	for _, s := range strands {
		ids[s.ID.String()] = true
	}
	return func(strand string) bool { return ids[strand] }
}

// atRate is a moment in samples of another rate, to the nearest one.
func atRate(samples int64, from, to int) int64 {
	if samples < 0 {
		return -atRate(-samples, from, to)
	}
	a, b := int64(from), int64(to)
	return samples/a*b + (samples%a*b+a/2)/a
}

// clockLength gives what a count of samples becomes at another rate, drift corrected.
func clockLength(from, to int, drift float64) (func(frames int64) int64, error) {
	if from == to && drift == 0 {
		return func(frames int64) int64 { return frames }, nil
	}
	c, err := resample.NewDrift(from, to, drift)
	if err != nil {
		return nil, snag.Refuse("rate_differs", "%w", err)
	}
	return c.Frames, nil
}

// NudgeSync moves a pair by hand to so many samples from what was found. was is what the person saw.
func (a *App) NudgeSync(ctx context.Context, id uuid.UUID, samples, was int64) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		p, l, err := a.lockPair(ctx, tx, id)
		if err != nil {
			return err
		}
		switch {
		case l.pair.State == "accepted":
			return snag.Refuse("ended", "the pair is accepted: take that back first")
		case l.By == "":
			return snag.Refuse("not_aligned", "%s and %s have neither an offset nor timecodes to start from", l.take.Name, l.ref.Name)
		case l.pair.Nudge != was:
			return moved(l.pair.Nudge)
		}
		what := fmt.Sprintf("move %s by %d samples against %s", l.take.Name, samples-was, l.ref.Name)
		return a.edit(ctx, tx, p.ID, what, change{Nudge: &nudge{id, samples}})
	})
}

// SetClock says that the clock of a pair's take was off that day by what the pair says, or that it was
// right. What is proposed from then on goes by it.
func (a *App) SetClock(ctx context.Context, id uuid.UUID, off bool) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		p, l, err := a.lockPair(ctx, tx, id)
		if err != nil {
			return err
		}
		c := clockSet{Camera: l.clock, Day: l.take.Day, Rate: l.take.SampleRate}
		what := fmt.Sprintf("the clock of %s was right on %s", l.clock, l.take.Day)
		if off {
			if l.take.StartWas == nil || l.By != "sound" {
				return snag.Refuse("no_start", "%s has no timecode, or the pair no offset by what it hears: it says nothing of its clock", l.take.Name)
			}
			start, err := l.start(p, l.Offset)
			if err != nil {
				return err
			}
			c.Late = shorter(start-*l.take.StartWas, p.Rate().SampleAt(p.Rate().DayFrames(), int64(l.take.SampleRate)))
			what = fmt.Sprintf("set the clock of %s for %s", l.clock, l.take.Day)
		}
		return a.edit(ctx, tx, p.ID, what, change{Clock: &c})
	})
}
