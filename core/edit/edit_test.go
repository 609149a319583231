package edit_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

const long = 4000 // samples of every strand

var made int

func newID() string { made++; return fmt.Sprint("n", made) }

func context() edit.Context {
	return edit.Context{NewID: newID, Frames: func(strands []string) (map[string]int64, error) {
		out := map[string]int64{}
		for _, s := range strands {
			out[s] = long
		}
		return out, nil
	}}
}

// scene is a reel of three takes of some strands, each take trimmed at both ends so that there are handles.
func scene(t *testing.T) reel.Reel {
	r := reel.New()
	for n, at := range []int64{10_000, 14_000, 20_000} {
		l := reel.Lay{Name: fmt.Sprint("take", n), Start: at, Frames: long, DayLen: 1 << 40, NewID: newID}
		for _, label := range []string{"Boom", "Ines", "Odell"} {
			l.Strands = append(l.Strands, reel.Strand{ID: fmt.Sprint(label, n), Label: label})
		}
		ops, err := reel.LayTake(r, l)
		require.NoError(t, err)
		r, _, err = reel.Apply(r, ops)
		require.NoError(t, err)
	}
	for _, n := range []int{0, 1, 2} {
		r = do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{r.Tracks[0].Clips[n].ID}, Edge: edit.Head, By: 500}})
		r = do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{r.Tracks[0].Clips[n].ID}, Edge: edit.Tail, By: -500}})
	}
	return r
}

func try(t *testing.T, r reel.Reel, actions ...edit.Action) (reel.Reel, error) {
	before := text(t, r)
	plan, err := edit.Plan(r, actions, context())
	require.Equal(t, before, text(t, r), "the reel given is left alone")
	if err != nil {
		return r, err
	}
	now, _, err := reel.Apply(r, plan.Ops)
	require.NoError(t, err, "what is planned can be done")
	require.Equal(t, text(t, now), text(t, plan.After))
	back, _, err := reel.Apply(now, plan.Undo)
	require.NoError(t, err)
	require.Equal(t, before, text(t, back), "and undone")
	require.NoError(t, now.Check())
	return now, nil
}

func do(t *testing.T, r reel.Reel, actions ...edit.Action) reel.Reel {
	t.Helper()
	now, err := try(t, r, actions...)
	require.NoError(t, err)
	return now
}

func text(t *testing.T, r reel.Reel) string {
	b, err := json.Marshal(r)
	require.NoError(t, err)
	return string(b)
}

// heard is a reel as an array of samples a track: every sample of every strand is a number of its own.
func heard(r reel.Reel) map[string]map[int64]float64 {
	out := map[string]map[int64]float64{}
	for n, t := range r.Tracks {
		lane := map[int64]float64{}
		for _, c := range t.Clips {
			for at := c.At; at < c.End(); at++ {
				i := c.In + at - c.At
				v := float64(i + 1)
				for _, ch := range c.Strands[0] {
					v = 31*v + float64(ch)
				}
				v *= c.FadeIn.At(at-c.At) * c.FadeOut.At(c.End()-1-at)
				if len(c.Gain) > 0 {
					v *= weave.Factor(c.Gain.Value(i))
				}
				v *= weave.Factor(c.GainDB)
				if slices.ContainsFunc(c.Off, func(o reel.Range) bool { return o.From <= i && i < o.To }) {
					v = 0
				}
				if v += lane[at]; v != 0 {
					lane[at] = v
				} else {
					delete(lane, at)
				}
			}
		}
		out[fmt.Sprint(n, t.Label)] = lane
	}
	return out
}

// inSync holds when all kin lie where their ties have them, but for how far they are said to be away.
func inSync(t *testing.T, r reel.Reel) {
	t.Helper()
	for _, tr := range r.Tracks {
		for _, c := range tr.Clips {
			kin := r.Kin([]string{c.ID})
			for _, o := range r.Tracks {
				for _, k := range o.Clips {
					if kin[k.ID] {
						require.Equal(t, c.At-c.In-c.Away, k.At-k.In-k.Away, "%s and %s", c.ID, k.ID)
					}
				}
			}
		}
	}
}

