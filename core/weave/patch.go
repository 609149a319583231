package weave

import (
	"math"
	"reflect"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/snag"
)

// Preset names a matrix by what it does.
type Preset string

// The presets. Those of one channel go to the speakers named L, R and C of a bed, and to none other.
const (
	Plain     Preset = ""           // every channel to its own: both sides have the same layout
	Both      Preset = "both"       // one channel on both sides at 0 dB
	BothMinus Preset = "both_minus" // on both sides at -3 dB, the sine/cosine law's centre (1/√2)
	Left      Preset = "left"       // left only
	Right     Preset = "right"      // right only
	Centre    Preset = "centre"     // centre only
	Pan       Preset = "pan"        // between left and right, by Law and Position
	Exchanged Preset = "exchanged"  // left and right change places
	MidSide   Preset = "mid_side"   // mid and side, in this order, decoded to left and right: M + S, M - S
	BySpeaker Preset = "speakers"   // each channel to the speaker of its name
	Balance   Preset = "balance"    // a pair, by Position and Width
	Summed    Preset = "summed"     // all channels into one, or onto both sides, each at Law
	Placed    Preset = "placed"     // each channel among the speakers, by Places
	Folded    Preset = "fold"       // a bed folded down by the rules of FoldDown, with LFE
	Field     Preset = "field"      // a sound field into another: mirrored, turned, converted to its norm and order
	Decoded   Preset = "decoded"    // a sound field to speakers, by Decoding
	Encoded   Preset = "encoded"    // speakers into a sound field, each where it stands, by Spread
	Custom    Preset = "matrix"     // the factors of Matrix
)

// Presets lists them in the order they are offered.
var Presets = []Preset{Plain, Both, BothMinus, Left, Right, Centre, Pan, Exchanged, MidSide, BySpeaker, Balance, Summed, Placed, Folded, Field, Decoded, Encoded, Custom}

// mostName is how long the name of a matrix may be.
const mostName = 60

// Laws are the pan laws, by the level that a centred sound has on either side, in dB.
var Laws = []float64{0, -3, -4.5, -6}

// Patch says by which factors the channels of a signal enter those of another.
type Patch struct {
	Preset   Preset           `json:"preset,omitempty"`
	Law      float64          `json:"law,omitempty"`      // of Pan and Summed: one of Laws
	Position float64          `json:"position,omitempty"` // of Pan and Balance: -1 left, 0 centre, 1 right
	Width    *float64         `json:"width,omitempty"`    // of Balance: 0 mono, 1 (where it is not given) as it is, 2 all side
	Places   []Place          `json:"places,omitempty"`   // of Placed: one a channel
	LFE      *float64         `json:"lfe,omitempty"`      // of Folded: at how many dB the LFE goes along; left out where it is not given
	Moving   automation.Curve `json:"moving,omitempty"`   // of Pan and Balance: positions over time, in place of Position
	Matrix   audio.Matrix     `json:"matrix,omitempty"`   // of Custom: a row a channel that is made
	Name     string           `json:"name,omitempty"`     // of Custom: what the matrix is called, such as a house's fold-down
	Turn     *ambisonic.Turn  `json:"turn,omitempty"`     // of Field
	Turning  *Turning         `json:"turning,omitempty"`  // of Field: angles over time
	Mirror   ambisonic.Mirror `json:"mirror,omitempty"`   // of Field, before it is turned
	Decoding ambisonic.Way    `json:"decoding,omitempty"` // of Decoded: all-round where it is not given, as it was before there was another
	Spread   *float64         `json:"spread,omitempty"`   // of Encoded, in degrees; 0 where it is not given
}

func misfit(from, to audio.Layout, why string) error {
	return snag.Refuse("bad_patch", "%s can't be sent into %s: %s", from.Name, to.Name, why)
}

// Between is the matrix from one layout into another, where a patch that moves is at rest. What does not fit is refused.
func (p Patch) Between(from, to audio.Layout) (audio.Matrix, error) {
	switch p.Preset {
	case Plain:
		if from.Name == to.Name {
			return audio.Unity(to.Count), nil
		}
		if from.Kind == audio.Bed && to.Kind == audio.Bed {
			if m, ok := audio.Reorder(to.Speakers, from.Speakers); ok {
				return m, nil
			}
		}
		return nil, misfit(from, to, "their channels are others: choose how they enter")
	case Custom:
		if err := p.Matrix.Check(to.Count, from.Count); err != nil {
			return nil, misfit(from, to, err.Error())
		}
		if len(p.Name) > mostName {
			return nil, snag.Refuse("bad_patch", "the name of a matrix has %d letters: at most %d", len(p.Name), mostName)
		}
		return p.Matrix, nil
	case Exchanged, MidSide:
		return p.pair(from, to)
	case BySpeaker:
		return bySpeaker(from, to)
	case Balance:
		return p.balanced(from, to)
	case Summed:
		return p.summed(from, to)
	case Placed:
		return p.placed(from, to)
	case Folded:
		f, err := FoldDown(from, to, p.LFE)
		return f.Matrix, err
	case Field:
		return p.field(from, to)
	case Decoded:
		d, err := p.decoded(from, to)
		return d.Matrix, err
	case Encoded:
		return p.encoded(from, to)
	case Both, BothMinus, Left, Right, Centre, Pan:
		return p.one(from, to)
	}
	return nil, snag.Refuse("bad_position", "patch %q: expected one of %v", p.Preset, Presets)
}

