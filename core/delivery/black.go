package delivery

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/picture"
)

// reach has as much black made before and behind a picture as the programme with its segments needs to lie in it, in whole
// frames, and says what the picture covers with it.
func (p *Plan) reach(start, end, before, after int64) Span {
	pic := *p.Order.Picture
	if pic.Rate.Zero() {
		p.problem(true, "delivery", "no_black", "the frame rate of %s is not known: no black can be made at it", pic.Name)
		return pic.Span
	}
	edge, frameAt := pic.frames(int64(p.Rates.Reel))
	cut := picture.Cutting{Cut: picture.Cut{Frames: frameAt(pic.Span.To)}}
	for edge(cut.Frames+1) <= pic.Span.To+1 { // its end is rounded down
		cut.Frames++
	}
	first, last := p.at(start, -before, p.Rates.Reel), p.at(end, after, p.Rates.Reel)
	for first < edge(-cut.Before) {
		cut.Before = max(cut.Before+1, -frameAt(first))
	}
	for last > edge(cut.Frames+cut.After)+1 {
		cut.After = max(cut.After+1, frameAt(last)-cut.Frames)
	}
	if cut.Before+cut.After == 0 {
		return pic.Span
	}
	pic.Cut = &cut
	p.Order.Picture = &pic
	return Span{edge(-cut.Before), edge(cut.Frames + cut.After)}
}

// blacken says how a picture with black at its edges is coded: as the spec says, else as the picture itself is.
func (p *Plan) blacken(info *picture.Info) {
	pic := *p.Order.Picture
	cut := *pic.Cut
	if cut.Codec, cut.Megabits = p.Order.Spec.Recode.Codec, p.Order.Spec.Recode.Megabits; cut.Codec == "" {
		cut.Codec = info.CoderOf()
	}
	coder := picture.Coders[cut.Codec]
	for _, f := range p.Files {
		switch {
		case !p.Pictures(f):
		case cut.Codec == "":
			p.problem(true, "delivery", "no_black", "no black can be made for %s: pictures coded as %s can't be written, and the spec names no codec that it is coded anew with (recode)", pic.Name, info.Picture.Codec)
		case !slices.Contains(coder.Containers, f.Container):
			p.problem(true, "delivery", "no_black", "no black can be made for %s in %s: it would be coded as %s, which is written into %s; name another codec in the spec (recode)", pic.Name, f.Name, coder.Name, strings.Join(coder.Containers, ", "))
		}
	}
	pic.Cut = &cut
	p.Order.Picture = &pic
	edge, _ := pic.frames(int64(p.Rates.Reel))
	var made []string
	for _, s := range []struct{ from, frames int64 }{{-cut.Before, cut.Before}, {cut.Frames, cut.After}} {
		if s.frames > 0 {
			made = append(made, fmt.Sprintf("from %s to %s (%d frames)", p.says(edge(s.from)), p.says(edge(s.from+s.frames)), s.frames))
		}
	}
	p.CutSays = fmt.Sprintf("black is made %s, of the size and rate of %s, all of which is coded anew as %s", strings.Join(made, " and "), pic.Name, coder.Name)
}