func TestACutIsNotHeard(t *testing.T) {
	r := scene(t)
	boom := r.Tracks[0].Clips[0]
	cut := do(t, r, edit.Action{Cut: &edit.Cut{At: 11_000, Clips: []string{boom.ID}}})
	for _, tr := range cut.Tracks {
		require.Len(t, tr.Clips, 4, "tied clips are cut together")
	}
	assert.Equal(t, heard(r), heard(cut))
	alone := do(t, r, edit.Action{Cut: &edit.Cut{At: 11_000, Clips: []string{boom.ID}, Alone: true}})
	assert.Len(t, alone.Tracks[0].Clips, 4)
	assert.Len(t, alone.Tracks[1].Clips, 3)
	joined := do(t, cut, edit.Action{Join: &edit.Join{Clips: []string{boom.ID}}})
	assert.Equal(t, text(t, r), text(t, joined))
	at := do(t, r, edit.Action{Cut: &edit.Cut{At: 11_000}})
	assert.Equal(t, heard(r), heard(at))
	// The pieces are no kin of each other: they go their own ways.
	moved := do(t, cut, edit.Action{Move: &edit.Move{Clips: []string{boom.ID}, By: -100}})
	inSync(t, moved)
	for _, tr := range moved.Tracks {
		assert.EqualValues(t, 10_400, tr.Clips[0].At)
		assert.EqualValues(t, 11_000, tr.Clips[1].At)
		assert.Zero(t, tr.Clips[0].Away)
	}
	_, err := try(t, r, edit.Action{Cut: &edit.Cut{At: 1}})
	require.Error(t, err)
	_, err = try(t, moved, edit.Action{Join: &edit.Join{Clips: []string{boom.ID}}})
	require.ErrorContains(t, err, "not what was cut")
}

func TestTrimming(t *testing.T) {
	r := scene(t)
	boom := r.Tracks[0].Clips[0] // lies from 10500 to 13500, its sound from 10000 to 14000
	wide := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom.ID}, Edge: edit.Tail, By: 9000}})
	for _, tr := range wide.Tracks {
		assert.EqualValues(t, 14_000, tr.Clips[0].End(), "no further than there is sound")
	}
	to := int64(10_700)
	one := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom.ID}, Edge: edit.Head, To: &to, Alone: true}})
	assert.EqualValues(t, 10_700, one.Tracks[0].Clips[0].At)
	assert.EqualValues(t, 10_500, one.Tracks[1].Clips[0].At)
	assert.Zero(t, one.Tracks[0].Clips[0].Away, "trimmed further, and in step")
	inSync(t, one)
	none := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom.ID}, Edge: edit.Head, By: 99_999}})
	assert.EqualValues(t, 1, none.Tracks[0].Clips[0].Length)
	next := do(t, r, edit.Action{Move: &edit.Move{Clips: []string{r.Tracks[0].Clips[1].ID}, By: -800}},
		edit.Action{Extend: &edit.Extend{Clips: []string{boom.ID}, Edge: edit.Tail}})
	assert.EqualValues(t, 13_700, next.Tracks[2].Clips[0].End(), "up to its neighbour")
	slipped := do(t, r, edit.Action{Slip: &edit.Slip{Clips: []string{boom.ID}, By: 700}})
	assert.EqualValues(t, 0, slipped.Tracks[1].Clips[0].In, "as far as there is sound")
	inSync(t, slipped)
}

