package delivery

import (
	"slices"
)

// mostSeconds is the longest programme that is made unasked, and mostSilence by how many times it may be longer than the sound
// in it.
const (
	mostSeconds = 12 * 3600
	mostSilence = 10
)

// sounding are the stretches of the reel in which a clip of a track that is on lies, joined and in order.
func (p Plan) sounding() (out []Span) {
	for _, t := range p.Reel.Tracks {
		if t.Off {
			continue
		}
		for _, c := range t.Clips {
			out = append(out, Span{c.At, c.End()})
		}
	}
	slices.SortFunc(out, func(a, b Span) int { return int(min(1, max(-1, a.From-b.From))) })
	joined := out[:0]
	for _, s := range out {
		if n := len(joined); n > 0 && s.From <= joined[n-1].To {
			joined[n-1].To = max(joined[n-1].To, s.To)
			continue
		}
		joined = append(joined, s)
	}
	return joined
}

// leftOut asks about sound of the reel that is in no file: what lies before or behind the picture that goes along, or behind the
// end that the reel was given. A span that was ordered leaves out the rest on purpose.
func (p *Plan) leftOut() {
	sounding := p.sounding()
	if p.Order.Span != nil || len(sounding) == 0 {
		return
	}
	what, remedy := "the end that the reel was given", ""
	if p.Order.Picture != nil {
		remedy = ": have black made for it, or say that it is to be cut off"
		what = "the picture " + p.Order.Picture.Name + ", from " + p.says(p.From) + " to " + p.says(p.To)
	}
	// The picture's frames are rounded to samples.
	first, last := sounding[0].From, sounding[len(sounding)-1].To
	for _, s := range []Span{{first, p.From}, {max(p.To, first), last}} {
		if s.To-s.From > 1 {
			p.ask("reel", "not_delivered", "the sound of the reel from %s to %s lies outside of %s, and would be in no file (%s of it)%s", p.says(s.From), p.says(s.To), what, p.length(s.To-s.From), remedy)
		}
	}
}

// length is a number of samples as a length in timecode.
func (p Plan) length(n int64) string { return p.Rate.FormatSamples(n, int64(p.Rates.Reel)) }

// implausible asks about a programme that is far longer than anybody makes one, as of takes of two nights, or of a start that is
// wrong.
func (p *Plan) implausible() {
	if p.Order.Span != nil {
		return
	}
	var sound int64
	sounding := p.sounding()
	for _, s := range sounding {
		sound += s.To - s.From
	}
	length := p.To - p.From
	if len(sounding) == 0 || length <= 0 {
		return
	}
	rate := int64(p.Rates.Reel)
	switch {
	case length > mostSeconds*rate:
		p.ask("reel", "implausible_length", "the programme would last %.1f hours, from %s to %s: look where the takes at either end of the reel lie, or whether they belong before and after midnight", float64(length)/float64(3600*rate), p.says(p.From), p.says(p.To))
	case length > 60*rate && length > mostSilence*sound:
		p.ask("reel", "implausible_length", "the programme would last %.0f minutes with %.1f minutes of sound in it, from %s to %s: look where the takes at either end of the reel lie", float64(length)/float64(60*rate), float64(sound)/float64(60*rate), p.says(p.From), p.says(p.To))
	}
}

// Open are the problems of a plan that stop its order: those that always do, and those that ask and were not accepted.
func (p Plan) Open() (out []Problem) {
	for _, n := range p.Problems {
		if n.Stops || n.Asks && !slices.Contains(p.Order.Accept, n.Code) {
			out = append(out, n)
		}
	}
	return out
}
