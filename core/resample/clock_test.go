package resample_test

import (
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/resample"
)

func clock(t *testing.T, from, to int, drift float64) resample.Clock {
	t.Helper()
	k, err := resample.NewClock(from, to, drift)
	require.NoError(t, err)
	return k
}

// A moment is the nearest sample of the other rate by exact fractions, the same way round on both sides of zero.
func TestAMomentAtAnotherRateIsExact(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 5))
	rates := []int{44100, 47952, 48000, 48048, 96000, 192000}
	for range 5000 {
		from, to := rates[rng.IntN(len(rates))], rates[rng.IntN(len(rates))]
		k, at := clock(t, from, to, 0), rng.Int64N(int64(from)*86400)
		twice := new(big.Rat).SetFrac64(2*at*int64(to)+int64(from), 2*int64(from))
		nearest := new(big.Int).Quo(twice.Num(), twice.Denom()).Int64()
		assert.Equal(t, nearest, k.Moment(at), "%d of %d Hz at %d Hz", at, from, to)
		assert.Equal(t, -nearest, k.Moment(-at))
	}
	assert.EqualValues(t, -1, clock(t, 44100, 48000, 0).Start(nil))
	at := int64(44100)
	assert.EqualValues(t, 48000, clock(t, 44100, 48000, 500).Start(&at), "where it begins does not drift")
}

func TestALengthIsCorrectedForDrift(t *testing.T) {
	assert.EqualValues(t, 77, clock(t, 48000, 48000, 0).Frames(77))
	// An hour by a clock that ran 100 parts in a million fast is 0.36 s less.
	assert.InDelta(t, 48000*3600/1.0001, clock(t, 48000, 48000, 100).Frames(48000*3600), 1)
	assert.InDelta(t, 96000*3600/1.0001, clock(t, 48000, 96000, 100).Frames(48000*3600), 2)
	_, err := resample.NewClock(48000, 48000, 1001)
	assert.ErrorContains(t, err, "1001 ppm")
	_, err = resample.NewClock(48000, 12, 0)
	assert.ErrorContains(t, err, "12 Hz")
}

// Read with another drift and read back, a place is where it was, to the sample; none lies beyond the recording.
func TestAPlaceIsRetimedThereAndBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(2, 5))
	for range 200 {
		from := []int{44100, 48000, 96000}[rng.IntN(3)]
		was, now := clock(t, from, 48000, float64(rng.IntN(2001)-1000)/10), clock(t, from, 48000, float64(rng.IntN(2001)-1000)/10)
		longest := rng.Int64N(int64(from)*7200) + 1
		there, back := now.Retimed(was, longest), was.Retimed(now, longest)
		for range 20 {
			at := rng.Int64N(was.Frames(longest))
			assert.InDelta(t, at, back(there(at)), 1)
			assert.LessOrEqual(t, there(at), now.Frames(longest))
		}
		assert.LessOrEqual(t, there(was.Frames(longest)+5), now.Frames(longest))
	}
}