func TestLetGoAndBroughtHome(t *testing.T) {
	r := scene(t)
	boom := r.Tracks[0].Clips[0]
	gone := do(t, r, edit.Action{Move: &edit.Move{Clips: []string{boom.ID}, By: 77, Alone: true}})
	assert.EqualValues(t, 77, gone.Tracks[0].Clips[0].Away)
	inSync(t, gone)
	slipped := do(t, gone, edit.Action{Slip: &edit.Slip{Clips: []string{boom.ID}, By: -7, Alone: true}})
	assert.EqualValues(t, 70, slipped.Tracks[0].Clips[0].Away)
	inSync(t, slipped)
	// Moved with its kin it stays as far away.
	with := do(t, slipped, edit.Action{Move: &edit.Move{Clips: []string{slipped.Tracks[1].Clips[0].ID}, By: -300}})
	assert.EqualValues(t, 70, with.Tracks[0].Clips[0].Away)
	assert.EqualValues(t, 10_277, with.Tracks[0].Clips[0].At)
	home := do(t, with, edit.Action{Home: &edit.Home{Clips: []string{boom.ID}}})
	assert.Zero(t, home.Tracks[0].Clips[0].Away)
	inSync(t, home)
	meant := do(t, with, edit.Action{Home: &edit.Home{Clips: []string{boom.ID}, Meant: true}})
	assert.Zero(t, meant.Tracks[0].Clips[0].Away)
	assert.EqualValues(t, 10_277, meant.Tracks[0].Clips[0].At)
	// A ripple over one track of three takes along what is tied behind it; alone it tears, and says so.
	along := do(t, r, edit.Action{InsertTime: &edit.InsertTime{At: 13_600, By: 50, Tracks: []string{r.Tracks[1].ID}}})
	for _, tr := range along.Tracks {
		assert.EqualValues(t, r.Tracks[0].Clips[1].At+50, tr.Clips[1].At)
		assert.Zero(t, tr.Clips[1].Away)
	}
	torn := do(t, r, edit.Action{InsertTime: &edit.InsertTime{At: 13_600, By: 50, Tracks: []string{r.Tracks[1].ID}, Alone: true}})
	assert.EqualValues(t, 50, torn.Tracks[1].Clips[1].Away)
	assert.Zero(t, torn.Tracks[1].Clips[0].Away)
	inSync(t, torn)
}

func TestTakenAway(t *testing.T) {
	r := scene(t)
	was := heard(r)
	ines := r.Tracks[1].ID
	span := func(tracks []string, alone bool, close edit.Closing) map[string]map[int64]float64 {
		return heard(do(t, r, edit.Action{RemoveSpan: &edit.RemoveSpan{From: 11_000, To: 12_000, Tracks: tracks, Alone: alone, Close: close}}))
	}
	for name, now := range span([]string{ines}, true, edit.Leave) {
		for at, v := range was[name] {
			if name == "1Ines" && at >= 11_000 && at < 12_000 {
				require.NotContains(t, now, at)
			} else {
				require.Equal(t, v, now[at])
			}
		}
	}
	for _, closed := range []map[string]map[int64]float64{span([]string{ines}, false, edit.Some), span(nil, false, edit.All)} {
		for name, now := range closed {
			for at, v := range was[name] {
				switch {
				case at < 11_000:
					require.Equal(t, v, now[at])
				case at >= 12_000:
					require.Equal(t, v, now[at-1000])
				}
			}
			require.Len(t, now, len(was[name])-1000)
		}
	}
	kept := heard(do(t, r, edit.Action{RemoveSpan: &edit.RemoveSpan{From: 11_000, To: 12_000, Keep: true}}))
	for name, now := range kept {
		require.Len(t, now, 1000)
		require.Equal(t, was[name][11_500], now[11_500])
	}
	clip := do(t, r, edit.Action{Remove: &edit.Remove{Clips: []string{r.Tracks[2].Clips[0].ID}, Close: edit.All}})
	for _, tr := range clip.Tracks {
		require.Len(t, tr.Clips, 2)
		assert.EqualValues(t, 11_500, tr.Clips[0].At)
	}
	marked := do(t, r, edit.Action{SetMarkers: &reel.SetMarkers{Put: []reel.Marker{{ID: "in", At: 11_500, Name: "in"}, {ID: "after", At: 12_500, Name: "after"}}}},
		edit.Action{RemoveSpan: &edit.RemoveSpan{From: 11_000, To: 12_000, Close: edit.All}})
	assert.Equal(t, []reel.Marker{{ID: "after", At: 11_500, Name: "after"}}, marked.Markers)
	opened := heard(do(t, r, edit.Action{InsertTime: &edit.InsertTime{At: 12_000, By: 300}}))
	for name, now := range opened {
		for at, v := range was[name] {
			if at >= 12_000 {
				at += 300
			}
			require.Equal(t, v, now[at])
		}
	}
}

