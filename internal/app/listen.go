package app

import (
	"cmp"
	"context"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/monitor"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// Listening says how something is to be heard.
type Listening struct {
	monitor.Order      // a rate of 0 is the recording's own, uncorrected
	Match         bool // made as loud as the first
}

// Heard is something that is being heard. Close it when done.
type Heard struct {
	*monitor.Stream
	Rate  int
	Fold  monitor.Fold
	Gains []float64 // dB by which each input was matched to the first
}

// mostHeard bounds how many strands are heard at once.
const mostHeard = 64

// Listen plays strands, named as sound is, on the clock of the first one's take.
func (a *App) Listen(ctx context.Context, names []string, o Listening) (*Heard, error) {
	if len(names) > mostHeard {
		return nil, snag.Refuse("too_many", "%d strands can't be heard at once: up to %d can", len(names), mostHeard)
	}
	own := o.Rate == 0
	var inputs []monitor.Input
	var channels []monitor.Channel
	var first store.Take
	for i, name := range names {
		p, s, err := a.sound(ctx, name)
		if err != nil {
			return nil, err
		}
		if i == 0 {
			if first, err = a.Store.Take(ctx, s.TakeID); err != nil {
				return nil, err
			}
			if own {
				o.Rate = first.SampleRate
			}
		}
		p[0].Source.Treat.Off = false // hearing it is how one finds out whether it should be
		if own {
			for i := range p {
				p[i].Source.Drift = 0
			}
		}
		v := monitor.Strands(p...)
		if own {
			v.At = float64(s.Shift) * float64(o.Rate) / float64(first.SampleRate)
		}
		inputs = append(inputs, v)
		channels = append(channels, monitor.Channel{Position: s.Position, Label: s.Label, Mix: take.IsMix(s.Label), Off: s.Treat.Off, Silent: s.Peak < audio.Gain(audio.SilenceDB)})
	}
	return heard(ctx, inputs, o, monitor.FoldDown(channels, first.Readings))
}

// heard opens inputs, matched where that is asked for.
func heard(ctx context.Context, inputs []monitor.Input, o Listening, fold monitor.Fold) (*Heard, error) {
	h := &Heard{Rate: o.Rate, Fold: fold, Gains: make([]float64, len(inputs))}
	if o.Match && len(inputs) > 1 {
		const seconds = 10
		gains, err := monitor.Match(ctx, inputs, o.Rate, o.From, int64(seconds*o.Rate))
		if err != nil {
			return nil, err
		}
		for i, g := range gains {
			inputs[i].Gain, h.Gains[i] = g, audio.Decibels(g)
		}
	}
	var err error
	o.Order.Fold = fold.Matrix
	h.Stream, err = monitor.Open(inputs, o.Order)
	return h, err
}

// ListenToPair plays both recordings of a pair where they lie, on the reference's clock. ref and take
// are strands of either; absent, those that agree best, else their loudest.
func (a *App) ListenToPair(ctx context.Context, id uuid.UUID, ref, take *uuid.UUID, o Listening) (*Heard, error) {
	pair, err := a.openPair(ctx, id, ref, take)
	if err != nil {
		return nil, err
	}
	o.Rate = pair.rate
	fold := monitor.Fold{Matrix: [][2]float64{{1, 0}, {0, 1}}, Says: "the reference left, the other right"}
	return heard(ctx, pair.inputs, o, fold)
}

// openPair finds both recordings of a pair as inputs on the reference's clock.
func (a *App) openPair(ctx context.Context, id uuid.UUID, ref, take *uuid.UUID) (pair struct {
	rate   int
	inputs []monitor.Input
}, err error) {
	at, err := a.placementOf(ctx, id)
	if err != nil {
		return pair, err
	}
	pair.rate = at.ref.SampleRate
	for _, side := range []struct {
		take  store.Take
		which *uuid.UUID
		at    float64
		drift float64
	}{{at.ref, cmp.Or(ref, at.pair.RefStrand), 0, 0}, {at.take, cmp.Or(take, at.pair.TakeStrand), at.Offset, at.Drift}} {
		strands, err := a.Store.Strands(ctx, []uuid.UUID{side.take.ID})
		if err != nil {
			return pair, err
		}
		i := slices.IndexFunc(strands, func(s store.Strand) bool { return side.which != nil && s.ID == *side.which })
		if i < 0 {
			i = loudest(strands)
		}
		if i < 0 {
			return pair, ErrNotFound
		}
		p, err := a.sourceOf(ctx, strands[i])
		if err != nil {
			return pair, err
		}
		p.Treat.Off = false
		p.Drift = side.drift
		v := monitor.Strands(mix.Part{Source: p, Factor: 1})
		v.At = side.at
		pair.inputs = append(pair.inputs, v)
	}
	return pair, nil
}

// loudest is the index of the loudest strand, -1 when there is none.
func loudest(strands []store.Strand) int {
	best := -1
	for i, s := range strands {
		if best < 0 || s.RMS > strands[best].RMS {
			best = i
		}
	}
	return best
}

// Difference is what is left of a pair's reference when the other recording is taken from it; see
// monitor.Differ.
type Difference = monitor.Difference

// Difference draws it over samples [from, to) of the reference.
func (a *App) Difference(ctx context.Context, id uuid.UUID, ref, take *uuid.UUID, from, to int64, columns int) (Difference, error) {
	pair, err := a.openPair(ctx, id, ref, take)
	if err != nil {
		return Difference{}, err
	}
	return monitor.Differ(ctx, [2]monitor.Input(pair.inputs), pair.rate, from, to, columns)
}
