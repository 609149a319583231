package align_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/internal/testmedia"
)

const rate = 48000

func lineUp(t testing.TB, ref, file memory) align.Alignment {
	t.Helper()
	a, err := align.Align(context.Background(), ref, file)
	require.NoError(t, err)
	return a
}

// Recordings of known truth: what is called certain is within a millisecond, and within a sample where
// both are of the same source.
func TestKnownTruth(t *testing.T) {
	const seconds = 81
	scene := voice(1, rate, seconds)
	n := 40 * rate
	for name, c := range testmedia.SomeOf(map[string]struct {
		ref, file []float64
		at        float64 // samples of the reference
		same      bool
		polarity  int
		fileRate  int
	}{
		"the same source":         {scene, scene[31*rate+17 : 31*rate+17+n], 31*rate + 17, true, 1, rate},
		"starting earlier":        {scene[20*rate:], scene[3*rate+5 : 3*rate+5+n], -17*rate + 5, true, 1, rate},
		"inverted":                {scene, times(scene[10*rate:10*rate+n], -1), 10 * rate, true, -1, rate},
		"40 dB down":              {scene, times(scene[10*rate+1:10*rate+1+n], 0.01), 10*rate + 1, true, 1, rate},
		"40 dB up, inverted":      {times(scene, 0.01), times(scene[5:5+n], -1), 5, true, -1, rate},
		"between samples":         {scene, sampled(scene, 12345.5, 1, n), 12345.5, true, 1, rate},
		"another rate":            {scene, sampled(scene, 7*rate, 48000.0/44100, 40*44100), 7 * rate, true, 1, 44100},
		"a low rate":              {scene, sampled(banded(scene, rate), 7*rate, 3, 40*16000), 7 * rate, false, 1, 16000},
		"two places in a room":    {room(scene, 1, rate), room(scene, 2, rate)[33*rate : 33*rate+n], 33 * rate, false, 1, rate},
		"a camera":                {scene, banded(room(scene, 3, rate), rate)[20*rate+100 : 20*rate+100+n], 20*rate + 100, false, 1, rate},
		"noise as loud as speech": {noisy(scene, 1, 0.1), noisy(room(scene, 4, rate), 2, 0.1)[15*rate : 15*rate+n], 15 * rate, false, 1, rate},
		"noise on a camera":       {noisy(room(scene, 5, rate), 3, 0.05), noisy(times(banded(room(scene, 6, rate), rate), -0.02), 4, 0.001)[25*rate+7 : 25*rate+7+n], 25*rate + 7, false, -1, rate},
		"five seconds":            {scene, scene[50*rate+3 : 55*rate+3], 50*rate + 3, true, 1, rate},
		"half beyond the end":     {scene[:60*rate], scene[40*rate : 80*rate], 40 * rate, true, 1, rate},
	}, 3) {
		t.Run(name, func(t *testing.T) {
			a := lineUp(t, memory{rate, c.ref}, memory{c.fileRate, c.file})
			t.Logf("%+v", a)
			require.Equal(t, align.Certain, a.Certainty, a.Reason)
			limit := 1e-3 * rate
			if c.same {
				limit = 1
			}
			assert.InDelta(t, c.at, a.Offset, limit)
			assert.Equal(t, c.polarity, a.Polarity)
			assert.Equal(t, rate, a.Rate)
			assert.False(t, a.DriftKnown && math.Abs(a.Drift) > 1)
		})
	}
}

// Ten minutes show a drift within one part in a million, and the offsets at both ends.
func TestDrift(t *testing.T) {
	const low = 12000 // what is tested is time: a lower rate has it cheaper
	scene := voice(2, low, 640)
	for _, ppm := range testmedia.Some([]float64{-100, 0, 3, 45}, 0, 3) {
		n := int(600 * low * (1 + ppm*1e-6))
		at := 20.25 * low
		file := sampled(scene, at, 1/(1+ppm*1e-6), n)
		for name, f := range map[string][]float64{"same": file, "room": noisy(room(file, 3, low), 5, 0.03)} {
			a := lineUp(t, memory{low, scene}, memory{low, f})
			t.Logf("%g ppm, %s: %+v", ppm, name, a)
			require.Equal(t, align.Certain, a.Certainty, a.Reason)
			require.True(t, a.DriftKnown)
			assert.InDelta(t, ppm, a.Drift, 1)
			limit := 1.0
			if name == "room" {
				limit = 1e-3 * low
			}
			assert.InDelta(t, at, a.Offset, limit)
			assert.InDelta(t, at, a.Start, limit)
			assert.InDelta(t, at-600*low*ppm*1e-6, a.End, limit+1)
		}
	}
}

