package timecode_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/timecode"
)

func rate(t *testing.T, s string) timecode.Rate {
	t.Helper()
	r, err := timecode.ParseRate(s)
	require.NoError(t, err)
	return r
}

func TestParseRate(t *testing.T) {
	for in, want := range map[string]string{
		"24000/1001": "24000/1001", "25": "25/1", "25/1": "25/1", "50/2": "25/1", "025.000-ND": "25/1", "23.976": "24000/1001", "023.976-ND": "24000/1001",
		"29.97 drop": "30000/1001 drop", "029.970-DF": "30000/1001 drop", "029.970-ND": "30000/1001", "59.94DF": "60000/1001 drop", "30": "30/1", "47.95": "48000/1001",
	} {
		r, err := timecode.ParseRate(in)
		require.NoError(t, err, in)
		got := r.Rational()
		if r.Drop {
			got += " drop"
		}
		assert.Equal(t, want, got, in)
	}
	for _, bad := range []string{"", "0", "25/0", "-25", "26", "25 drop", "1000000000000/1", "abc", "24/7"} {
		_, err := timecode.ParseRate(bad)
		assert.Error(t, err, bad)
	}
}

func TestKnownTimecodes(t *testing.T) {
	for _, c := range []struct {
		rate    string
		samples int64
		want    string
	}{
		{"25", 3830640000, "22:10:05:00"},
		{"25", 48000*86400 - 1, "23:59:59:24"},
		{"25", 48000 * 86400, "00:00:00:00"},
		{"23.976", 48048, "00:00:01:00"},                               // 24 frames at 24000/1001 are 1.001 s
		{"29.97", 1601, "00:00:00:00"}, {"29.97", 1602, "00:00:00:01"}, // a frame is 1601.6 samples
		{"29.97 drop", 1601 * 1800, "00:00:59;29"},
		{"29.97 drop", 2882880, "00:01:00;02"},  // frame 1800: 0 and 1 are left out
		{"29.97 drop", 28799971, "00:09:59;29"}, // frame 17982 begins at 28799971.2
		{"29.97 drop", 28799972, "00:10:00;00"},
		{"59.94 drop", 2882880, "00:01:00;04"},
	} {
		assert.Equal(t, c.want, rate(t, c.rate).FormatSamples(c.samples, 48000), "%s at %d", c.rate, c.samples)
	}
}

// Parse is the inverse of Format at every frame of a day's edges and at random ones, and SampleAt
// is the first sample of its frame, by an independent computation in rationals.
func TestRoundTrips(t *testing.T) {
	rnd := rand.New(rand.NewPCG(1, 2))
	for _, name := range []string{"23.976", "24", "25", "29.97", "29.97 drop", "30", "47.95", "48", "50", "59.94", "59.94 drop", "60"} {
		r := rate(t, name)
		day := r.DayFrames()
		frames := []int64{0, 1, day - 1, r.Base() * 60, r.Base()*60 - 1, r.Base()*600 - 18}
		for range 2000 {
			frames = append(frames, rnd.Int64N(day))
		}
		seen := map[string]bool{}
		for i := range int64(40000) { // the first minutes one by one: no number twice, none skipped
			tc := r.Format(i)
			require.False(t, seen[tc], "%s %s", name, tc)
			seen[tc] = true
		}
		for _, f := range frames {
			got, err := r.Parse(r.Format(f))
			require.NoError(t, err)
			require.Equal(t, f, got, "%s %s", name, r.Format(f))
			for _, hz := range []int64{44100, 48000, 96000, 192000} {
				at := r.SampleAt(f, hz)
				exact := new(big.Rat).SetFrac64(f*hz, 1)
				exact.Mul(exact, big.NewRat(r.Den, r.Num))
				require.True(t, big.NewRat(at, 1).Cmp(exact) >= 0 && big.NewRat(at-1, 1).Cmp(exact) < 0, "%s frame %d at %d Hz is sample %d", name, f, hz, at)
				require.Equal(t, f, r.FrameAt(at, hz))
			}
		}
	}
}

func TestParseRefuses(t *testing.T) {
	for tc, name := range map[string]string{
		"24:00:00:00": "25", "00:60:00:00": "25", "00:00:00:25": "25", "00:00:00": "25", "aa:00:00:00": "25", "000:00:00:00": "25",
		"00:01:00;00": "29.97 drop", "00:01:00;03": "59.94 drop",
	} {
		_, err := rate(t, name).Parse(tc)
		assert.Error(t, err, tc)
	}
	_, err := rate(t, "29.97 drop").Parse("00:10:00;00")
	assert.NoError(t, err, "every tenth minute has all its numbers")
}
