package app_test

import (
	"encoding/binary"
	"io"
	"math"
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
)

// heard is a sound by its name, whole.
func (f *fixture) heard(name string) []float32 {
	f.t.Helper()
	s, _, err := f.OpenSound(f.ctx, name, 0, 0)
	require.NoError(f.t, err)
	defer s.Close()
	b, err := io.ReadAll(s)
	require.NoError(f.t, err)
	out := make([]float32, len(b)/4)
	for i := range out {
		out[i] = math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:]))
	}
	return out
}

// A take is laid as it is read: a pair to its sides, a mid-side pair decoded, each with the stem
// that was given with its label.
func TestLaidAsItIsRead(t *testing.T) {
	f := setup(t)
	f.take("six.wav", "a.wav")
	tk := f.takes()[0]
	st := f.strands(tk)
	require.NoError(t, f.edit(
		cell(tk.ID, "readings", []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}, {Kind: take.MidSide, Positions: []int{3, 4}}}),
		cell(st[0].ID, "label", "Amb L"), cell(st[0].ID, "stem", "FX"), cell(st[1].ID, "label", "Amb R"), cell(st[1].ID, "stem", "FX"),
		cell(st[2].ID, "label", "Door M"), cell(st[2].ID, "stem", "FX"), cell(st[3].ID, "label", "Door S"), cell(st[3].ID, "trim_db", -6.0),
		cell(st[4].ID, "label", "Boom"), cell(st[4].ID, "stem", "DX"), cell(st[5].ID, "off", true)))
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{tk.ID}, false))
	require.NoError(t, err)
	got := map[string]string{}
	names := map[string]string{}
	for _, tr := range r.Doc.Tracks {
		require.Len(t, tr.Clips, 1)
		names[tr.Label] = app.SoundName(tr.Clips[0])
		route, ok := r.Doc.Weave.Send(tr.ID)
		if ok {
			got[tr.Label] = route.To + " " + string(route.Patch.Preset)
		} else {
			got[tr.Label] = "nowhere"
		}
	}
	assert.Equal(t, map[string]string{"Amb L": "FX left", "Amb R": "FX right", "Door L": "FX left", "Door R": "FX right", "Boom": "DX both"}, got)

	mid, side := f.heard(st[2].ID.String()), f.heard(st[3].ID.String())
	left, right := f.heard(names["Door L"]), f.heard(names["Door R"])
	require.Len(t, left, len(mid))
	for i := range mid {
		require.InDelta(t, mid[i]+side[i], left[i], 1e-7, "sample %d", i)
		require.InDelta(t, mid[i]-side[i], right[i], 1e-7, "sample %d", i)
	}
	drawn, err := f.Waveform(f.ctx, names["Door L"], 0, 480, 480)
	require.NoError(t, err)
	for i, p := range drawn { // as recorded: without the side's trim
		require.InDelta(t, (mid[i]+side[i]/float32(audio.Gain(-6)))*16384, float64(p.Min), 1.01, "column %d", i)
	}

	_, err = f.LayTakes(f.ctx, r.ID, []uuid.UUID{tk.ID}, false)
	assert.Equal(t, "laid_already", code(err))
	used, err := f.Store.StrandsInReels(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.True(t, used[st[3].ID.String()], "the side is in use as well")
	assert.Equal(t, "in_use", code(f.RemoveFile(f.ctx, st[0].FileID)))
	for _, bad := range []string{"", "x", st[2].ID.String() + "+", "+" + st[2].ID.String(), st[2].ID.String() + "~" + uuid.NewString()} {
		_, _, err := f.OpenSound(f.ctx, bad, 0, 1)
		assert.Equal(t, "no_such_strand", code(err), "%q", bad)
	}

	// A track that has a route keeps it: only what is new follows the stem that was given.
	op := reel.Op{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: weave.Route{Stem: "MX", Position: weave.Both}.Sends()}}
	doc, _, err := reel.Apply(r.Doc, []reel.Op{op})
	require.NoError(t, err)
	ops, err := reel.LayTake(doc, reel.Lay{Name: "next", Start: -1, Frames: 10, NewID: uuid.NewString, Strands: []reel.Strand{{ID: "other", Label: doc.Tracks[0].Label, Sends: weave.Route{Stem: "DX", Position: weave.Both}.Sends()}}})
	require.NoError(t, err)
	doc, _, err = reel.Apply(doc, ops)
	require.NoError(t, err)
	assert.Equal(t, "MX", doc.Weave.Sends[doc.Tracks[0].ID][0].To)
}

// What Takes and the reel say of a stem is one thing: changed in either it changes in the other, for everything on
// the track, and undone together.
func TestStemsAreTheSameInTakesAndReel(t *testing.T) {
	f := setup(t)
	f.take("six.wav", "a.wav")
	f.takeBytes(twice(t), "b.wav")
	takes := f.takes()
	require.Len(t, takes, 2)
	one, two := f.strands(takes[0]), f.strands(takes[1])
	require.NoError(t, f.edit(cell(one[0].ID, "label", "Boom"), cell(two[0].ID, "label", "Boom")))
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{takes[0].ID, takes[1].ID}, false))
	require.NoError(t, err)
	boom := slices.IndexFunc(r.Doc.Tracks, func(tr reel.Track) bool { return tr.Label == "Boom" })
	require.GreaterOrEqual(t, boom, 0)
	track := r.Doc.Tracks[boom].ID
	require.Len(t, r.Doc.Tracks[boom].Clips, 2)
	say := func() [3]string {
		now, err := f.Store.Reel(f.ctx, r.ID)
		require.NoError(t, err)
		return [3]string{stemOf(now.Doc.Weave, track), f.strands(takes[0])[0].Stem, f.strands(takes[1])[0].Stem}
	}
	require.Equal(t, [3]string{}, say())

	require.NoError(t, f.edit(cell(one[0].ID, "stem", "DX")))
	assert.Equal(t, [3]string{"DX", "DX", "DX"}, say(), "typed in Takes")
	now, err := f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	_, err = f.EditReel(f.ctx, r.ID, now.Version, "route", []edit.Action{{SetSends: &reel.SetSends{From: track, Sends: weave.Route{Stem: "FX", Position: weave.Left}.Sends()}}})
	require.NoError(t, err)
	assert.Equal(t, [3]string{"FX", "FX", "FX"}, say(), "decided in Reel")
	f.undo()
	assert.Equal(t, [3]string{"DX", "DX", "DX"}, say())
	require.NoError(t, f.edit(cell(two[0].ID, "stem", "")))
	assert.Equal(t, [3]string{}, say(), "taken away in Takes")
	f.undo()
	f.undo()
	assert.Equal(t, [3]string{}, say())
	require.NoError(t, f.edit(cell(one[0].ID, "stem", "of another house")))
	assert.Equal(t, [3]string{"", "of another house", ""}, say(), "a stem that the weave has not is only a word")
}

// stemOf is the stem that a track is sent to.
func stemOf(w weave.Weave, track string) string {
	b, _ := w.StemOf(track)
	return b.ID
}
