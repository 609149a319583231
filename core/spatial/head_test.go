package spatial_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/spatial"
)

// response is the magnitude in dB and the delay in samples of an ear at a frequency.
func response(e *spatial.Ear, hz float64) (db, delay float64) {
	const n, rate = 48000, 48000.0
	x, y := make([]float64, n), make([]float64, n)
	for i := range x {
		x[i] = math.Cos(2 * math.Pi * hz * float64(i) / rate)
	}
	for at := 0; at < n; at += 777 { // in blocks of odd lengths
		to := min(n, at+777)
		e.Add(y[at:to], x[at:to], 1)
	}
	re, im := 0.0, 0.0
	for i := n / 2; i < n; i++ {
		s, c := math.Sincos(2 * math.Pi * hz * float64(i) / rate)
		re, im = re+y[i]*c, im+y[i]*s
	}
	return 20 * math.Log10(math.Hypot(re, im)/(n/4)), math.Atan2(im, re) / (2 * math.Pi * hz) * rate
}

// Times between the ears are Woodworth's, and the shadow takes what the shelf of Brown and Duda says.
func TestASphericalHead(t *testing.T) {
	for az := 0.0; az <= 90; az += 15 {
		left, right := spatial.NewEar(az, 0, false, 48000), spatial.NewEar(az, 0, true, 48000)
		rad := az * math.Pi / 180
		want := 0.0875 / 343 * (rad + math.Sin(rad)) * 48000
		assert.InDelta(t, want, right.Delay()-left.Delay(), 1e-9, "from %g°", az)
		for _, e := range []*spatial.Ear{left, right} {
			before, delay := response(e, 40)
			assert.InDelta(t, 0, before, 0.1, "low frequencies go around the head")
			_ = delay
		}
		nearHigh, _ := response(left, 12000)
		farHigh, _ := response(right, 12000)
		assert.GreaterOrEqual(t, nearHigh-farHigh, 0.19*az-0.5, "the far ear is darker from %g°", az)
	}
	// Both ears hear alike what is in the middle, whatever its height.
	for _, el := range []float64{-40, 0, 45, 90} {
		assert.InDelta(t, spatial.NewEar(0, el, false, 48000).Delay(), spatial.NewEar(0, el, true, 48000).Delay(), 1e-9)
	}
	// The time is there in the sound, too: a phase that runs with the frequency.
	a, b := spatial.NewEar(60, 0, false, 48000), spatial.NewEar(60, 0, true, 48000)
	_, near := response(a, 100)
	_, far := response(b, 100)
	// At low frequencies the shelves of the two ears add to the difference, as they do on a real sphere: up to half as much again.
	assert.Greater(t, far-near, 0.99*(b.Delay()-a.Delay()))
	assert.Less(t, far-near, 1.6*(b.Delay()-a.Delay()))
	a.Reset()
	y := make([]float64, 100)
	a.Add(y, make([]float64, 100), 1)
	assert.Equal(t, make([]float64, 100), y)
}
