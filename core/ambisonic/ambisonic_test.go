package ambisonic_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
)

func layout(t testing.TB, name string) audio.Layout {
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	return l
}

func times(m audio.Matrix, x []float64) []float64 {
	out := make([]float64, len(m))
	for i, row := range m {
		for k, f := range row {
			out[i] += f * x[k]
		}
	}
	return out
}

// Harmonics are orthonormal over the sphere, by Gauss-like quadrature in sin of the elevation, and the first ones are what
// everybody writes down.
func TestHarmonicsAreOrthonormal(t *testing.T) {
	const order, rings, steps = 7, 200, 32
	n := (order + 1) * (order + 1)
	sum := make([][]float64, n)
	for i := range sum {
		sum[i] = make([]float64, n)
	}
	for r := range rings {
		elevation := math.Asin(-1+(2*float64(r)+1)/rings) * 180 / math.Pi
		for s := range steps {
			y := ambisonic.Harmonics(order, float64(s)*360/steps, elevation)
			for i := range y {
				for k := range y {
					sum[i][k] += y[i] * y[k] / (rings * steps)
				}
			}
		}
	}
	for i := range sum {
		for k := range sum[i] {
			want := 0.0
			if i == k {
				want = 1
			}
			require.InDelta(t, want, sum[i][k], 0.01, "%d and %d", i, k)
		}
	}
	y := ambisonic.Harmonics(1, 90, 0)
	for i, want := range []float64{1, math.Sqrt(3), 0, 0} {
		assert.InDelta(t, want, y[i], 1e-12)
	}
	// Published closed forms of the second order, SN3D: V, T, R, S, U.
	az, el := 0.7, 0.4
	sin, cos := math.Sin, math.Cos
	got := ambisonic.Encode(layout(t, "ambisonic 2 SN3D"), az*180/math.Pi, el*180/math.Pi, 0)
	h := math.Sqrt(3) / 2
	for i, want := range []float64{1, sin(az) * cos(el), sin(el), cos(az) * cos(el), h * sin(2*az) * cos(el) * cos(el), h * sin(az) * sin(2*el), (3*sin(el)*sin(el) - 1) / 2, h * cos(az) * sin(2*el), h * cos(2*az) * cos(el) * cos(el)} {
		assert.InDelta(t, want, got[i], 1e-12, "ACN %d", i)
	}
	// And in FuMa: W X Y Z R S T U V, whose greatest value is 1, but for W.
	got = ambisonic.Encode(layout(t, "ambisonic 2 FuMa"), az*180/math.Pi, el*180/math.Pi, 0)
	for i, want := range []float64{math.Sqrt2 / 2, cos(az) * cos(el), sin(az) * cos(el), sin(el), (3*sin(el)*sin(el) - 1) / 2, cos(az) * sin(2*el), sin(az) * sin(2*el), cos(2*az) * cos(el) * cos(el), sin(2*az) * cos(el) * cos(el)} {
		assert.InDelta(t, want, got[i], 1e-12, "FuMa %d", i)
	}
}

// No component of FuMa is more than 1 from any direction, and each but W comes to it.
func TestFuMaIsMaxN(t *testing.T) {
	most := make([]float64, 16)
	for el := -90.0; el <= 90; el += 0.5 {
		for az := -180.0; az < 180; az += 1 {
			for i, v := range ambisonic.Encode(layout(t, "ambisonic 3 FuMa"), az, el, 0) {
				most[i] = max(most[i], math.Abs(v))
			}
		}
	}
	assert.InDelta(t, math.Sqrt2/2, most[0], 1e-12)
	for i, v := range most[1:] {
		assert.InDelta(t, 1, v, 1e-3, "component %d", i+1)
	}
}