func TestOffInARange(t *testing.T) {
	r := scene(t)
	was := heard(r)
	odell := []string{r.Tracks[2].ID}
	off := do(t, r, edit.Action{Off: &edit.Off{From: 13_000, To: 15_000, Tracks: odell}})
	for name, now := range heard(off) {
		for at, v := range was[name] {
			if name == "2Odell" && at >= 13_000 && at < 15_000 {
				v = 0
			}
			require.Equal(t, v, now[at])
		}
	}
	more := do(t, off, edit.Action{Off: &edit.Off{From: 12_500, To: 13_200, Tracks: odell, Ramp: 20}})
	assert.Equal(t, []reel.Range{{From: 2500, To: 3000, Ramp: 20}, {From: 3000, To: 3500}}, more.Tracks[2].Clips[0].Off)
	_, err := try(t, off, edit.Action{Off: &edit.Off{From: 13_100, To: 13_200, Tracks: odell}})
	require.ErrorContains(t, err, "nothing lies")
	hole := do(t, off, edit.Action{On: &edit.On{From: 13_100, To: 13_200, Tracks: odell}})
	assert.Len(t, hole.Tracks[2].Clips[0].Off, 2)
	on := do(t, hole, edit.Action{On: &edit.On{From: 0, To: 1 << 40, Tracks: odell}})
	assert.Equal(t, was, heard(on))
}

func TestDipped(t *testing.T) {
	r := scene(t)
	boom := []string{r.Tracks[0].ID}
	dip := do(t, r, edit.Action{Dip: &edit.Dip{From: 11_000, To: 12_000, Tracks: boom, DB: -6, Ramp: 100}})
	g := dip.Tracks[0].Clips[0].Gain
	at := func(g automation.Curve, n int64) float64 { return g.Value(n - 10_000) }
	assert.InDelta(t, 0, at(g, 10_900), 1e-12)
	assert.InDelta(t, -3, at(g, 10_950), 1e-12)
	assert.InDelta(t, -6, at(g, 11_000), 0)
	assert.InDelta(t, -6, at(g, 11_999), 0)
	assert.InDelta(t, 0, at(g, 12_099), 1e-12)
	twice := do(t, dip, edit.Action{Dip: &edit.Dip{From: 11_500, To: 12_500, Tracks: boom, DB: 2, Ramp: 10}})
	g = twice.Tracks[0].Clips[0].Gain
	assert.InDelta(t, -4, at(g, 11_700), 1e-12)
	assert.InDelta(t, 2, at(g, 12_300), 1e-12)
	assert.InDelta(t, -6, at(g, 11_400), 1e-12)
}

func TestCrossfadesOfTiedClipsAreAlike(t *testing.T) {
	r := scene(t)
	second := r.Tracks[0].Clips[1].ID // lies from 14500, its sound from 14000
	r = do(t, r, edit.Action{Move: &edit.Move{Clips: []string{second}, By: -1000}})
	x := do(t, r, edit.Action{Crossfade: &edit.Crossfade{Clips: []string{r.Tracks[0].Clips[0].ID}, Length: 201, Shape: reel.EqualPower}})
	for _, tr := range x.Tracks {
		a, b := tr.Clips[0], tr.Clips[1]
		assert.EqualValues(t, 201, a.End()-b.At)
		assert.Equal(t, reel.Fade{Length: 201, Shape: reel.EqualPower}, a.FadeOut)
		assert.Equal(t, a.FadeOut, b.FadeIn)
		assert.EqualValues(t, 13_400, b.At)
	}
	inSync(t, x)
	y := do(t, x, edit.Action{Crossfade: &edit.Crossfade{Clips: []string{x.Tracks[0].Clips[0].ID}, Length: 0}})
	for _, tr := range y.Tracks {
		assert.Equal(t, tr.Clips[0].End(), tr.Clips[1].At)
	}
	huge := do(t, x, edit.Action{Crossfade: &edit.Crossfade{Clips: []string{x.Tracks[0].Clips[0].ID}, Length: 90_000}})
	assert.EqualValues(t, 1000, huge.Tracks[0].Clips[0].FadeOut.Length, "as long as both have sound")
}

