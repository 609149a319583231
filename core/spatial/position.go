// Package spatial puts sound at places among speakers: amplitude panning with constant power (Pulkki 1997), pairwise in
// the plane, over triplets with height.
package spatial

import (
	"math"

	"zestyloom/core/snag"
)

// Position is where a sound is put. The zero Position is straight ahead, on the ring of speakers, as a point, with no LFE.
type Position struct {
	// Azimuth and Elevation are degrees to the left of straight ahead, and above the horizon: -180 to 180, -90 to 90.
	Azimuth   float64 `json:"azimuth,omitempty"`
	Elevation float64 `json:"elevation,omitempty"`
	// Inward is how far from the ring of speakers towards the middle: 0 to 1, where all speakers sound alike.
	Inward float64 `json:"inward,omitempty"`
	// Spread is over how many degrees the sound is spread: 0 to 360.
	Spread float64 `json:"spread,omitempty"`
	// Divided is which share of what the centre speaker would get goes to its neighbours L and R instead: 0 to 1.
	Divided float64 `json:"divided,omitempty"`
	// LFE is the level at which the sound goes to the LFE too, in dB; only where LFEOn.
	LFE   float64 `json:"lfe_db,omitempty"`
	LFEOn bool    `json:"lfe,omitempty"`
}

// Bounds of the LFE amount, in dB.
const (
	MinLFE = -96
	MaxLFE = 0
)

// Check refuses a position that can't be.
func (p Position) Check() error {
	for _, v := range []struct {
		what     string
		v        float64
		from, to float64
	}{
		{"an azimuth", p.Azimuth, -180, 180}, {"an elevation", p.Elevation, -90, 90}, {"a way towards the middle", p.Inward, 0, 1},
		{"a spread", p.Spread, 0, 360}, {"a share of the centre", p.Divided, 0, 1}, {"an LFE amount", p.LFE, MinLFE, MaxLFE},
	} {
		if !(v.v >= v.from && v.v <= v.to) {
			return snag.Refuse("bad_position", "%s of %g: %g to %g can be", v.what, v.v, v.from, v.to)
		}
	}
	return nil
}

type vector [3]float64

func towards(azimuth, elevation float64) vector {
	a, e := azimuth*math.Pi/180, elevation*math.Pi/180
	return vector{math.Cos(a) * math.Cos(e), math.Sin(a) * math.Cos(e), math.Sin(e)}
}

func (a vector) dot(b vector) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

func (a vector) cross(b vector) vector {
	return vector{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

func (a vector) minus(b vector) vector { return vector{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

func (a vector) unit() vector {
	n := math.Sqrt(a.dot(a))
	return vector{a[0] / n, a[1] / n, a[2] / n}
}