// Through all norms and back is exact to a step of 24 bits; what is encoded in one and converted is what is encoded in the other.
func TestConversions(t *testing.T) {
	rnd := rand.New(rand.NewPCG(16, 1))
	for order := range 8 {
		norms := []audio.Norm{audio.SN3D, audio.N3D}
		if order <= audio.MaxFuMa {
			norms = append(norms, audio.FuMa)
		}
		for _, a := range norms {
			for _, b := range norms {
				from, to := layout(t, fmt.Sprintf("ambisonic %d %s", order, a)), layout(t, fmt.Sprintf("ambisonic %d %s", order, b))
				m, lost, err := ambisonic.Convert(from, to)
				require.NoError(t, err)
				assert.Empty(t, lost)
				az, el := 360*rnd.Float64(), 180*rnd.Float64()-90
				assert.InDeltaSlice(t, ambisonic.Encode(to, az, el, 40), times(m, ambisonic.Encode(from, az, el, 40)), 1e-12)
				back, _, err := ambisonic.Convert(to, from)
				require.NoError(t, err)
				x := make([]float64, from.Count)
				for i := range x {
					x[i] = float64(rnd.IntN(1<<24)-1<<23) / (1 << 23)
				}
				for i, v := range times(back, times(m, x)) {
					require.Equal(t, math.Round(x[i]*(1<<23)), math.Round(v*(1<<23)), "order %d, %s to %s", order, a, b)
				}
			}
		}
	}
	m, lost, err := ambisonic.Convert(layout(t, "ambisonic 3 SN3D"), layout(t, "ambisonic 1 FuMa"))
	require.NoError(t, err)
	assert.Equal(t, "orders 2 to 3 are left out: directions are less sharp, by 12 channels", lost)
	assert.Len(t, m, 4)
	m, lost, err = ambisonic.Convert(layout(t, "ambisonic 1 SN3D"), layout(t, "ambisonic 2 SN3D"))
	require.NoError(t, err)
	assert.Empty(t, lost)
	assert.Equal(t, audio.Unity(4), m[:4])
	assert.Equal(t, make([]float64, 4), m[8])
	_, _, err = ambisonic.Convert(layout(t, "5.1"), layout(t, "ambisonic 1 SN3D"))
	assert.Error(t, err)
}

// A field that is turned is one encoded elsewhere; turns add up, and come back.
func TestRotations(t *testing.T) {
	rnd := rand.New(rand.NewPCG(16, 2))
	for _, name := range []string{"ambisonic 1 SN3D", "ambisonic 3 FuMa", "ambisonic 7 SN3D", "ambisonic 5 N3D", "ambisonic 0 SN3D"} {
		l := layout(t, name)
		for range 20 {
			az, yaw := 360*rnd.Float64()-180, 360*rnd.Float64()
			el := 180*rnd.Float64() - 90
			m, err := ambisonic.Rotate(l, ambisonic.Turn{Yaw: yaw})
			require.NoError(t, err)
			assert.InDeltaSlice(t, ambisonic.Encode(l, az+yaw, el, 0), times(m, ambisonic.Encode(l, az, el, 0)), 1e-10)
			// Pitch raises what is in front, roll what is at the left.
			p := 90*rnd.Float64() - 45
			m, err = ambisonic.Rotate(l, ambisonic.Turn{Pitch: p})
			require.NoError(t, err)
			assert.InDeltaSlice(t, ambisonic.Encode(l, 0, p, 0), times(m, ambisonic.Encode(l, 0, 0, 0)), 1e-10)
			m, err = ambisonic.Rotate(l, ambisonic.Turn{Roll: p})
			require.NoError(t, err)
			assert.InDeltaSlice(t, ambisonic.Encode(l, 90, p, 0), times(m, ambisonic.Encode(l, 90, 0, 0)), 1e-10)
			// All three are the three one after the other.
			turn := ambisonic.Turn{Yaw: yaw, Pitch: p, Roll: az}
			all, err := ambisonic.Rotate(l, turn)
			require.NoError(t, err)
			r, _ := ambisonic.Rotate(l, ambisonic.Turn{Roll: az})
			pi, _ := ambisonic.Rotate(l, ambisonic.Turn{Pitch: p})
			ya, _ := ambisonic.Rotate(l, ambisonic.Turn{Yaw: yaw})
			step := ya.Times(pi.Times(r))
			for i := range all {
				require.InDeltaSlice(t, step[i], all[i], 1e-10)
			}
			a, _ := ambisonic.Rotate(l, ambisonic.Turn{Yaw: 30})
			b, _ := ambisonic.Rotate(l, ambisonic.Turn{Yaw: -30})
			for i, row := range a.Times(b) {
				require.InDeltaSlice(t, audio.Unity(l.Count)[i], row, 1e-10)
			}
		}
	}
	_, err := ambisonic.Rotate(layout(t, "stereo"), ambisonic.Turn{})
	assert.Error(t, err)
}

