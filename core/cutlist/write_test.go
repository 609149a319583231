package cutlist_test

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// What is written reads back as the same reel, and as a cut list it says the same places.
func TestReelsAreWrittenAndRead(t *testing.T) {
	start, length := at("10:00:00:00"), int64(100*rate)
	r := reel.New()
	r.Start, r.Length = &start, &length
	fade := reel.Fade{Length: 480, Shape: reel.EqualPower}
	r.Tracks = []reel.Track{
		{ID: "t1", Label: "Boom, \"wide\"", Layout: "mono", Gain: automation.Curve{{At: start, Value: -3}}, Clips: []reel.Clip{
			{ID: "a", Name: "21A-3", Strands: []string{"s1"}, At: start + 1000, In: 500, Length: rate, Tie: "x", FadeOut: fade, Off: []reel.Range{{From: 600, To: 700, Ramp: 10}}},
			{ID: "b", Name: "21A-1", Strands: []string{"s1"}, At: start + 1000 + rate - 480, In: 9000, Length: rate, FadeIn: fade, Away: -7, Note: "borrowed"},
			{ID: "c", Name: "22-1", Strands: []string{"s2"}, At: start + 5*rate, In: 0, Length: rate, Invert: true},
		}},
		{ID: "t2", Label: "Score", Layout: "stereo", Off: true, Clips: []reel.Clip{{ID: "d", Name: "1M1", Strands: []string{"s3", "s4"}, At: start, Length: rate, Patch: weave.Patch{Preset: weave.Exchanged}}}},
		{ID: "t3", Label: "Empty", Layout: "5.1", Clips: []reel.Clip{}},
	}
	r.Markers = []reel.Marker{{ID: "m", At: start + 48000, Length: 1920, Name: "Pier", Colour: "plum", Note: "<&>"}}
	r.Weave.Sends["t1"] = []weave.Send{{To: "DX", GainDB: -4, Patch: weave.Patch{Preset: weave.Both}}}
	require.NoError(t, r.Check())
	media := func(strand string) (cutlist.Media, bool) {
		return cutlist.Media{Name: strand + " day 1.wav", Start: at("22:10:00:00"), Frames: 90 * rate}, strand != "s3"
	}
	var b bytes.Buffer
	require.NoError(t, cutlist.WriteOTIO(&b, "Ferry", r, rate, media))
	back, ok, err := cutlist.ReadReel(b.Bytes())
	require.NoError(t, err)
	require.True(t, ok)
	want, _ := json.Marshal(r)
	got, _ := json.Marshal(back)
	assert.Equal(t, string(want), string(got))

	l, err := cutlist.Parse(b.Bytes(), pal, rate, nil)
	require.NoError(t, err)
	tc := at("22:10:00:00")
	meet := start + 1000 + rate - 240
	assert.Equal(t, []cutlist.Event{
		{Number: "1", Name: "21A-3", In: tc + 500, At: start + 1000, Length: rate - 240},
		{Number: "2", Name: "21A-1", In: tc + 9000, At: start + 1000 + rate - 480, Length: rate, Fade: 480},
		{Number: "3", Name: "22-1", In: tc, At: start + 5*rate, Length: rate},
	}, l.Events)
	assert.EqualValues(t, meet, l.Events[0].At+l.Events[0].Length, "it ends where the next one's crossfade has its middle")

	other, ok, err := cutlist.ReadReel([]byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{}}`))
	require.NoError(t, err)
	assert.False(t, ok)
	assert.Empty(t, other.Tracks)
	broken := bytes.Replace(b.Bytes(), []byte(`"layout": "mono"`), []byte(`"layout": "5.1"`), 1)
	_, ok, err = cutlist.ReadReel(broken)
	assert.True(t, ok)
	require.ErrorContains(t, err, "can't be")
	_, _, err = cutlist.ReadReel(bytes.Replace(b.Bytes(), []byte(`"format": 1`), []byte(`"format": 9`), 1))
	require.ErrorContains(t, err, "newer version")
}
