package weave

import (
	"math"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
)

// Place is where a channel is put among the speakers, and how that moves: a curve takes the place of the figure.
type Place struct {
	spatial.Position
	Moving *Path `json:"moving,omitempty"`
}

// Path is a Place over time. Azimuths may go on beyond 180°, so that a sound goes round.
type Path struct {
	Azimuth   automation.Curve `json:"azimuth,omitempty"`
	Elevation automation.Curve `json:"elevation,omitempty"`
	Inward    automation.Curve `json:"inward,omitempty"`
	Spread    automation.Curve `json:"spread,omitempty"`
	LFE       automation.Curve `json:"lfe_db,omitempty"`
}

// MostTurns is how far beyond 180° an azimuth over time may go, in degrees.
const MostTurns = 36000

// curves calls fn for each curve of a path, with its bounds and what is a value of it.
func (p *Path) curves(fn func(c *automation.Curve, from, to float64, what string)) {
	if p == nil {
		return
	}
	fn(&p.Azimuth, -MostTurns, MostTurns, "azimuths")
	fn(&p.Elevation, -90, 90, "elevations")
	fn(&p.Inward, 0, 1, "ways towards the middle")
	fn(&p.Spread, 0, 360, "spreads")
	fn(&p.LFE, spatial.MinLFE, spatial.MaxLFE, "LFE amounts")
}

func (p Place) check() error {
	if err := p.Position.Check(); err != nil {
		return err
	}
	var err error
	p.Moving.curves(func(c *automation.Curve, from, to float64, what string) {
		if e := c.Check(from, to); e != nil && err == nil {
			err = snag.Refuse("bad_patch", "%s over time: %w", what, e)
		}
	})
	return err
}

// moves reports whether any part of a place does.
func (p Place) moves() (yes bool) {
	p.Moving.curves(func(c *automation.Curve, _, _ float64, _ string) { yes = yes || len(*c) > 0 })
	return yes
}

// at is where a place is at a sample.
func (p Place) at(sample int64) spatial.Position {
	v := p.Position
	if m := p.Moving; m != nil {
		for _, f := range []struct {
			c  automation.Curve
			to *float64
		}{{m.Azimuth, &v.Azimuth}, {m.Elevation, &v.Elevation}, {m.Inward, &v.Inward}, {m.Spread, &v.Spread}, {m.LFE, &v.LFE}} {
			if len(f.c) > 0 {
				*f.to = f.c.Value(sample)
			}
		}
	}
	return v
}

// placed is the matrix of Placed, at rest: a place for each channel.
func (p Patch) placed(from, to audio.Layout) (audio.Matrix, error) {
	if len(p.Places) != from.Count {
		return nil, misfit(from, to, "every channel needs a place")
	}
	pan, err := pannerOf(from, to)
	if err != nil {
		return nil, err
	}
	g := make([]float64, to.Count)
	m := audio.NewMatrix(to.Count, from.Count)
	for c, place := range p.Places {
		if err := place.check(); err != nil {
			return nil, err
		}
		pan.Into(g, place.Position)
		for i, f := range g {
			m[i][c] = f
		}
	}
	return m, nil
}

// panner gives the factors of a layout's channels for a position.
type panner interface {
	Into(g []float64, at spatial.Position)
}

func pannerOf(from, to audio.Layout) (panner, error) {
	switch to.Kind {
	case audio.Bed:
		return spatial.NewPanner(to)
	case audio.Ambisonic:
		return ambisonic.NewEncoder(to)
	}
	return nil, misfit(from, to, "it has no speakers to put a sound among")
}

// Mover gives the factors of a patch that moves, of those crossings that do.
type Mover struct {
	// Cells are the crossings: channels that are made, and channels that they are made of.
	Cells [][2]int
	patch Patch
	pan   panner
	turn  *turner
	width int
}

// Mover is the moving part of a patch between two layouts, and the factors of what stands still, which bound those of a
// crossing that moves: it has the one times the other. Nil where nothing moves.
func (p Patch) Mover(from, to audio.Layout) (*Mover, audio.Matrix, error) {
	m, err := p.Between(from, to)
	if err != nil {
		return nil, nil, err
	}
	mover := &Mover{patch: p, width: to.Count}
	switch {
	case p.Preset == Pan && len(p.Moving) > 0 && to.Count > 1:
		mover.Cells = [][2]int{{to.Index("L"), 0}, {to.Index("R"), 0}}
	case p.Preset == Balance && len(p.Moving) > 0:
		p.Position = 0
		centre, err := p.balanced(from, to)
		if err != nil {
			return nil, nil, err
		}
		m = centre
		for _, side := range []audio.Speaker{"L", "R"} { // as many cells of the left as of the right
			i := to.Index(side)
			for c, f := range centre[i] {
				if f != 0 {
					mover.Cells = append(mover.Cells, [2]int{i, c})
				}
			}
		}
	case p.Preset == Placed:
		if mover.pan, err = pannerOf(from, to); err != nil {
			return nil, nil, err
		}
		for c, place := range p.Places {
			for i := range to.Count {
				if place.moves() {
					mover.Cells = append(mover.Cells, [2]int{i, c})
				}
			}
		}
	}
	if p.Preset == Field && p.Turning.moves() {
		if mover.turn, err = newTurner(p, from, to); err != nil {
			return nil, nil, err
		}
		mover.Cells = mover.turn.cells
	}
	if len(mover.Cells) == 0 {
		return nil, m, nil
	}
	still := audio.NewMatrix(to.Count, from.Count)
	for i := range m {
		copy(still[i], m[i])
	}
	if p.Preset == Balance {
		return mover, still, nil
	}
	for k, c := range mover.Cells {
		still[c[0]][c[1]] = 1
		if mover.turn != nil {
			still[c[0]][c[1]] = mover.turn.most[k]
		}
	}
	return mover, still, nil
}

