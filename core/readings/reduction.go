package readings

import (
	"context"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
)

// Reduction is by how much dynamics turn a track or a bus down over a stretch, in as many equal parts as were asked for: in dB, 0 or
// less, the most of each part. A list is nil where nothing of its kind is asked for.
type Reduction struct {
	DeEsser, Expander, Compressor []float64
	// Level is the greatest magnitude of the sound before its treatment in each part, in dBFS, not under -100.
	Level []float64
}

// Bounds of what is asked for at once.
const (
	MostReduction       = 120 // seconds
	MostReductionPoints = 2000
)

// reductionStep is how many samples are treated between two looks: gains go on by sixteens.
const reductionStep = 64

// Reductions works out by how much the dynamics of a track or a bus turn it down over [from, to).
func Reductions(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, of string, from, to int64, points int) (Reduction, error) {
	var out Reduction
	if err := inParts(from, to, rate, MostReduction, points, MostReductionPoints); err != nil {
		return out, err
	}
	chain, moves, ok := chainOf(r, of)
	if !ok {
		return out, snag.Refuse("no_such_signal", "there is no track or bus %q", of)
	}
	before, id := r.Before(of)
	p, err := mix.Compile(before, rate, sources)
	if err != nil {
		return out, err
	}
	signal := mix.Of(id)
	layout, err := p.Layout(signal)
	if err != nil {
		return out, err
	}
	pl, err := p.Play(signal)
	if err != nil {
		return out, err
	}
	defer pl.Close()
	room := func(asked bool) []float64 {
		if !asked || chain.Off {
			return nil
		}
		return make([]float64, points)
	}
	out.DeEsser, out.Expander, out.Compressor = room(chain.DeEsser != treat.DeEsser{}), room(chain.Expander != treat.Expander{}), room(chain.Compressor != treat.Compressor{})
	lists := [...][]float64{out.DeEsser, out.Expander, out.Compressor}
	out.Level = make([]float64, points) // factors, until all of it was heard
	proc := treat.NewMoving(chain, moves, layout.Count, rate)
	part := make([][]float64, layout.Count)
	for at := proc.Reach(from); at < to; at += mix.BlockFrames {
		n := int(min(mix.BlockFrames, to-at))
		blocks, err := pl.Read(ctx, at, n)
		if err != nil {
			return out, err
		}
		for done := 0; done < n; {
			here := at + int64(done)
			k := min(n-done, reductionStep-int(here%reductionStep))
			for c := range part {
				part[c] = blocks[0][c][done : done+k]
			}
			done += k
			point := -1
			if here >= from {
				point = int((here - from) * int64(points) / (to - from))
				for _, ch := range part {
					for _, v := range ch {
						out.Level[point] = max(out.Level[point], math.Abs(v))
					}
				}
			}
			proc.Apply(part, here)
			if point < 0 {
				continue
			}
			de, gate, comp := proc.Reduction()
			for i, db := range [...]float64{de, gate, comp} {
				if list := lists[i]; list != nil {
					list[point] = min(list[point], db)
				}
			}
		}
	}
	for i, v := range out.Level {
		out.Level[i] = max(meterFloor, audio.Decibels(v))
	}
	return out, nil
}

// chainOf is what is done to a track or a bus.
func chainOf(r reel.Reel, of string) (treat.Chain, treat.Moves, bool) {
	for _, t := range r.Tracks {
		if t.ID == of {
			return t.Treat, t.TreatMoves, true
		}
	}
	_, ok := r.Weave.Bus(of)
	l := r.Weave.Levels[of]
	return l.Treat, l.TreatMoves, ok
}
