package cutlist_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/cutlist"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// What is written is read again as it was: cuts and dissolves, at every rate, with frames dropped or not.
func TestEDLComesBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(38, 1))
	for _, name := range []string{"24", "25", "30000/1001 DF", "30000/1001", "24000/1001", "60"} {
		rate, err := timecode.ParseRate(name)
		require.NoError(t, err, name)
		at := func(frame int64) int64 { return rate.SampleAt(frame, 48000) }
		hour := rate.FrameAt(3600*48000, 48000)
		l := cutlist.List{Title: "Lantern Ferry Reel 1 Boom", Kind: "edl", Events: nil}
		rec := 10 * hour
		for i := range 40 {
			n := 20 + rng.Int64N(400)
			in := 9*hour + rng.Int64N(hour)
			e := cutlist.Event{Number: "001", Name: "21A-3", Reel: "ROLL_7", File: "21A-T03.wav", In: at(in), At: at(rec), Length: at(rec+n) - at(rec)}
			if i > 0 && i%4 == 0 {
				e.Fade = at(rec+5) - at(rec)
			}
			l.Events = append(l.Events, e)
			rec += n
			if i%3 == 0 {
				rec += rng.Int64N(100)
			}
		}
		var b strings.Builder
		rounded, err := cutlist.WriteEDL(&b, l, "A", rate, 48000)
		require.NoError(t, err)
		assert.Zero(t, rounded, name)
		back, err := cutlist.Parse([]byte(b.String()), rate, 48000, nil)
		require.NoError(t, err, b.String())
		assert.Empty(t, back.Left)
		require.Len(t, back.Events, len(l.Events), name)
		for i := range l.Events {
			back.Events[i].Number = "001"
			// A source has as many frames as its record; their samples may differ by one.
			assert.InDelta(t, l.Events[i].Length, back.Events[i].Length, 1, name)
			back.Events[i].Length = l.Events[i].Length
			assert.Equal(t, l.Events[i], back.Events[i], name)
		}
		for _, c := range cutlist.Compare(l, back) {
			assert.Equal(t, cutlist.Same, c.Kind)
		}
	}
}

// Within a frame is on the nearest, and said.
func TestEDLSaysWhatIsRounded(t *testing.T) {
	rate := timecode.Rate{Num: 25, Den: 1}
	l := cutlist.List{Title: "a\nb", Events: []cutlist.Event{{Name: "X", In: 1920, At: 3600*48000 + 1000, Length: 48000}}}
	var b strings.Builder
	rounded, err := cutlist.WriteEDL(&b, l, "A", rate, 48000)
	require.NoError(t, err)
	assert.Equal(t, 1, rounded)
	assert.Contains(t, b.String(), "TITLE: a b\n")
	assert.Contains(t, b.String(), "01:00:00:01 01:00:01:01")
	assert.Contains(t, b.String(), "* ON THE NEAREST FRAME: -920 SAMPLES OF 48000 HZ BESIDE IT")
	_, err = cutlist.WriteEDL(&b, cutlist.List{Events: make([]cutlist.Event, 10000)}, "A", rate, 48000)
	require.Error(t, err)
}

// A track's crossfades are dissolves: the one before ends where the next comes in.
func TestATrackAsAList(t *testing.T) {
	l := cutlist.Of(reel.Track{Label: "Boom", Clips: []reel.Clip{
		{Name: "21A-3", Strands: []string{"a"}, At: 1000, In: 50, Length: 500}, {Name: "21A-4", Strands: []string{"b"}, At: 1400, In: 0, Length: 300},
	}}, func(s string) (cutlist.Media, bool) {
		return cutlist.Media{Name: s + ".wav", Roll: "R1", Start: 10000}, s == "a"
	})
	assert.Equal(t, []cutlist.Event{
		{Name: "21A-3", Reel: "R1", File: "a.wav", In: 10050, At: 1000, Length: 400},
		{Name: "21A-4", In: 0, At: 1400, Length: 300, Fade: 100},
	}, l.Events)
}

// What became of each event, and which it was.
func TestCompare(t *testing.T) {
	e := func(name string, in, at, length int64) cutlist.Event {
		return cutlist.Event{Name: name, In: in, At: at, Length: length}
	}
	was := cutlist.List{Events: []cutlist.Event{e("A", 100, 1000, 50), e("B", 0, 1050, 100), e("C", 500, 1150, 80), e("A", 300, 1230, 40), e("D", 0, 1270, 10)}}
	is := cutlist.List{Events: []cutlist.Event{e("A", 100, 1000, 50), e("C", 500, 1050, 80), e("B", 10, 1130, 70), e("E", 0, 1200, 20), e("A", 300, 1220, 45), e("A", 100, 1265, 50)}}
	type row struct {
		kind              string
		shift, head, tail int64
	}
	var got []row
	for _, c := range cutlist.Compare(was, is) {
		got = append(got, row{c.Kind, c.Shift, c.Head, c.Tail})
	}
	assert.Equal(t, []row{
		{cutlist.Same, 0, 0, 0}, {cutlist.Moved, -100, 0, 0}, {cutlist.Both, 70, -10, -20}, {cutlist.Added, 0, 0, 0},
		{cutlist.Both, -10, 0, 5}, {cutlist.Added, 0, 0, 0}, {cutlist.Gone, 0, 0, 0},
	}, got)
}