func TestPasteAndRoomTone(t *testing.T) {
	r := scene(t)
	var laid []reel.Laid
	for _, tr := range r.Tracks[:2] {
		laid = append(laid, reel.Laid{Track: tr.ID, Clip: tr.Clips[0]})
	}
	p := do(t, r, edit.Action{Paste: &edit.Paste{Clips: laid, By: 20_000}})
	a, b := p.Tracks[0].Clips[3], p.Tracks[1].Clips[3]
	assert.Equal(t, a.Tie, b.Tie)
	assert.NotEqual(t, a.Tie, p.Tracks[0].Clips[0].Tie)
	_, err := try(t, r, edit.Action{Paste: &edit.Paste{Clips: laid, By: 4000}})
	require.ErrorContains(t, err, "another clip")
	over := do(t, r, edit.Action{Paste: &edit.Paste{Clips: laid, By: 3900, Over: true}})
	assert.Len(t, over.Tracks[0].Clips, 4)
	assert.Len(t, over.Tracks[2].Clips, 3)
	inSync(t, over)

	gap := do(t, r, edit.Action{CloseGaps: &edit.CloseGaps{From: 0, To: 1 << 40, Longest: 1500, Tracks: []string{r.Tracks[0].ID}, Tone: &edit.Tone{From: 10_600, To: 10_900, Fade: 40}}})
	boom := heard(gap)["0Boom"]
	for at := int64(10_500); at < 14_520; at++ {
		require.NotZero(t, boom[at], "no hole is left")
	}
	closed := do(t, r, edit.Action{CloseGaps: &edit.CloseGaps{From: 0, To: 1 << 40, Longest: 1500}})
	assert.EqualValues(t, 14_000, closed.Tracks[1].Clips[0].End())
}

// A strand that was cut alone is in pieces that are all tied to its neighbours: an edge of these moves only the piece that
// has it.
func TestPiecesKeepTheirInnerEdges(t *testing.T) {
	r := scene(t)
	boom, ines := r.Tracks[0].Clips[0].ID, r.Tracks[1].Clips[0].ID
	r = do(t, r, edit.Action{Cut: &edit.Cut{At: 12_000, Clips: []string{ines}, Alone: true}})
	edges := func(r reel.Reel) (out []string) {
		for _, c := range r.Tracks[1].Clips[:2] {
			out = append(out, fmt.Sprintf("%d-%d %d %d", c.At, c.End(), c.FadeIn.Length, c.FadeOut.Length))
		}
		return out
	}
	tail := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom}, Edge: edit.Tail, By: -100}})
	assert.Equal(t, []string{"10500-12000 0 0", "12000-13400 0 0"}, edges(tail))
	head := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom}, Edge: edit.Head, By: 100}})
	assert.Equal(t, []string{"10600-12000 0 0", "12000-13500 0 0"}, edges(head))
	faded := do(t, r, edit.Action{Fade: &edit.Fade{Clips: []string{boom}, In: &reel.Fade{Length: 50}, Out: &reel.Fade{Length: 70}}})
	assert.Equal(t, []string{"10500-12000 50 0", "12000-13500 0 70"}, edges(faded))
	inner := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{ines}, Edge: edit.Tail, By: -100}})
	assert.Equal(t, []string{"10500-11900 0 0", "12000-13500 0 0"}, edges(inner), "and an inner edge is alone")
	assert.EqualValues(t, 13_500, inner.Tracks[0].Clips[0].End())
	x := do(t, r, edit.Action{Crossfade: &edit.Crossfade{Clips: []string{ines}, Length: 60}})
	assert.Equal(t, []string{"10500-12030 0 60", "11970-13500 60 0"}, edges(x))
	// A neighbour that was trimmed further goes along.
	further := do(t, r, edit.Action{Trim: &edit.Trim{Clips: []string{boom}, Edge: edit.Tail, By: -300, Alone: true}},
		edit.Action{Trim: &edit.Trim{Clips: []string{boom}, Edge: edit.Tail, By: -100}})
	assert.Equal(t, []string{"10500-12000 0 0", "12000-13400 0 0"}, edges(further))
}