// Half an hour either way.
func TestFarApart(t *testing.T) {
	const low = 8000
	scene := voice(6, low, 31*60)
	file := noisy(room(scene, 7, low)[30*60*low+5:30*60*low+5+40*low], 8, 0.05)
	for at, a := range map[float64]align.Alignment{
		30*60*low + 5:    lineUp(t, memory{low, scene}, memory{low, file}),
		-(30*60*low + 5): lineUp(t, memory{low, file}, memory{low, scene}),
	} {
		require.Equal(t, align.Certain, a.Certainty, a.Reason)
		assert.InDelta(t, at, a.Offset, 1e-3*low)
	}
}

// What is not to be told is not told.
func TestDoubt(t *testing.T) {
	scene := voice(3, rate, 60)
	hum := func(seconds float64, phase float64) []float64 {
		x := make([]float64, int(seconds*rate))
		for i := range x {
			for k := 1; k <= 20; k++ {
				x[i] += 0.05 / float64(k) * math.Sin(2*math.Pi*50*float64(k)*float64(i)/rate+phase)
			}
		}
		return noisy(x, uint64(phase*10)+20, 1e-4)
	}
	figure := voice(4, rate, 4)
	var loop []float64
	for range 12 {
		loop = append(loop, figure...)
	}
	for name, c := range map[string]struct {
		ref, file []float64
		want      align.Certainty
	}{
		"another take":        {scene, voice(99, rate, 40), align.None},
		"silence":             {scene, make([]float64, 20*rate), align.None},
		"a silent reference":  {make([]float64, 20*rate), scene, align.None},
		"a hum alone":         {hum(40, 0), hum(30, 1), align.None},
		"a figure repeated":   {loop, loop[8*rate : 20*rate], align.Doubtful},
		"too short":           {scene, scene[rate : 2*rate], align.None},
		"next to nothing":     {scene, nil, align.None},
		"noise alone":         {noisy(make([]float64, 40*rate), 1, 0.1), noisy(make([]float64, 30*rate), 2, 0.1), align.None},
		"the end of the same": {scene[:20*rate], scene[19*rate:], align.None},
	} {
		t.Run(name, func(t *testing.T) {
			a := lineUp(t, memory{rate, c.ref}, memory{rate, c.file})
			t.Logf("%+v", a)
			if c.want == align.None && a.Certainty == align.Doubtful {
				t.Logf("doubtful, where nothing would do as well")
			} else {
				assert.Equal(t, c.want, a.Certainty, a.Reason)
			}
			assert.NotEmpty(t, a.Reason)
		})
	}
}

// Of pairs that have nothing to do with each other, five hundred in all, none is called certain.
func TestStrangersAreNeverCertain(t *testing.T) {
	const low = 8000
	most := testmedia.Sized(45, 500)
	each := testmedia.Sized(10, 36)
	var all []*align.Recording
	for i := range each {
		x := voice(uint64(1000+i), low, 9)
		switch i % 4 {
		case 1:
			x = noisy(x, uint64(i), 0.05)
		case 2:
			x = room(x, uint64(i), low)
		case 3:
			x = banded(room(x, uint64(i), low), low)
		}
		r, err := align.Listen(context.Background(), memory{low, x})
		require.NoError(t, err)
		all = append(all, r)
	}
	pairs := 0
	for i := range all {
		for k := i + 1; k < len(all) && pairs < most; k++ {
			pairs++
			a, err := all[i].Align(context.Background(), all[k])
			require.NoError(t, err)
			assert.NotEqual(t, align.Certain, a.Certainty, "%d and %d: %+v", i, k, a)
		}
	}
	assert.Equal(t, most, pairs)
}
