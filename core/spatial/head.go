package spatial

import "math"

// The spherical head: its radius in metres, the speed of sound in metres a second, and the least that is left of high
// frequencies in its shadow, at an angle in degrees from the ear's axis (Brown, Duda 1998).
const (
	headRadius  = 0.0875
	soundSpeed  = 343.0
	shadowLeast = 0.1
	shadowAngle = 150.0
)

// Ear is one ear of a spherical head without a face or shoulders: sound comes to it later the longer the way is around the
// sphere (Woodworth 1938), and what lies in the shadow of the head loses its high frequencies by a shelving filter. It keeps
// its state from block to block.
type Ear struct {
	delay    float64   // samples
	b0, b1   float64   // of the shelf
	a1       float64   //
	x1, y1   float64   //
	line     []float64 // the samples that came last
	lagrange [4]float64
	whole    int
}

// NewEar is the left ear or the right one, for a source at a direction in degrees, at a rate in Hz.
func NewEar(azimuth, elevation float64, right bool, rate int) *Ear {
	side := towards(azimuth, elevation)[1] // the cosine of its angle from the left ear's axis
	if right {
		side = -side
	}
	angle := math.Acos(max(-1, min(1, side)))
	way := 1 - math.Cos(angle)
	if angle > math.Pi/2 {
		way = angle - math.Pi/2 + 1
	}
	e := &Ear{delay: 1 + headRadius/soundSpeed*way*float64(rate)} // one more for the interpolator
	shelf := 1 + shadowLeast/2 + (1-shadowLeast/2)*math.Cos(angle*180/shadowAngle)
	k := soundSpeed / headRadius / float64(rate) // half of 2c/r, by the bilinear transform
	e.b0, e.b1, e.a1 = (shelf+k)/(1+k), (k-shelf)/(1+k), (k-1)/(1+k)
	e.whole = int(e.delay)
	d := e.delay - float64(e.whole) + 1 // between the second and the third of four samples
	e.lagrange = [4]float64{
		-(d - 1) * (d - 2) * (d - 3) / 6, d * (d - 2) * (d - 3) / 2, -d * (d - 1) * (d - 3) / 2, d * (d - 1) * (d - 2) / 6,
	}
	e.line = make([]float64, e.whole+3)
	return e
}

// Delay is by how many samples a sound is late at it.
func (e *Ear) Delay() float64 { return e.delay }

// Reset forgets what it has heard.
func (e *Ear) Reset() {
	clear(e.line)
	e.x1, e.y1 = 0, 0
}

// Add adds what it hears of a source to dst, times a factor.
func (e *Ear) Add(dst, src []float64, factor float64) {
	n := len(e.line)
	e.line = append(e.line, src...)
	for i := range src {
		at := n + i - e.whole + 1 // the sample before which the delay ends
		x := 0.0
		for k, f := range e.lagrange {
			x += f * e.line[at-k]
		}
		y := e.b0*x + e.b1*e.x1 - e.a1*e.y1
		e.x1, e.y1 = x, y
		dst[i] += factor * y
	}
	e.line = e.line[:copy(e.line, e.line[len(e.line)-n:])]
}
