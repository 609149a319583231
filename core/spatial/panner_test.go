package spatial_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/spatial"
)

func panner(t *testing.T, name string) (*spatial.Panner, audio.Layout) {
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	p, err := spatial.NewPanner(l)
	require.NoError(t, err)
	return p, l
}

func every(t *testing.T) (names []string) {
	for _, l := range audio.Beds() {
		if _, err := spatial.NewPanner(l); err == nil {
			names = append(names, l.Name)
		}
	}
	require.Greater(t, len(names), 10)
	return append(names, "custom A@45/0 B@-45/0 C@135/0 D@-135/0 T@0/90", "custom L R U@0/30 D@0/-30 Ls Rs")
}

func power(g []float64, l audio.Layout) (sum float64) {
	for i, v := range g {
		if l.Speakers[i] != "LFE" {
			sum += v * v
		}
	}
	return sum
}

// Constant power everywhere, in every layout, at every spread and distance; and no jump between neighbouring places.
func TestConstantPowerAndNoJumps(t *testing.T) {
	for _, name := range every(t) {
		p, l := panner(t, name)
		for _, at := range []spatial.Position{{}, {Spread: 60}, {Inward: 0.4}, {Divided: 0.5}, {Spread: 360, Inward: 0.2, LFEOn: true, LFE: -6}} {
			for elevation := -90.0; elevation <= 90; elevation += 10 {
				var last []float64
				for azimuth := -180.0; azimuth <= 180; azimuth += 0.5 {
					at.Azimuth, at.Elevation = azimuth, elevation
					g := p.Gains(at)
					if math.Abs(power(g, l)-1) > 1e-9 {
						t.Fatalf("%s at %v: power %v", name, at, power(g, l))
					}
					for i := range g {
						if last != nil && math.Abs(g[i]-last[i]) > 0.1 {
							t.Fatalf("%s jumps at %v from %v to %v", name, at, last, g)
						}
						if g[i] < 0 {
							t.Fatalf("%s at %v: %v", name, at, g)
						}
					}
					last = g
				}
			}
		}
	}
}

// At a speaker it sounds alone; between two of a ring the gains are those of Pulkki's formula.
func TestPairs(t *testing.T) {
	for _, name := range every(t) {
		p, l := panner(t, name)
		for i := range l.Count {
			d, ok := l.Direction(i)
			if !ok {
				continue
			}
			g := p.Gains(spatial.Position{Azimuth: d.Azimuth, Elevation: d.Elevation})
			for k, v := range g {
				want := 0.0
				if k == i {
					want = 1
				}
				assert.InDelta(t, want, v, 1e-9, "%s: %s at %s", name, l.Channel(k), l.Channel(i))
			}
		}
	}
	p, l := panner(t, "5.1")
	for azimuth := 31.0; azimuth < 110; azimuth += 3.7 {
		// g = p L⁻¹ for the speakers at 30° and 110°, scaled to power 1.
		rad := func(d float64) float64 { return d * math.Pi / 180 }
		a, b, c, d := math.Cos(rad(30)), math.Sin(rad(30)), math.Cos(rad(110)), math.Sin(rad(110))
		x, y := math.Cos(rad(azimuth)), math.Sin(rad(azimuth))
		det := a*d - b*c
		g1, g2 := (x*d-y*c)/det, (a*y-b*x)/det
		n := math.Hypot(g1, g2)
		g := p.Gains(spatial.Position{Azimuth: azimuth, Elevation: 40})
		assert.InDelta(t, g1/n, g[l.Index("L")], 1e-12, "a plane has no height")
		assert.InDelta(t, g2/n, g[l.Index("Ls")], 1e-12)
	}
}

// Over triplets the gains point to where the sound is: Σ g·l is parallel to the direction, and left mirrors right.
func TestTriplets(t *testing.T) {
	p, l := panner(t, "7.1.4")
	for elevation := 0.0; elevation <= 44; elevation += 4 {
		for azimuth := -179.0; azimuth < 180; azimuth += 7 {
			g := p.Gains(spatial.Position{Azimuth: azimuth, Elevation: elevation})
			m := p.Gains(spatial.Position{Azimuth: -azimuth, Elevation: elevation})
			for i := range g {
				mirror := l.Channel(i)
				switch mirror[0] {
				case 'L':
					if mirror != "LFE" {
						mirror = "R" + mirror[1:]
					}
				case 'R':
					mirror = "L" + mirror[1:]
				}
				assert.InDelta(t, g[i], m[l.Index(audio.Speaker(mirror))], 1e-9, "%s at %g/%g", l.Channel(i), azimuth, elevation)
			}
		}
	}
	// In a triplet without an imaginary corner: C, Ltf and Rtf.
	g := p.Gains(spatial.Position{Elevation: 20})
	var x, y, z float64
	for i, v := range g {
		if d, ok := l.Direction(i); ok {
			a, e := d.Azimuth*math.Pi/180, d.Elevation*math.Pi/180
			x, y, z = x+v*math.Cos(a)*math.Cos(e), y+v*math.Sin(a)*math.Cos(e), z+v*math.Sin(e)
		}
	}
	assert.InDelta(t, 20, math.Atan2(z, math.Hypot(x, y))*180/math.Pi, 1e-6)
	assert.InDelta(t, 0, y, 1e-12)
	top := p.Gains(spatial.Position{Elevation: 90})
	for _, s := range []audio.Speaker{"Ltf", "Rtf", "Ltr", "Rtr"} {
		assert.InDelta(t, 0.5, top[l.Index(s)], 1e-9, "straight above, all four alike")
	}
}

func TestShares(t *testing.T) {
	p, l := panner(t, "5.1")
	g := p.Gains(spatial.Position{Divided: 1})
	assert.InDelta(t, math.Sqrt2/2, g[l.Index("L")], 1e-12)
	assert.Zero(t, g[l.Index("C")])
	g = p.Gains(spatial.Position{Inward: 1})
	for i, v := range g {
		if l.Channel(i) != "LFE" {
			assert.InDelta(t, 1/math.Sqrt(5), v, 1e-12)
		}
	}
	g = p.Gains(spatial.Position{Azimuth: 30, LFEOn: true})
	assert.Equal(t, []float64{1, 0, 0, 1, 0, 0}, g)
	_, err := spatial.NewPanner(must(audio.AmbisonicLayout(1, audio.SN3D)))
	assert.ErrorContains(t, err, "no speakers")
	for _, bad := range []spatial.Position{{Azimuth: 181}, {Elevation: -91}, {Inward: 2}, {Spread: -1}, {Divided: math.NaN()}, {LFE: 1}} {
		assert.Error(t, bad.Check())
	}
	mono, _ := panner(t, "mono")
	assert.Equal(t, []float64{1}, mono.Gains(spatial.Position{Azimuth: 99}))
}

func must(l audio.Layout, err error) audio.Layout {
	if err != nil {
		panic(err)
	}
	return l
}
