package edit_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

func taken(stem string, readings []take.Reading, labels ...string) edit.Take {
	t := edit.Take{Name: "1M1", Start: 100, Frames: 1000, Readings: readings}
	for i, l := range labels {
		t.Strands = append(t.Strands, edit.TakeStrand{ID: fmt.Sprint("s", i+1), Position: i + 1, Label: l, Stem: stem, Frames: 1000})
	}
	return t
}

// laidOut is what a take comes to in an empty reel: a line a track.
func laidOut(t *testing.T, tk edit.Take) (out []string) {
	t.Helper()
	l := tk.Lay(weave.Default())
	l.NewID, l.DayLen = newID, 1<<40
	ops, err := reel.LayTake(reel.New(), l)
	require.NoError(t, err)
	r, _, err := reel.Apply(reel.New(), ops)
	require.NoError(t, err)
	require.NoError(t, r.Check())
	for _, tr := range r.Tracks {
		line := fmt.Sprintf("%s, %s: %v", tr.Label, tr.Layout, tr.Clips[0].Strands)
		if p := tr.Clips[0].Patch.Preset; p != "" {
			line += " " + string(p)
		}
		if s, ok := r.Weave.Send(tr.ID); ok {
			line += fmt.Sprintf(" to %s %s", s.To, s.Patch.Preset)
		}
		if tr.Off {
			line += ", off"
		}
		out = append(out, line)
	}
	return out
}

func TestRecordingsAreLaidAsWideAsTheyAre(t *testing.T) {
	film := []audio.Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}
	stereo := take.Reading{Kind: take.Stereo, Positions: []int{1, 2}}
	six := take.Reading{Kind: take.Surround, Positions: []int{1, 2, 3, 4, 5, 6}, Order: film}
	for name, c := range map[string]struct {
		take edit.Take
		want []string
	}{
		"a stereo score":   {taken("MX", []take.Reading{stereo}, "Score L", "Score R"), []string{"Score, stereo: [s1 s2] to MX "}},
		"without labels":   {taken("", []take.Reading{stereo}, "L", "R"), []string{"1M1, stereo: [s1 s2]"}},
		"in film order":    {taken("MX", []take.Reading{six}, "M L", "M C", "M R", "M Ls", "M Rs", "M LFE"), []string{"M, 5.1: [s1 s3 s2 s6 s4 s5] to MX fold"}},
		"mid and side":     {taken("FX", []take.Reading{{Kind: take.MidSide, Positions: []int{1, 2}}}, "Door M", "Door S"), []string{"Door, stereo: [s1 s2] mid_side to FX "}},
		"ambisonic":        {taken("FX", []take.Reading{{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}}}, "W", "Y", "Z", "X"), []string{"W, ambisonic 1 SN3D: [s1 s2 s3 s4] to FX decoded"}},
		"in FuMa":          {taken("FX", []take.Reading{{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}, Norm: take.FuMa}}, "Deck W", "Deck X", "Deck Y", "Deck Z"), []string{"Deck, ambisonic 1 FuMa: [s1 s2 s3 s4] to FX decoded"}},
		"in A-format":      {taken("FX", []take.Reading{{Kind: take.Ambisonic, Positions: []int{2, 1, 3, 4}, Norm: take.AFormat}}, "FRD", "FLU", "BLD", "BRU"), []string{"FLU, ambisonic 1 SN3D: [s2 s1 s3 s4] matrix to FX decoded"}},
		"two pairs":        {taken("FX", []take.Reading{stereo, {Kind: take.Stereo, Positions: []int{3, 4}}}, "A L", "A R", "B L", "B R"), []string{"A, stereo: [s1 s2] to FX ", "B, stereo: [s3 s4] to FX "}},
		"a recorder's":     {taken("DX", []take.Reading{stereo}, "Amb L", "Amb R", "Boom"), []string{"Amb L, mono: [s1] to DX left", "Amb R, mono: [s2] to DX right", "Boom, mono: [s3] to DX both"}},
		"its mix and more": {taken("", []take.Reading{stereo}, "MixL", "MixR", "Boom"), []string{"MixL, mono: [s1], off", "MixR, mono: [s2], off", "Boom, mono: [s3]"}},
	} {
		assert.Equal(t, c.want, laidOut(t, c.take), name)
	}
	off := taken("", []take.Reading{stereo}, "L", "R")
	off.Strands[1].Off = true
	assert.Equal(t, []string{"1M1 L, mono: [s1]"}, laidOut(t, off), "what is off is no part of a pair")
	off.Strands[0].Stem = "FX"
	assert.Equal(t, []string{"1M1 L, mono: [s1] to FX both"}, laidOut(t, off), "and what is left of it is no side")
	let := taken("", []take.Reading{stereo}, "A L", "A R")
	let.Strands[1].Shift = 48
	assert.Equal(t, []string{"A L, mono: [s1]", "A R, mono: [s2]"}, laidOut(t, let), "nor is what was let go")
}

// Without a given label nothing shares a track: a door, a car and a narrator who were called nothing are three tracks.
func TestWhatNobodyLabelledSharesNoTrack(t *testing.T) {
	r := reel.New()
	for i, name := range []string{"Door_01", "VO_EN", "1M2 Lights Out", "VO_EN"} {
		tk := edit.Take{Name: name, Start: int64(10000 * i), Frames: 1000, Strands: []edit.TakeStrand{{ID: fmt.Sprint("n", i), Position: 1, Frames: 1000}}}
		if i == 2 {
			tk.Strands = append(tk.Strands, edit.TakeStrand{ID: "n2r", Position: 2, Label: "R", Frames: 1000})
			tk.Strands[0].Label = "L"
			tk.Readings = []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}
		}
		r = laidInto(t, r, tk)
	}
	var labels []string
	for _, tr := range r.Tracks {
		labels = append(labels, tr.Label+" "+tr.Layout)
	}
	assert.Equal(t, []string{"Door 01 mono", "VO EN mono", "1M2 Lights Out stereo", "VO EN mono"}, labels)

	// What was labelled shares one with its own width alone.
	r = reel.New()
	for i, label := range []string{"Boom", "Boom"} {
		r = laidInto(t, r, edit.Take{Name: fmt.Sprint("T", i), Start: int64(10000 * i), Frames: 1000, Strands: []edit.TakeStrand{{ID: fmt.Sprint("b", i), Position: 1, Label: label, Frames: 1000}}})
	}
	assert.Len(t, r.Tracks, 1)
}

func laidInto(t *testing.T, r reel.Reel, tk edit.Take) reel.Reel {
	t.Helper()
	l := tk.Lay(r.Weave)
	l.NewID, l.DayLen = newID, 1<<40
	ops, err := reel.LayTake(r, l)
	require.NoError(t, err)
	r, _, err = reel.Apply(r, ops)
	require.NoError(t, err)
	return r
}