func TestABorrowedLine(t *testing.T) {
	r := scene(t)
	was := heard(r)
	boom := r.Tracks[0]
	now := do(t, r, edit.Action{Borrow: &edit.Borrow{Track: boom.ID, From: 11_000, To: 12_000, Strand: "Other9", In: 700, Name: "21A-9", Fade: 40}})
	require.Len(t, now.Tracks[0].Clips, 5)
	line := now.Tracks[0].Clips[1]
	assert.Equal(t, []any{"21A-9", "", int64(680), int64(10_980), int64(1040)}, []any{line.Name, line.Tie, line.In, line.At, line.Length})
	assert.Equal(t, reel.Fade{Length: 40, Shape: reel.EqualPower}, line.FadeIn)
	assert.Equal(t, line.FadeIn, now.Tracks[0].Clips[2].FadeIn)
	assert.Equal(t, was["1Ines"], heard(now)["1Ines"], "just that strand")
	for at, v := range was["0Boom"] {
		if at < 10_980 || at >= 12_020 {
			require.Equal(t, v, heard(now)["0Boom"][at])
			break
		}
	}
	inSync(t, now)
	_, err := try(t, r, edit.Action{Borrow: &edit.Borrow{Track: boom.ID, From: 11_000, To: 12_000, Strand: "x", In: long - 500, Name: "x"}})
	require.ErrorContains(t, err, "shorter")
	// In a hole of the track it fades in and out by itself.
	hole := do(t, r, edit.Action{Borrow: &edit.Borrow{Track: boom.ID, From: 13_600, To: 14_200, Strand: "x", Name: "x", Fade: 40}})
	assert.EqualValues(t, 40, hole.Tracks[0].Clips[1].FadeIn.Length)
	assert.EqualValues(t, 40, hole.Tracks[0].Clips[1].FadeOut.Length)
	wide := do(t, r, edit.Action{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "w", Label: "w", Layout: "stereo"}}})
	_, err = try(t, wide, edit.Action{Borrow: &edit.Borrow{Track: "w", From: 1, To: 9, Strand: "x", Name: "x"}})
	require.ErrorContains(t, err, "several channels")
}

func TestTakenApart(t *testing.T) {
	r := reel.New()
	six := reel.Clip{ID: "six", Name: "ME", Strands: []string{"a", "b", "c", "d", "e", "f"}, At: 100, Length: 900}
	r, _, err := reel.Apply(r, []reel.Op{{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "wide", Label: "M&E", Layout: "5.1", Clips: []reel.Clip{six}}}}})
	require.NoError(t, err)
	now := do(t, r, edit.Action{TakeApart: &edit.TakeApart{Clips: []string{"six"}, Groups: []edit.ApartGroup{
		{Channels: []int{0, 1}, Layout: "stereo"}, {Channels: []int{2, 3}, Layout: "stereo"}, {Channels: []int{4, 5}, Layout: "stereo", Label: "Rear"}}}})
	require.Len(t, now.Tracks, 4)
	assert.Empty(t, now.Tracks[0].Clips)
	assert.Equal(t, []string{"c", "d"}, now.Tracks[2].Clips[0].Strands)
	assert.Equal(t, "Rear", now.Tracks[3].Label)
}

