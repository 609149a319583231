package spatial

import (
	"math"
	"slices"
	"sync"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Panner gives the gains of a layout's speakers for positions. It is never changed once it is made.
type Panner struct {
	width   int
	lfe     []int // channels
	centre  int   // channels of C, L and R, or -1
	left    int
	right   int
	points  []point // speakers with a direction, and imaginary ones
	ring    []int   // of a plane layout: points by azimuth, from -180 up
	sides   []side  // of one with height
	hasHigh bool
}

// point is a speaker, or an imaginary one whose share goes to others.
type point struct {
	at      vector
	azimuth float64
	channel int   // -1 for an imaginary one
	to      []int // points, of an imaginary one
}

// side is a triplet of points, with the inverse of their matrix.
type side struct {
	points [3]int
	rows   [3]vector
}

var panners sync.Map // by a layout's name

// NewPanner makes the one of a layout; a layout without a speaker that has a direction is refused.
func NewPanner(l audio.Layout) (*Panner, error) {
	if p, ok := panners.Load(l.Name); ok {
		return p.(*Panner), nil
	}
	p := &Panner{width: l.Count, centre: l.Index("C"), left: l.Index("L"), right: l.Index("R")}
	for i := range l.Count {
		if l.IsLFE(i) {
			p.lfe = append(p.lfe, i)
		}
		if d, ok := l.Direction(i); ok {
			p.points = append(p.points, point{at: towards(d.Azimuth, d.Elevation), azimuth: d.Azimuth, channel: i})
			p.hasHigh = p.hasHigh || math.Abs(d.Elevation) > 1
		}
	}
	if len(p.points) == 0 {
		return nil, snag.Refuse("bad_position", "%s has no speakers with a direction: a sound can't be put at a position in it", l.Name)
	}
	if p.hasHigh && len(p.points) >= 3 {
		p.hull()
	} else {
		p.hasHigh = false
		for i := range p.points {
			p.ring = append(p.ring, i)
		}
		slices.SortStableFunc(p.ring, func(a, b int) int {
			switch d := p.points[a].azimuth - p.points[b].azimuth; {
			case d < 0:
				return -1
			case d > 0:
				return 1
			}
			return 0
		})
	}
	panners.Store(l.Name, p)
	return p, nil
}

// hull finds the triplets: the faces of the convex hull of all speakers. Above the highest and below the lowest an
// imaginary speaker closes it, and faces with more than three corners get one in their middle, so that they are the
// same to all sides: what it would get goes to its neighbours in equal parts.
func (p *Panner) hull() {
	high, low := -1.0, 1.0
	for _, s := range p.points {
		high, low = max(high, s.at[2]), min(low, s.at[2])
	}
	if high < math.Sin(75*math.Pi/180) {
		p.points = append(p.points, point{at: vector{0, 0, 1}, channel: -1})
	}
	if low > -math.Sin(75*math.Pi/180) {
		p.points = append(p.points, point{at: vector{0, 0, -1}, channel: -1})
	}
	const flat = 1e-9
	type face struct {
		normal  vector
		corners []int
	}
	var faces []face
	n := len(p.points)
	for a := range n {
		for b := a + 1; b < n; b++ {
			for c := b + 1; c < n; c++ {
				normal := p.points[b].at.minus(p.points[a].at).cross(p.points[c].at.minus(p.points[a].at))
				if normal.dot(normal) < flat {
					continue
				}
				normal = normal.unit()
				off := normal.dot(p.points[a].at)
				if off < 0 {
					normal, off = vector{-normal[0], -normal[1], -normal[2]}, -off
				}
				var corners []int
				outer := true
				for i, s := range p.points {
					d := normal.dot(s.at) - off
					outer = outer && d < flat
					if math.Abs(d) < flat {
						corners = append(corners, i)
					}
				}
				if !outer || off < flat || slices.ContainsFunc(faces, func(f face) bool { return slices.Equal(f.corners, corners) }) {
					continue
				}
				faces = append(faces, face{normal, corners})
			}
		}
	}
	for _, f := range faces {
		if len(f.corners) == 3 {
			p.side(f.corners[0], f.corners[1], f.corners[2])
			continue
		}
		var middle vector
		for _, i := range f.corners {
			for k := range middle {
				middle[k] += p.points[i].at[k]
			}
		}
		middle = middle.unit()
		// The corners in order around the middle.
		right := p.points[f.corners[0]].at.minus(middle).unit()
		up := f.normal.cross(right)
		slices.SortFunc(f.corners, func(a, b int) int {
			angle := func(i int) float64 {
				d := p.points[i].at.minus(middle)
				return math.Atan2(d.dot(up), d.dot(right))
			}
			if angle(a) < angle(b) {
				return -1
			}
			return 1
		})
		m := len(p.points)
		p.points = append(p.points, point{at: middle, channel: -1, to: f.corners})
		for k, i := range f.corners {
			p.side(i, f.corners[(k+1)%len(f.corners)], m)
		}
	}
	// Those above and below share out to the speakers they have a face with.
	for i := range p.points {
		if s := &p.points[i]; s.channel < 0 && s.to == nil {
			for _, f := range p.sides {
				if slices.Contains(f.points[:], i) {
					for _, k := range f.points {
						if p.points[k].channel >= 0 && !slices.Contains(s.to, k) {
							s.to = append(s.to, k)
						}
					}
				}
			}
		}
	}
}

func (p *Panner) side(a, b, c int) {
	u, v, w := p.points[a].at, p.points[b].at, p.points[c].at
	det := u.dot(v.cross(w))
	if math.Abs(det) < 1e-9 {
		return
	}
	scale := func(x vector) vector { return vector{x[0] / det, x[1] / det, x[2] / det} }
	p.sides = append(p.sides, side{[3]int{a, b, c}, [3]vector{scale(v.cross(w)), scale(w.cross(u)), scale(u.cross(v))}})
}

// Gains are the factors by which a sound enters the layout's channels. The squares of those of speakers add up to 1; the
// LFE comes on top of them.
func (p *Panner) Gains(at Position) []float64 {
	g := make([]float64, p.width)
	p.Into(g, at)
	return g
}

// spreadSteps is at how many places to each side a spread sound is put.
const spreadSteps = 12

// Into is Gains into a slice as long as the layout is wide.
func (p *Panner) Into(g []float64, at Position) {
	clear(g)
	if at.Spread > 0 {
		// Multiple direction amplitude panning (Pulkki 1999): powers add up, as of sounds that have nothing in common.
		one := make([]float64, len(g))
		for k := -spreadSteps; k <= spreadSteps; k++ {
			clear(one)
			p.point(one, at.Azimuth+at.Spread/2*float64(k)/spreadSteps, at.Elevation)
			for i, v := range one {
				g[i] += v * v
			}
		}
		for i, v := range g {
			g[i] = math.Sqrt(v)
		}
	} else {
		p.point(g, at.Azimuth, at.Elevation)
	}
	if at.Divided > 0 && p.centre >= 0 && p.left >= 0 && p.right >= 0 {
		c := g[p.centre] * g[p.centre] * at.Divided
		g[p.centre] *= math.Sqrt(1 - at.Divided)
		g[p.left], g[p.right] = math.Sqrt(g[p.left]*g[p.left]+c/2), math.Sqrt(g[p.right]*g[p.right]+c/2)
	}
	total := 0.0
	for _, v := range g {
		total += v * v
	}
	for i, v := range g {
		g[i] = v / math.Sqrt(total)
	}
	if at.Inward > 0 {
		speakers := 0
		for _, s := range p.points {
			if s.channel >= 0 {
				speakers++
			}
		}
		for _, s := range p.points {
			if s.channel >= 0 {
				g[s.channel] = math.Sqrt((1-at.Inward)*g[s.channel]*g[s.channel] + at.Inward/float64(speakers))
			}
		}
	}
	if at.LFEOn && at.LFE > MinLFE {
		for _, i := range p.lfe {
			g[i] = audio.Gain(at.LFE)
		}
	}
}

// point adds the gains of a point, of power 1.
func (p *Panner) point(g []float64, azimuth, elevation float64) {
	if len(p.points) == 1 {
		g[p.points[0].channel] = 1
		return
	}
	if !p.hasHigh {
		p.plane(g, azimuth)
		return
	}
	if p.lowest() > -0.02 {
		elevation = max(0, elevation) // below the ring there is nothing
	}
	at := towards(azimuth, elevation)
	best, least := -1, math.Inf(-1)
	var gains [3]float64
	for i, s := range p.sides {
		v := [3]float64{s.rows[0].dot(at), s.rows[1].dot(at), s.rows[2].dot(at)}
		if m := min(v[0], v[1], v[2]); m > least {
			best, least, gains = i, m, v
		}
	}
	if best < 0 {
		return
	}
	for k, i := range p.sides[best].points {
		p.share(g, i, max(0, gains[k]), 0)
	}
	total := 0.0
	for _, v := range g {
		total += v * v
	}
	for i, v := range g {
		g[i] = v / math.Sqrt(total)
	}
}

// share adds a gain to a speaker, or to those that an imaginary one stands for.
func (p *Panner) share(g []float64, i int, v float64, depth int) {
	s := p.points[i]
	if s.channel >= 0 {
		g[s.channel] += v
		return
	}
	if depth > 2 { // one stands for at most one that stands for others
		return
	}
	for _, k := range s.to {
		p.share(g, k, v/math.Sqrt(float64(len(s.to))), depth+1)
	}
}

func (p *Panner) lowest() float64 {
	low := 1.0
	for _, s := range p.points {
		if s.channel >= 0 {
			low = min(low, s.at[2])
		}
	}
	return low
}

// plane adds the gains of a point between two speakers of a ring. Between those that are 180° or more apart there is no
// such point: there the sound goes over from the one to the other by sine and cosine of its way.
func (p *Panner) plane(g []float64, azimuth float64) {
	azimuth = math.Mod(math.Mod(azimuth+180, 360)+360, 360) - 180
	n := len(p.ring)
	for k := range n {
		a, b := p.points[p.ring[k]], p.points[p.ring[(k+1)%n]]
		gap := b.azimuth - a.azimuth
		if k == n-1 {
			gap += 360
		}
		way := azimuth - a.azimuth
		if way < 0 {
			way += 360
		}
		if way > gap {
			continue
		}
		var ga, gb float64
		switch {
		case way == 0 || gap == 0:
			ga = 1
		case way == gap:
			gb = 1
		case gap > 179.9:
			ga, gb = math.Cos(way/gap*math.Pi/2), math.Sin(way/gap*math.Pi/2)
		default:
			// Pulkki's two-dimensional case solved: sin(b - x) and sin(x - a), to power 1.
			ga, gb = math.Sin((gap-way)*math.Pi/180), math.Sin(way*math.Pi/180)
			norm := math.Hypot(ga, gb)
			ga, gb = ga/norm, gb/norm
		}
		g[a.channel] += ga
		g[b.channel] += gb
		return
	}
}
