package ambisonic

import (
	"math"

	"zestyloom/core/audio"
)

// The directions of a sky: all around every SkyStep degrees from SkyStep-180 to 180 (behind), in rings of these elevations.
const SkyStep = 10

var skyRings = [...]float64{-60, -30, 0, 30, 60}

// SkyHeights are those between which the energy of heights is told: straight down, the rings, straight up.
var SkyHeights = [...]float64{-90, -60, -30, 0, 30, 60, 90}

// mostSky is the highest order that a sky is heard with: higher ones would be sharper than it is drawn.
const mostSky = 3

// Sky is from where the energy of a sound field comes: in dBFS of a plane wave, by azimuth from SkyStep-180 on, each the greatest of its
// heights, and by SkyHeights, each the greatest all around.
type Sky struct {
	Azimuths []float64
	Heights  []float64
}

// SkyMeter listens into all directions of a sound field at once, with the beam that max-rE makes of its orders: a plane wave from a
// direction reads its own level there.
type SkyMeter struct {
	beams    [][]float64 // factors of the channels, by direction
	channels []int
	products [][]float64 // sums of products of channels since the last sky
	frames   int
}

// NewSkyMeter makes one for an ambisonic layout.
func NewSkyMeter(l audio.Layout) *SkyMeter {
	order := min(l.Order, mostSky)
	g := MaxRE(order, false)
	sum := 0.0
	for d, v := range g {
		sum += v * float64(2*d+1)
	}
	m := &SkyMeter{}
	for i := range l.Count {
		if OrderOf(l, i) <= order {
			m.channels = append(m.channels, i)
		}
	}
	for _, at := range skyDirections() {
		y := Harmonics(order, at.Azimuth, at.Elevation)
		beam := make([]float64, len(m.channels))
		for k, i := range m.channels {
			n := ACN(l, i)
			beam[k] = g[degree(n)] * y[n] / Scale(l, i) / sum
		}
		m.beams = append(m.beams, beam)
	}
	m.clear()
	return m
}

func skyDirections() (out []audio.Direction) {
	out = append(out, audio.Direction{Elevation: -90})
	for _, el := range skyRings {
		for az := SkyStep - 180; az <= 180; az += SkyStep {
			out = append(out, audio.Direction{Azimuth: float64(az), Elevation: el})
		}
	}
	return append(out, audio.Direction{Elevation: 90})
}

func (m *SkyMeter) clear() {
	m.frames = 0
	m.products = make([][]float64, len(m.channels))
	for i := range m.products {
		m.products[i] = make([]float64, i+1)
	}
}

// Add takes samples of all channels of the layout into account.
func (m *SkyMeter) Add(b audio.Block) {
	m.frames += b.Frames()
	for i, ci := range m.channels {
		x := b[ci]
		for k := range i + 1 {
			y, sum := b[m.channels[k]], 0.0
			for n, v := range x {
				sum += v * y[n]
			}
			m.products[i][k] += sum
		}
	}
}

// Sky is from where it came since the last time, and begins anew. Nothing reads -Inf.
func (m *SkyMeter) Sky() Sky {
	around := 360 / SkyStep
	s := Sky{Azimuths: make([]float64, around), Heights: make([]float64, len(SkyHeights))}
	for k, beam := range m.beams {
		power := 0.0
		for i, row := range m.products {
			for j, p := range row {
				f := beam[i] * beam[j] * p
				if j < i {
					f *= 2
				}
				power += f
			}
		}
		power = max(0, power) / float64(max(1, m.frames))
		switch {
		case k == 0:
			s.Heights[0] = power
		case k == len(m.beams)-1:
			s.Heights[len(SkyHeights)-1] = power
		default:
			ring := (k - 1) / around
			s.Heights[ring+1] = max(s.Heights[ring+1], power)
			s.Azimuths[(k-1)%around] = max(s.Azimuths[(k-1)%around], power)
		}
	}
	for _, list := range [][]float64{s.Azimuths, s.Heights} {
		for i, power := range list {
			list[i] = 10 * math.Log10(2*power) // of the sine that has that power
		}
	}
	m.clear()
	return s
}