func TestMirrors(t *testing.T) {
	rnd := rand.New(rand.NewPCG(16, 3))
	for _, name := range []string{"ambisonic 4 SN3D", "ambisonic 3 FuMa"} {
		l := layout(t, name)
		for range 20 {
			az, el := 360*rnd.Float64()-180, 180*rnd.Float64()-90
			for which, to := range map[ambisonic.Mirror][2]float64{ambisonic.LeftRight: {-az, el}, ambisonic.FrontBack: {180 - az, el}, ambisonic.UpDown: {az, -el}} {
				m, err := ambisonic.Mirrored(l, which)
				require.NoError(t, err)
				assert.InDeltaSlice(t, ambisonic.Encode(l, to[0], to[1], 0), times(m, ambisonic.Encode(l, az, el, 0)), 1e-10, string(which))
			}
		}
	}
	_, err := ambisonic.Mirrored(layout(t, "ambisonic 1 SN3D"), "inside-out")
	assert.Error(t, err)
}

// vectors are where the levels and where the energies of speakers point, and how much energy there is.
func vectors(t *testing.T, l audio.Layout, g []float64) (velocity, energy, level float64) {
	var vx, vy, ex, ey float64
	for i, f := range g {
		d, ok := l.Direction(i)
		if !ok {
			require.Zero(t, f, "an LFE stays silent")
			continue
		}
		s, c := math.Sincos(d.Azimuth * math.Pi / 180)
		c, s = c*math.Cos(d.Elevation*math.Pi/180), s*math.Cos(d.Elevation*math.Pi/180)
		vx, vy, ex, ey, level = vx+f*c, vy+f*s, ex+f*f*c, ey+f*f*s, level+f*f
	}
	return math.Atan2(vy, vx) * 180 / math.Pi, math.Atan2(ey, ex) * 180 / math.Pi, 10 * math.Log10(level)
}

func apart(a, b float64) float64 { return math.Abs(math.Remainder(a-b, 360)) }

// A plane wave is decoded to where it comes from, and with the same energy all around.
func TestDecoders(t *testing.T) {
	for _, c := range []struct {
		from, to string
		order    int
	}{
		{"ambisonic 3 SN3D", "7.0", 3}, {"ambisonic 3 SN3D", "7.1", 3}, {"ambisonic 1 FuMa", "5.1", 1}, {"ambisonic 7 N3D", "5.1", 2},
		{"ambisonic 1 SN3D", "quad", 1}, {"ambisonic 1 SN3D", "LCR", 1}, {"ambisonic 3 SN3D", "7.1.4", 2}, {"ambisonic 0 SN3D", "5.1", 0},
	} {
		from, to := layout(t, c.from), layout(t, c.to)
		exact, err := ambisonic.Decode(from, to, ambisonic.ModeMatching, false)
		require.NoError(t, err)
		even, err := ambisonic.Decode(from, to, ambisonic.EnergyPreserving, true)
		require.NoError(t, err)
		require.NoError(t, even.Matrix.Check(to.Count, from.Count))
		assert.Equal(t, c.order, exact.Order, "%s to %s", c.from, c.to)
		assert.Contains(t, even.Says, "energy-preserving")
		round, err := ambisonic.Decode(from, to, ambisonic.AllRound, true)
		require.NoError(t, err)
		low, high, wide := math.Inf(1), math.Inf(-1), 0.0
		for az := -180.0; az < 180; az++ {
			_, e, level := vectors(t, to, times(round.Matrix, ambisonic.Encode(from, az, 0, 0)))
			wide = max(wide, apart(e, az))
			low, high = min(low, level), max(high, level)
		}
		t.Logf("all round, %s to %s: energy %.2f to %.2f dB, and within %.0f°", c.from, c.to, low, high, wide)
		least, most, turned, off := math.Inf(1), math.Inf(-1), 0.0, 0.0
		for az := -180.0; az < 180; az++ {
			y := ambisonic.Encode(from, az, 0, 0)
			v, _, _ := vectors(t, to, times(exact.Matrix, y))
			turned = max(turned, apart(v, az))
			_, e, level := vectors(t, to, times(even.Matrix, y))
			off = max(off, apart(e, az))
			least, most = min(least, level), max(most, level)
		}
		t.Logf("%s to %s: direction within %.2g°, energy within %.2g dB and %.0f°", c.from, c.to, turned, most-least, off)
		if c.order > 0 && c.to != "LCR" && c.to != "7.1.4" {
			assert.Less(t, turned, 1.0, "%s to %s", c.from, c.to)
		}
		assert.Less(t, most-least, 1.0, "%s to %s", c.from, c.to)
		assert.InDelta(t, 0, (most+least)/2, 0.6)
	}
	mono, err := ambisonic.Decode(layout(t, "ambisonic 2 N3D"), layout(t, "mono"), ambisonic.ModeMatching, false)
	require.NoError(t, err)
	assert.InDelta(t, 1, times(mono.Matrix, ambisonic.Encode(layout(t, "ambisonic 2 N3D"), 77, 10, 0))[0], 1e-12)
	pair, err := ambisonic.Decode(layout(t, "ambisonic 1 FuMa"), layout(t, "stereo"), ambisonic.ModeMatching, false)
	require.NoError(t, err)
	sides := times(pair.Matrix, ambisonic.Encode(layout(t, "ambisonic 1 FuMa"), 90, 0, 0))
	assert.InDeltaSlice(t, []float64{1, 0}, sides, 1e-12)
	for _, bad := range [][2]string{{"5.1", "stereo"}, {"ambisonic 1 SN3D", "ambisonic 1 SN3D"}, {"ambisonic 1 SN3D", "discrete 4"}} {
		_, err := ambisonic.Decode(layout(t, bad[0]), layout(t, bad[1]), ambisonic.ModeMatching, false)
		assert.Error(t, err)
	}
	_, err = ambisonic.Decode(layout(t, "ambisonic 1 SN3D"), layout(t, "5.1"), "somehow", false)
	assert.Error(t, err)
}

