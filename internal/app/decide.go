package app

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

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
		if !d.ByTimecode && l.pair.State != "aligned" && l.pair.State != "doubtful" {
			return snag.Refuse("not_aligned", "%s and %s are %s: there is no offset to accept by what they hear", t.Name, ref.Name, l.pair.State)
		}
		start, drift, err := l.Accepted(d.ByTimecode)
		if err != nil {
			return err
		}
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
func (a *App) lockPair(ctx context.Context, tx store.Tx, id uuid.UUID) (p store.Production, l located, err error) {
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
func agree(ctx context.Context, tx store.Tx, p store.Production, l located, start int64) (out []syncMove, err error) {
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
		if l.Agrees(o.Placement, start) {
			out = append(out, syncMove{s.ID, "accepted"})
		}
	}
	return out, nil
}

// moveLaid works out how a take's clips move in all reels when the take comes to begin elsewhere or its drift is corrected
// otherwise; nil when none is laid.
func (a *App) moveLaid(ctx context.Context, tx store.Tx, p store.Production, t store.Take, start int64, drift float64) (out []*reelChange, err error) {
	strands, err := tx.Strands(ctx, []uuid.UUID{t.ID})
	if err != nil {
		return nil, err
	}
	all, err := tx.Reels(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	was, err := clockOf(t, p)
	if err != nil {
		return nil, err
	}
	m := reel.Realign{Strands: map[string]int64{}, From: was.Start(t.StartSamples), To: was.Moment(start), Day: p.Rate().DaySamples(p.SampleRate), NewID: uuid.NewString}
	if drift != t.DriftSet {
		now, err := newClock(t.SampleRate, p.SampleRate, drift)
		if err != nil {
			return nil, err
		}
		m.Retime = now.Retimed(was, t.Longest)
	}
	for _, s := range strands {
		m.Strands[s.ID.String()] = was.Moment(s.Shift)
	}
	for _, r := range all {
		out = append(out, movedBy(r.ID, reel.RealignClips(r.Doc, m))...)
	}
	return out, nil
}

// moveClips works out how clips of the production's reels move.
func (a *App) moveClips(ctx context.Context, tx store.Tx, production uuid.UUID, m reel.Shift) (out []*reelChange, err error) {
	all, err := tx.Reels(ctx, production)
	for _, r := range all {
		out = append(out, movedBy(r.ID, reel.MoveClips(r.Doc, m))...)
	}
	return out, err
}

// movedBy is how a reel changes as clips of it move: not at all when none does.
func movedBy(id uuid.UUID, ops []reel.Op) []*reelChange {
	if len(ops) == 0 {
		return nil
	}
	return []*reelChange{{Reel: id, Ops: ops}}
}

// oneOf reports whether a strand is one of some.
func oneOf(strands []store.Strand) func(name string) bool {
	ids := map[string]bool{}
	for _, s := range strands {
		ids[s.ID.String()] = true
	}
	return func(strand string) bool { return ids[strand] }
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
		case l.By == align.ByNothing:
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
		clock := l.Take.Clock()
		c := clockSet{Camera: clock, Day: l.take.Day, Rate: l.take.SampleRate}
		what := fmt.Sprintf("the clock of %s was right on %s", clock, l.take.Day)
		if off {
			e, err := l.ClockError()
			if err != nil {
				return err
			}
			c.Late, what = e.Late, fmt.Sprintf("set the clock of %s for %s", clock, l.take.Day)
		}
		return a.edit(ctx, tx, p.ID, what, change{Clock: &c})
	})
}