// Whatever is done, in whatever order: what is planned can be done and undone, tied clips are in sync or say by how much
// they are not, and nothing of a take is lost but what was taken away.
func TestAnyEditKeepsSync(t *testing.T) {
	rnd := rand.New(rand.NewPCG(12, 1))
	r := scene(t)
	first := r
	kinds := map[string]int{}
	for range 8000 {
		var clips []string
		for _, tr := range r.Tracks {
			for _, c := range tr.Clips {
				if rnd.IntN(12) == 0 {
					clips = append(clips, c.ID)
				}
			}
		}
		at, by, alone := 9000+rnd.Int64N(20_000), rnd.Int64N(900)-450, rnd.IntN(3) == 0
		tracks := []string{r.Tracks[rnd.IntN(3)].ID}
		edge := []edit.Edge{edit.Head, edit.Tail}[rnd.IntN(2)]
		closing := []edit.Closing{edit.Leave, edit.Some, edit.All}[rnd.IntN(3)]
		var a edit.Action
		switch rnd.IntN(14) {
		case 0:
			a.Cut = &edit.Cut{At: at, Clips: clips, Alone: alone}
		case 1:
			a.Join = &edit.Join{Clips: clips, Alone: alone}
		case 2:
			a.Trim = &edit.Trim{Clips: clips, Edge: edge, By: by, Alone: alone}
		case 3:
			a.Extend = &edit.Extend{Clips: clips, Edge: edge, Alone: alone}
		case 4:
			a.Slip = &edit.Slip{Clips: clips, By: by, Alone: alone}
		case 5:
			a.Move = &edit.Move{Clips: clips, By: by, Alone: alone, Over: rnd.IntN(2) == 0}
			if rnd.IntN(2) == 0 {
				a.Move.Onto = map[string]string{r.Tracks[0].ID: r.Tracks[rnd.IntN(3)].ID}
			}
		case 6:
			a.Remove = &edit.Remove{Clips: clips, Alone: alone, Close: closing}
		case 7:
			a.RemoveSpan = &edit.RemoveSpan{From: at, To: at + 300, Tracks: tracks, Alone: alone, Close: closing}
		case 8:
			a.InsertTime = &edit.InsertTime{At: at, By: 1 + rnd.Int64N(100), Tracks: tracks, Alone: alone}
		case 9:
			a.Fade = &edit.Fade{Clips: clips, In: &reel.Fade{Length: rnd.Int64N(200)}, Alone: alone}
		case 10:
			a.Crossfade = &edit.Crossfade{Clips: clips, Length: rnd.Int64N(200), Alone: alone}
		case 11:
			a.Off = &edit.Off{From: at, To: at + 500, Tracks: tracks, Ramp: rnd.Int64N(100)}
		case 12:
			a.Dip = &edit.Dip{From: at, To: at + 500, Tracks: tracks, DB: -3, Ramp: 50}
		case 13:
			a.Home = &edit.Home{Clips: clips}
		}
		now, err := try(t, r, a)
		if err != nil {
			continue
		}
		var name map[string]json.RawMessage
		b, _ := json.Marshal(a)
		require.NoError(t, json.Unmarshal(b, &name))
		for k := range name {
			kinds[k]++
		}
		if a.Cut != nil || a.Join != nil {
			faded := slices.ContainsFunc(r.Tracks, func(tr reel.Track) bool {
				return slices.ContainsFunc(tr.Clips, func(c reel.Clip) bool { return c.FadeIn.Length+c.FadeOut.Length > 0 })
			})
			if !faded {
				require.Equal(t, heard(r), heard(now), "%s", b)
			}
		}
		inSync(t, now)
		r = now
		n := 0
		for _, tr := range r.Tracks {
			n += len(tr.Clips)
		}
		if n < 6 || n > 120 {
			r = first
		}
	}
	for _, k := range []string{"cut", "join", "trim", "extend", "slip", "move", "remove", "remove_span", "insert_time", "fade", "crossfade", "off", "dip", "home"} {
		assert.Greater(t, kinds[k], 5, "%s of %v", k, kinds)
	}
}