// Decoded by a fit, a plane wave has its energy where it comes from, within 1°, and the same all around, within 1 dB, whatever the order
// of the field; the energy vector is nearly as long as speakers so far apart allow.
func TestFittedDecoders(t *testing.T) {
	for _, c := range []struct {
		from, to string
		longest  float64 // between the two speakers that are furthest apart
	}{
		{"ambisonic 3 SN3D", "7.1", math.Cos(45 * math.Pi / 180)}, {"ambisonic 1 FuMa", "7.0", math.Cos(45 * math.Pi / 180)}, {"ambisonic 7 N3D", "7.1", math.Cos(45 * math.Pi / 180)},
		{"ambisonic 2 SN3D", "5.1", math.Cos(70 * math.Pi / 180)}, {"ambisonic 1 SN3D", "5.1", math.Cos(70 * math.Pi / 180)}, {"ambisonic 3 N3D", "5.0", math.Cos(70 * math.Pi / 180)},
		{"ambisonic 3 SN3D", "custom A@45/0 B@-45/0 C@135/0 D@-135/0", math.Cos(45 * math.Pi / 180)},
		{"ambisonic 4 SN3D", "custom A@0/0 B@60/0 C@120/0 D@180/0 E@-120/0 F@-60/0", math.Cos(30 * math.Pi / 180)},
	} {
		from, to := layout(t, c.from), layout(t, c.to)
		d, err := ambisonic.Decode(from, to, ambisonic.Fitted, true)
		require.NoError(t, err)
		require.NoError(t, d.Matrix.Check(to.Count, from.Count))
		assert.Contains(t, d.Says, "fitted", c.to)
		low, high, off, least := math.Inf(1), math.Inf(-1), 0.0, 1.0
		for az := -180.0; az < 180; az += 0.37 {
			levels := times(d.Matrix, ambisonic.Encode(from, az, 0, 0))
			_, e, level := vectors(t, to, levels)
			off = max(off, apart(e, az))
			low, high = min(low, level), max(high, level)
			along, energy := 0.0, 0.0
			for i, g := range levels {
				if dir, ok := to.Direction(i); ok {
					along += g * g * math.Cos((dir.Azimuth-az)*math.Pi/180)
					energy += g * g
				}
			}
			least = min(least, along/energy)
		}
		t.Logf("%s to %s: energy %.3f to %.3f dB, within %.3f°, its vector at least %.2f of %.2f", c.from, c.to, low, high, off, least, c.longest)
		assert.Less(t, off, 1.0, "%s to %s", c.from, c.to)
		assert.Less(t, max(high, -low), 1.0, "%s to %s", c.from, c.to)
		assert.Greater(t, least, 0.8*c.longest, "%s to %s", c.from, c.to)
	}
	// Where it can't be so they are decoded all-round, and it is said.
	for _, c := range [][2]string{{"ambisonic 3 SN3D", "LCR"}, {"ambisonic 3 SN3D", "quad"}, {"ambisonic 1 SN3D", "5.1.4"}} {
		d, err := ambisonic.Decode(layout(t, c[0]), layout(t, c[1]), ambisonic.Fitted, true)
		require.NoError(t, err)
		assert.Contains(t, d.Says, "all-round", c[1])
	}
}

