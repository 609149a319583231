package readings

import (
	"context"
	"slices"
	"time"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// State is a correction as it stands.
type State struct {
	weave.Correction
	// Stale is set where the sound is another one than that for which it was worked out.
	Stale bool
	Also  []string // the names of mixes that change with it
	// Slow and Peaks are where it does something, and how much.
	Slow, Peaks []loudness.Dip
}

// apart is how near two dips are to be said as one, in seconds.
const apart = 0.5

func stateOf(c weave.Correction, w weave.Weave, rate int) State {
	n := int64(apart * float64(rate))
	return State{Correction: c, Also: w.AlsoCorrected(c), Slow: loudness.Dips(c.Gain, n), Peaks: loudness.Dips(c.Peaks, n)}
}

// states says of each corrected bus how its correction stands.
func (m *Measurement) states(r reel.Reel, rate int, sources mix.Sources) error {
	for i := range m.Of {
		v := &m.Of[i]
		c, ok := r.Weave.Correction(v.ID)
		if !ok || v.Role == Outputs {
			continue
		}
		state := stateOf(c, r.Weave, rate)
		print, err := printOf(r, rate, sources, v.ID)
		if err != nil {
			return err
		}
		state.Stale = print != c.Print
		v.Correction = &state
	}
	return nil
}

// printOf is the fingerprint of a bus without its own correction.
func printOf(r reel.Reel, rate int, sources mix.Sources, bus string) (string, error) {
	r.Weave = r.Weave.Uncorrected(bus)
	j, err := newJob(r, rate, sources, nil, nil, time.Time{})
	if err != nil {
		return "", err
	}
	return j.whole(bus)
}

// Order asks for a correction of a bus.
type Order struct {
	Bus     string
	Target  loudness.Target
	Stems   bool // the same gains for all stems that it is made of, so that they still add up to it
	FreeLFE bool // true peaks of an LFE are left alone
}

// Plan is a correction that was worked out, and what it comes to.
type Plan struct {
	State
	Before   loudness.Result
	Foreseen loudness.Correction
	Buses    []string // the names of those that get the gains
	TruePeak float64  // foreseen, at the most, in dBTP
}

// Correct works out by which gains a bus of a reel comes to a target, from how it is without the correction that it has.
// Nothing is changed.
func Correct(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, kept Kept, o Order) (p Plan, err error) {
	b, ok := r.Weave.Bus(o.Bus)
	if !ok {
		return p, snag.Refuse("no_such_stem", "there is no bus %q in this reel any more", o.Bus)
	}
	was, _ := r.Weave.Correction(o.Bus)
	r.Weave = r.Weave.Uncorrected(o.Bus)
	s := subject(Subject{ID: b.ID, Name: b.Name, Role: b.Role, Layout: b.Channels()})
	if s.Says != "" {
		return p, snag.Refuse("no_loudness", "%s", s.Says)
	}
	j, err := newJob(r, rate, sources, []Subject{s}, kept, time.Time{})
	if err != nil {
		return p, err
	}
	var m Measurement
	readings, err := m.run(ctx, j)
	if err != nil {
		return p, err
	}
	v := readings[key{b.ID, false}]
	player, err := j.program.Play(mix.Of(b.ID))
	if err != nil {
		return p, err
	}
	defer player.Close()
	sound := loudness.Whole{Layout: s.Layout, Rate: rate, Frames: j.end - j.start, Powers: v.Powers, Peaks: v.Peaks, Floor: peakFloor}
	sound.Read = func(from, to int64, fn func(b audio.Block) error) error {
		for at := from; at < to; at += mix.BlockFrames {
			blocks, err := player.Read(ctx, j.start+at, int(min(mix.BlockFrames, to-at)))
			if err != nil {
				return err
			}
			block := audio.NewBlock(s.Layout.Count, blocks[0].Frames()) // it is changed
			for c := range block {
				copy(block[c], blocks[0][c])
			}
			if err := fn(block); err != nil {
				return err
			}
		}
		return nil
	}
	c, peaks, err := sound.Correct(o.Target, o.FreeLFE)
	if err != nil {
		return p, err
	}
	now := weave.Correction{ID: was.ID, Bus: b.ID, Buses: []string{b.ID}, Target: o.Target, GainDB: c.GainDB, Gain: c.Curve.Moved(j.start), Peaks: peaks.Moved(j.start), FreeLFE: o.FreeLFE}
	if o.Stems {
		now.Buses = r.Weave.StemsOf(b.ID)
	}
	if now.Print, err = j.whole(b.ID); err != nil {
		return p, err
	}
	p = Plan{State: stateOf(now, r.Weave, rate), Before: v.Result, Foreseen: c, TruePeak: v.Result.TruePeak.Value + c.GainDB}
	if o.Target.TruePeak != nil {
		p.TruePeak = min(p.TruePeak, *o.Target.TruePeak)
	}
	for _, id := range now.Buses {
		b, _ := r.Weave.Bus(id)
		p.Buses = append(p.Buses, b.Name)
	}
	slices.Sort(p.Buses)
	return p, nil
}