// Patch is the one that moves.
func (m *Mover) Patch() Patch { return m.patch }

// placedEvery is at which samples a moving place is worked out; between them factors go straight. A sound that goes once
// around in two seconds is off its factors by less than -110 dB by that.
const placedEvery = 16

// Fill gives the factors of n samples of each cell.
func (m *Mover) Fill(dst [][]float64, at int64, n int) {
	if m.patch.Preset == Pan {
		left, right := dst[0][:n], dst[1][:n]
		m.patch.Moving.Fill(right, at)
		for i, position := range right {
			left[i], right[i] = m.patch.Sides(position)
		}
		return
	}
	if m.patch.Preset == Balance {
		positions := dst[len(m.Cells)-1][:n]
		m.patch.Moving.Fill(positions, at)
		for i, position := range positions {
			for k := range m.Cells {
				dst[k][i] = min(1, 1-position)
				if 2*k >= len(m.Cells) {
					dst[k][i] = min(1, 1+position)
				}
			}
		}
		return
	}
	if m.turn != nil {
		m.turn.fill(dst, at, n)
		return
	}
	a, b := make([]float64, m.width), make([]float64, m.width)
	first := 0
	for _, place := range m.patch.Places {
		if !place.moves() {
			continue
		}
		// From one multiple to the next, wherever the block begins.
		from := at - ((at%placedEvery)+placedEvery)%placedEvery
		m.pan.Into(b, place.at(from))
		for ; from < at+int64(n); from += placedEvery {
			a, b = b, a
			m.pan.Into(b, place.at(from+placedEvery))
			for k := max(from, at); k < min(from+placedEvery, at+int64(n)); k++ {
				t := float64(k-from) / placedEvery
				for i := range m.width {
					dst[first+i][k-at] = a[i] + float64((b[i]-a[i])*t)
				}
			}
		}
		first += m.width
	}
}

// Curves gives a patch with each of its curves replaced by what fn makes of it.
func (p Patch) Curves(fn func(automation.Curve) automation.Curve) Patch {
	if len(p.Moving) > 0 {
		p.Moving = fn(p.Moving)
	}
	var places []Place
	for _, place := range p.Places {
		if place.Moving != nil {
			path := *place.Moving
			path.curves(func(c *automation.Curve, _, _ float64, _ string) {
				if len(*c) > 0 {
					*c = fn(*c)
				}
			})
			place.Moving = &path
		}
		places = append(places, place)
	}
	p.Places = places
	if p.Turning != nil {
		t := *p.Turning
		t.curves(func(c *automation.Curve) {
			if len(*c) > 0 {
				*c = fn(*c)
			}
		})
		p.Turning = &t
	}
	return p
}

// Moves reports whether anything of a patch moves.
func (p Patch) Moves() bool {
	if len(p.Moving) > 0 || p.Turning.moves() {
		return true
	}
	for _, place := range p.Places {
		if place.moves() {
			return true
		}
	}
	return false
}

// balanced is the matrix of Balance: the side that a pair is moved to stays at 1, the other is lowered evenly; its width
// is that of mid and side, M = (L+R)/2 and S = w(L-R)/2.
func (p Patch) balanced(from, to audio.Layout) (audio.Matrix, error) {
	l, r := to.Index("L"), to.Index("R")
	if from.Count != 2 || l < 0 || r < 0 {
		return nil, misfit(from, to, "a pair goes to the left and right of a bed that has both")
	}
	w := 1.0
	if p.Width != nil {
		w = *p.Width
	}
	if !(p.Position >= -1 && p.Position <= 1) || !(w >= 0 && w <= 2) {
		return nil, snag.Refuse("bad_patch", "a balance of %g and a width of %g: -1 to 1 and 0 to 2 can be", p.Position, w)
	}
	if err := p.Moving.Check(-1, 1); err != nil {
		return nil, snag.Refuse("bad_patch", "positions over time: %w", err)
	}
	m := audio.NewMatrix(to.Count, 2)
	same, other := (1+w)/2, (1-w)/2
	left, right := min(1, 1-p.Position), min(1, 1+p.Position)
	m[l][0], m[l][1] = left*same, left*other
	m[r][0], m[r][1] = right*other, right*same
	return m, nil
}

// summed is the matrix of Summed: all channels into one, each at the law.
func (p Patch) summed(from, to audio.Layout) (audio.Matrix, error) {
	if err := p.checkPan(); err != nil {
		return nil, err
	}
	into := []int{0}
	if to.Count > 1 {
		into = []int{to.Index("L"), to.Index("R")}
		if into[0] < 0 || into[1] < 0 {
			return nil, misfit(from, to, "it is neither one channel nor a bed with a left and a right")
		}
	}
	m := audio.NewMatrix(to.Count, from.Count)
	factor := audio.Gain(p.Law)
	if p.Law == -3 {
		factor = math.Sqrt2 / 2
	} else if p.Law == -6 {
		factor = 0.5
	}
	for _, i := range into {
		for c := range from.Count {
			m[i][c] = factor
		}
	}
	return m, nil
}

// bySpeaker is the matrix of BySpeaker: each channel to the speaker of its name, of which none may be missing.
func bySpeaker(from, to audio.Layout) (audio.Matrix, error) {
	if from.Kind != audio.Bed || to.Kind != audio.Bed {
		return nil, misfit(from, to, "both need speakers")
	}
	m := audio.NewMatrix(to.Count, from.Count)
	for c, s := range from.Speakers {
		i := to.Index(s)
		if i < 0 {
			return nil, misfit(from, to, "it has no speaker "+string(s))
		}
		m[i][c] = 1
	}
	return m, nil
}
