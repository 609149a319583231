package mix_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

const (
	strandFrames = 3000
	laneFrames   = 24000
)

// lane is a track as an array of samples: 0 is silence, else which sample of the track's sound it is, from 1. It knows
// nothing of clips: editing is what is done to arrays.
type lane []int

func (l lane) fill(from, to int64, with func(at int64) int) {
	for at := max(0, from); at < min(to, int64(len(l))); at++ {
		l[at] = with(at)
	}
}

func silence(int64) int { return 0 }

// sample is which of its strand's samples one is, from 0.
func sample(number int) int { return (number - 1) % strandFrames }

// taken is a clip's stretch of a lane.
func (l lane) taken(c reel.Clip) lane { return slices.Clone(l[c.At:c.End()]) }

// arrays are all tracks of a reel, by their IDs. Each sound is numbered: its strand's first sample is 1.
type arrays struct {
	lanes   map[string]lane
	strands map[string]int // by how much a strand's samples are counted up
}

// each does something to a clip's lane, for all clips that are meant.
func (a arrays) each(r reel.Reel, clips map[string]bool, do func(l lane, c reel.Clip)) {
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if clips[c.ID] {
				do(a.lanes[t.ID], c)
			}
		}
	}
}

// Thousands of edits, in whatever order, do to what is played what they do to arrays of samples, which know nothing of clips,
// ties, operations or graphs: bit for bit, after every one of them, and after all that is undone and done again.
func TestAnyEditIsWhatItIsToArrays(t *testing.T) {
	sound, sources := strandsOf(t, 3, 3, strandFrames)
	made := 0
	newID := func() string { made++; return fmt.Sprint("n", made) }
	asking := edit.Context{NewID: newID, Frames: func(strands []string) (map[string]int64, error) {
		out := map[string]int64{}
		for _, s := range strands {
			out[s] = strandFrames
		}
		return out, nil
	}}
	begin := func() (reel.Reel, arrays) {
		r := reel.New()
		for f := range 3 {
			l := reel.Lay{Name: fmt.Sprint("take", f), Start: int64(1000 + 5000*f), Frames: strandFrames, DayLen: 1 << 40, NewID: newID}
			for c := range 3 {
				l.Strands = append(l.Strands, reel.Strand{ID: fmt.Sprint(f, "/", c), Label: fmt.Sprint("Mic ", c)})
			}
			ops, err := reel.LayTake(r, l)
			require.NoError(t, err)
			r, _, err = reel.Apply(r, ops)
			require.NoError(t, err)
		}
		a := arrays{map[string]lane{}, map[string]int{}}
		for f := range 3 {
			for c := range 3 {
				a.strands[fmt.Sprint(f, "/", c)] = 1 + (3*f+c)*strandFrames
			}
		}
		for _, tr := range r.Tracks {
			l := make(lane, laneFrames)
			for _, c := range tr.Clips {
				l.fill(c.At, c.End(), func(at int64) int { return a.strands[c.Strands[0]] + int(c.In+at-c.At) })
			}
			a.lanes[tr.ID] = l
		}
		return r, a
	}
	value := make([]float64, 1+9*strandFrames)
	numbered := arrays{strands: map[string]int{}}
	for f := range 3 {
		for c := range 3 {
			name := fmt.Sprint(f, "/", c)
			numbered.strands[name] = 1 + (3*f+c)*strandFrames
			copy(value[numbered.strands[name]:], sound[name])
		}
	}
	same := func(r reel.Reel, a arrays, what string) {
		t.Helper()
		var signals []mix.Signal
		for _, tr := range r.Tracks {
			signals = append(signals, mix.Of(tr.ID))
		}
		p := play(t, r, sources, signals...)
		for at := int64(0); at < laneFrames; at += mix.BlockFrames {
			n := min(mix.BlockFrames, laneFrames-at)
			blocks, err := p.Read(context.Background(), at, int(n))
			require.NoError(t, err)
			for s, tr := range r.Tracks {
				for i, v := range blocks[s][0] {
					if want := value[a.lanes[tr.ID][at+int64(i)]]; v != want {
						require.Equal(t, want, v, "%s: track %s at %d", what, tr.Label, at+int64(i))
					}
				}
			}
		}
	}
	rnd := rand.New(rand.NewPCG(26, 11))
	r, a := begin()
	same(r, a, "as it was laid")
	kinds := map[string]int{}
	for n := range 5000 {
		var ids []string
		for _, tr := range r.Tracks {
			for _, c := range tr.Clips {
				if rnd.IntN(8) == 0 {
					ids = append(ids, c.ID)
				}
			}
		}
		alone := rnd.IntN(3) == 0
		clips := map[string]bool{}
		for _, id := range ids {
			clips[id] = true
		}
		if !alone {
			clips = r.Kin(ids)
			for _, id := range ids {
				clips[id] = true
			}
		}
		at, by := rnd.Int64N(laneFrames-6000), rnd.Int64N(1200)-600
		length := 1 + rnd.Int64N(800)
		var act edit.Action
		what := ""
		var model func(a arrays)
		switch rnd.IntN(9) {
		case 0:
			what, act.Cut = "cut", &edit.Cut{At: at}
			model = func(arrays) {}
		case 1:
			what, act.Join = "join", &edit.Join{Clips: ids, Alone: alone}
			model = func(arrays) {}
		case 2: // an edge of one clip: what is behind it goes, or comes out
			if len(ids) != 1 {
				continue
			}
			edge := []edit.Edge{edit.Head, edit.Tail}[rnd.IntN(2)]
			what, act.Trim = "trim", &edit.Trim{Clips: ids, Edge: edge, By: by, Alone: true}
			model = func(a arrays) {
				a.each(r, map[string]bool{ids[0]: true}, func(l lane, c reel.Clip) {
					// As far as there is sound, and nothing else lies there; a sample of it stays.
					if edge == edit.Head {
						for ; by > 0 && c.Length > 1; by-- {
							l[c.At] = 0
							c.At, c.Length = c.At+1, c.Length-1
						}
						for ; by < 0 && l[c.At-1] == 0 && sample(l[c.At]) > 0; by++ {
							l[c.At-1] = l[c.At] - 1
							c.At--
						}
						return
					}
					for end := c.End(); by < 0 && end > c.At+1; by++ {
						end--
						l[end] = 0
					}
					for end := c.End(); by > 0 && l[end] == 0 && sample(l[end-1]) < strandFrames-1; by-- {
						l[end] = l[end-1] + 1
						end++
					}
				})
			}
		case 3: // other samples in the same place
			what, act.Slip = "slip", &edit.Slip{Clips: ids, By: by, Alone: alone}
			model = func(a arrays) {
				// All as far as each of them can.
				least, most := -strandFrames, strandFrames
				a.each(r, clips, func(l lane, c reel.Clip) {
					least, most = max(least, sample(l[c.End()-1])-strandFrames+1), min(most, sample(l[c.At]))
				})
				by := max(least, min(most, int(by)))
				a.each(r, clips, func(l lane, c reel.Clip) {
					l.fill(c.At, c.End(), func(at int64) int { return l[at] - by })
				})
			}
		case 4: // the same samples in another place, over whatever is there
			over := rnd.IntN(2) == 0
			what, act.Move = "move", &edit.Move{Clips: ids, By: by, Alone: alone, Over: over}
			model = func(a arrays) {
				type piece struct {
					on lane
					at int64
					of lane
				}
				var all []piece
				a.each(r, clips, func(l lane, c reel.Clip) { all = append(all, piece{l, c.At + by, l.taken(c)}) })
				a.each(r, clips, func(l lane, c reel.Clip) { l.fill(c.At, c.End(), silence) })
				for _, p := range all {
					copy(p.on[p.at:], p.of)
				}
			}
		case 5:
			what, act.Remove = "remove", &edit.Remove{Clips: ids, Alone: alone}
			model = func(a arrays) {
				a.each(r, clips, func(l lane, c reel.Clip) { l.fill(c.At, c.End(), silence) })
			}
		case 6:
			what, act.RemoveSpan = "remove a span", &edit.RemoveSpan{From: at, To: at + length}
			model = func(a arrays) {
				for _, l := range a.lanes {
					l.fill(at, at+length, silence)
				}
			}
		case 7:
			what, act.RemoveSpan = "remove a span with its time", &edit.RemoveSpan{From: at, To: at + length, Close: edit.All}
			model = func(a arrays) {
				for id, l := range a.lanes {
					a.lanes[id] = append(slices.Delete(l, int(at), int(at+length)), make(lane, length)...)
				}
			}
		case 8:
			what, act.InsertTime = "insert time", &edit.InsertTime{At: at, By: length}
			model = func(a arrays) {
				for id, l := range a.lanes {
					a.lanes[id] = slices.Insert(l, int(at), make(lane, length)...)[:laneFrames]
				}
			}
		}
		plan, err := edit.Plan(r, []edit.Action{act}, asking)
		if err != nil {
			continue
		}
		if start, end := plan.After.Span(); start < 2000 || end > laneFrames-2000 {
			if start < 300 || end > laneFrames-300 {
				r, a = begin()
				continue
			}
		}
		before := a.copied()
		model(a)
		same(plan.After, a, fmt.Sprint(n, ": ", what))
		kinds[what]++
		if n%20 == 0 {
			back, _, err := reel.Apply(plan.After, plan.Undo)
			require.NoError(t, err)
			same(back, before, fmt.Sprint(n, ": undone ", what))
		}
		r = plan.After
		count := 0
		for _, tr := range r.Tracks {
			count += len(tr.Clips)
		}
		if count < 5 || count > 60 {
			r, a = begin()
		}
	}
	for _, k := range []string{"cut", "join", "trim", "slip", "move", "remove", "remove a span", "remove a span with its time", "insert time"} {
		assert.Greater(t, kinds[k], 10, "%s of %v", k, kinds)
	}
	t.Log(kinds)
}

func (a arrays) copied() arrays {
	lanes := map[string]lane{}
	for id, l := range a.lanes {
		lanes[id] = slices.Clone(l)
	}
	return arrays{lanes, a.strands}
}