// Ahead are the channels that a patch lets in 90° ahead of the others; nil where all go in as they are. See Fold.
func (p Patch) Ahead(from, to audio.Layout) []bool {
	if p.Preset != Folded {
		return nil
	}
	f, err := FoldDown(from, to, p.LFE)
	if err != nil {
		return nil
	}
	return f.Ahead
}

func (p Patch) pair(from, to audio.Layout) (audio.Matrix, error) {
	l, r := to.Index("L"), to.Index("R")
	if from.Count != 2 || l < 0 || r < 0 {
		return nil, misfit(from, to, "a pair goes to the left and right of a bed that has both")
	}
	m := audio.NewMatrix(to.Count, 2)
	switch p.Preset {
	case Exchanged:
		m[l][1], m[r][0] = 1, 1
	default:
		m[l][0], m[l][1], m[r][0], m[r][1] = 1, 1, 1, -1
	}
	return m, nil
}

func (p Patch) one(from, to audio.Layout) (audio.Matrix, error) {
	if from.Count != 1 {
		return nil, misfit(from, to, "only one channel can be put at a position: choose how each of them enters")
	}
	if err := p.checkPan(); err != nil {
		return nil, err
	}
	if to.Kind == audio.Bed && to.Count == 1 {
		return audio.Unity(1), nil
	}
	left, right := p.Sides(p.Position)
	m := audio.NewMatrix(to.Count, 1)
	for s, f := range map[audio.Speaker]float64{"L": left, "R": right, "C": map[bool]float64{true: 1}[p.Preset == Centre]} {
		if f == 0 {
			continue
		}
		i := to.Index(s)
		if i < 0 {
			return nil, misfit(from, to, "it has no speaker "+string(s))
		}
		m[i][0] = f
	}
	return m, nil
}

func (p Patch) checkPan() error {
	if p.Preset != Pan && p.Preset != Summed {
		return nil
	}
	known := false
	for _, l := range Laws {
		known = known || l == p.Law
	}
	switch {
	case !known:
		return snag.Refuse("bad_patch", "a pan law of %g dB: expected one of %v", p.Law, Laws)
	case !(p.Position >= -1 && p.Position <= 1):
		return snag.Refuse("bad_patch", "the position %g: -1 is left, 0 the centre, 1 right", p.Position)
	}
	if err := p.Moving.Check(-1, 1); err != nil {
		return snag.Refuse("bad_patch", "positions over time: %w", err)
	}
	return nil
}

// Sides is by which factors one channel enters left and right; at is the position of Pan.
//
// The laws: 0 dB leaves the nearer side at 1 and lowers the other evenly; -3 dB is cosine and sine; -6 dB is linear;
// -4.5 dB is the geometric mean of these two. At the ends and in the middle all are exact.
func (p Patch) Sides(at float64) (left, right float64) {
	switch p.Preset {
	case Both:
		return 1, 1
	case BothMinus:
		return math.Sqrt2 / 2, math.Sqrt2 / 2
	case Left:
		return 1, 0
	case Right:
		return 0, 1
	case Pan:
		return law(p.Law, -at), law(p.Law, at)
	}
	return 0, 0
}

// law is the factor of the side that at is positive towards.
func law(db, at float64) float64 {
	linear := (1 + at) / 2
	if at == -1 || at == 1 {
		return linear
	}
	power := math.Sqrt2 / 2
	if at != 0 {
		power = math.Sin(linear * math.Pi / 2)
	}
	switch db {
	case 0:
		return min(1, 1+at)
	case -3:
		return power
	case -4.5:
		return math.Sqrt(power * linear)
	}
	return linear
}

// Equal reports whether two patches are the same.
func (p Patch) Equal(o Patch) bool { return reflect.DeepEqual(p.plain(), o.plain()) }

// plain is a patch with nothing where there is an empty list.
func (p Patch) plain() Patch {
	if len(p.Moving) == 0 {
		p.Moving = nil
	}
	if len(p.Places) == 0 {
		p.Places = nil
	}
	if len(p.Matrix) == 0 {
		p.Matrix = nil
	}
	if !p.Turning.moves() {
		p.Turning = nil
	}
	return p
}
