package mix

import (
	"zestyloom/core/automation"
	"zestyloom/core/weave"
)

// level is a gain: at rest, or over time.
type level struct {
	db     float64
	rest   float64            // db as a factor
	curves []automation.Curve // dB, added; none is empty
}

func levelOf(db float64, curves ...automation.Curve) level {
	l := level{db: db, rest: weave.Factor(db)}
	for _, c := range curves {
		if len(c) > 0 {
			l.curves = append(l.curves, c)
		}
	}
	return l
}

// moves reports whether it is not the same at all times.
func (l level) moves() bool { return len(l.curves) > 0 }

// never reports whether a gain is silence at all times.
func (l level) never() bool { return !l.moves() && l.rest == 0 }

// at is the gain as a factor, where it is one over [from, to).
func (l level) at(from, to int64) (float64, bool) {
	if !l.moves() {
		return l.rest, true
	}
	db := 0.0 // added up as fill does, so that the sum is the same one
	for _, c := range l.curves {
		v, ok := c.Constant(from, to)
		if !ok {
			return 0, false
		}
		db += v
	}
	return factor(l.db + db), true
}

// most bounds the factors in [from, to).
func (l level) most(from, to int64) float64 {
	if !l.moves() {
		return l.rest
	}
	db := l.db
	for _, c := range l.curves {
		_, v := c.Range(from, to)
		db += v
	}
	return factor(db)
}

// fill gives the factors of len(dst) samples.
func (l level) fill(dst []float64, at int64) {
	if !l.moves() {
		for i := range dst {
			dst[i] = l.rest
		}
		return
	}
	l.curves[0].Fill(dst, at)
	var further [256]float64
	for _, c := range l.curves[1:] {
		for from := 0; from < len(dst); from += len(further) {
			part := dst[from:min(len(dst), from+len(further))]
			c.Fill(further[:len(part)], at+int64(from))
			for i := range part {
				part[i] += further[i]
			}
		}
	}
	last, f := dst[0], factor(l.db+dst[0])
	for i, v := range dst {
		if v != last {
			last, f = v, factor(l.db+v)
		}
		dst[i] = f
	}
}

// near is what of a gain counts in [from, to), with its time from there on.
func (l level) near(from, to int64) []automation.Curve {
	var out []automation.Curve
	for _, c := range l.curves {
		if c = near(c, from, to); c != nil {
			out = append(out, c)
		}
	}
	return out
}