// With speakers above, too: within 1° and 1 dB in the plane, and nearly so above it; what comes from below is as loud.
func TestFittedDecodersWithHeights(t *testing.T) {
	for _, c := range []struct {
		from, to string
		above    float64
	}{{"ambisonic 3 SN3D", "7.1.4", 4}, {"ambisonic 2 N3D", "7.1.4", 4.5}, {"ambisonic 1 FuMa", "7.1.4", 8}, {"ambisonic 3 SN3D", "5.1.4", 4}, {"ambisonic 7 SN3D", "7.1.4", 4}} {
		from, to := layout(t, c.from), layout(t, c.to)
		d, err := ambisonic.Decode(from, to, ambisonic.Fitted, true)
		require.NoError(t, err)
		assert.Contains(t, d.Says, "fitted, order")
		pointing := func(az, el float64) [3]float64 {
			s, k := math.Sincos(az * math.Pi / 180)
			up, flat := math.Sincos(el * math.Pi / 180)
			return [3]float64{k * flat, s * flat, up}
		}
		plane, above, loud, least := 0.0, 0.0, 0.0, 1.0
		for _, el := range []float64{0, 7, 23, 37, 52, 71, 90, -20, -70} {
			for az := -180.0; az < 180; az += 1.3 {
				var v [3]float64
				energy := 0.0
				for i, g := range times(d.Matrix, ambisonic.Encode(from, az, el, 0)) {
					if dir, ok := to.Direction(i); ok {
						energy += g * g
						for k, x := range pointing(dir.Azimuth, dir.Elevation) {
							v[k] += g * g * x
						}
					} else {
						assert.Zero(t, g, "the LFE is silent")
					}
				}
				loud = max(loud, math.Abs(10*math.Log10(energy)))
				if el < 0 {
					continue
				}
				long := math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2])
				u := pointing(az, el)
				off := math.Acos(min(1, (v[0]*u[0]+v[1]*u[1]+v[2]*u[2])/long)) * 180 / math.Pi
				if el == 0 {
					plane = max(plane, off)
				} else {
					above = max(above, off)
				}
				least = min(least, long/energy)
			}
		}
		t.Logf("%s to %s: within %.2f°, %.2f° above, %.2f dB, the energy vector at least %.2f", c.from, c.to, plane, above, loud, least)
		assert.Less(t, plane, 1.0, "%s to %s", c.from, c.to)
		assert.Less(t, above, c.above, "%s to %s", c.from, c.to)
		assert.Less(t, loud, 1.0, "%s to %s", c.from, c.to)
		assert.Greater(t, least, 0.3, "%s to %s", c.from, c.to)
	}
}

// A source that is spread is less sharp, and in all directions at once it is W alone.
func TestSpread(t *testing.T) {
	l := layout(t, "ambisonic 3 N3D")
	before := math.Inf(1)
	for _, spread := range []float64{0, 30, 90, 180, 300} {
		y := ambisonic.Encode(l, 30, 0, spread)
		assert.InDelta(t, 1, y[0], 1e-12)
		high := math.Abs(y[15])
		assert.Less(t, high, before)
		before = high
	}
	for _, v := range ambisonic.Encode(l, 30, 0, 360)[1:] {
		assert.InDelta(t, 0, v, 1e-9)
	}
}

// The weights of max-rE are those that are published: 0.577 for the first order in space, 0.707 in a plane.
func TestMaxRE(t *testing.T) {
	w := ambisonic.MaxRE(1, false)
	assert.InDelta(t, 1/math.Sqrt(3), w[1]/w[0], 1e-9)
	w = ambisonic.MaxRE(3, false)
	for l, want := range []float64{1, 0.861, 0.612, 0.305} {
		assert.InDelta(t, want, w[l]/w[0], 1e-3)
	}
	w = ambisonic.MaxRE(1, true)
	assert.InDelta(t, math.Sqrt2/2, w[1]/w[0], 1e-9)
}

func ExampleConvert() {
	fuma, _ := audio.ParseLayout("ambisonic 1 FuMa")
	ambix, _ := audio.ParseLayout("ambisonic 1 SN3D")
	m, _, _ := ambisonic.Convert(fuma, ambix)
	for _, row := range m {
		fmt.Printf("%.4f\n", row)
	}
	// Output:
	// [1.4142 0.0000 0.0000 0.0000]
	// [0.0000 0.0000 1.0000 0.0000]
	// [0.0000 0.0000 0.0000 1.0000]
	// [0.0000 1.0000 0.0000 0.0000]
}
