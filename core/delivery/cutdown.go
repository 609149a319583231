package delivery

import (
	"context"
	"fmt"
	"path"
	"slices"

	"zestyloom/core/picture"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// A cut-down is a delivery of a span: its sound and its picture have the same edges, in files apart or together. Those of the picture
// are whole frames of it, so those of the sound are, too.

// pictured reports whether a picture goes along: not with a test.
func (p Plan) pictured() bool { return p.Order.Picture != nil && !p.Test() }

// Pictures reports whether a file of a plan has the picture.
func (p Plan) Pictures(f File) bool {
	return p.pictured() && Containers[f.Container].Picture && f.Picture != PictureNone
}

// PictureBytes is how much of pictures a plan writes, of a file of some size, with what lies beside it meanwhile: no more than it is,
// where a stretch is copied, and most likely not where it is coded anew.
func (p Plan) PictureBytes(size int64) (n int64) {
	for _, f := range p.Files {
		if p.Pictures(f) {
			n += size
		}
	}
	if p.pictured() && p.Order.Picture.Cut != nil {
		n *= 2
	}
	return n
}

// PictureOf looks at a file with a picture and says where it lies over a reel: where it is laid there, by the caller's name for the
// file, at one place, or first in the span; else where its timecode says, else where the reel begins. What it found of the file is
// what FitPicture goes by.
func PictureOf(ctx context.Context, path, file, name string, r reel.Reel, sampleRate int, span *Span) (*Picture, *picture.Info, error) {
	info, err := picture.Probe(ctx, path)
	if err != nil {
		return nil, nil, err
	}
	from, to, err := info.Covers(sampleRate)
	if err != nil {
		return nil, nil, err
	}
	length := to - from
	if from < 0 {
		from, _ = r.Span()
	}
	var places []int64 // where it is laid, or where span has it
	for _, laid := range r.Pictures {
		if at := laid.At - laid.In; laid.File == file && (span == nil || laid.At < span.To && span.From < laid.End()) && !slices.Contains(places, at) {
			places = append(places, at)
		}
	}
	if len(places) == 1 || len(places) > 0 && span != nil {
		from = places[0]
	}
	return &Picture{File: file, Name: name, Span: Span{from, from + length}, Rate: info.Picture.Rate()}, info, nil
}

// FitPicture looks at the file of the picture of a plan, and works out how it is cut and how it is marked.
func (p *Plan) FitPicture(ctx context.Context, path string, info *picture.Info) error {
	if !p.pictured() {
		return nil
	}
	p.headset(info)
	if p.Order.Picture.Cut == nil {
		return nil
	}
	if p.Order.Span == nil {
		p.blacken(info)
		return nil
	}
	e, err := info.Edges(ctx, path, p.Order.Picture.Cut.Cut)
	if err != nil {
		return err
	}
	p.recut(e)
	return nil
}

// cut puts the edges of a span on frames of the picture, outwards.
func (p *Plan) cut(from, to int64) (first, end int64, err error) {
	pic := *p.Order.Picture
	if pic.Rate.Zero() {
		return 0, 0, snag.Refuse("picture_uncounted", "the frame rate of %s is not known: it can't be cut", pic.Name)
	}
	edge, frameAt := pic.frames(int64(p.Rates.Reel))
	begins, ends := frameAt(max(from, pic.Span.From)), frameAt(max(to, pic.Span.From))
	for edge(ends) < to {
		ends++
	}
	if from < pic.Span.From || edge(ends) > pic.Span.To+1 { // its end is rounded down
		return 0, 0, snag.Refuse("picture_short", "the span from %s to %s is not all in the picture %s, which lies from %s to %s", p.says(from), p.says(to), pic.Name, p.says(pic.Span.From), p.says(pic.Span.To))
	}
	pic.Cut = &picture.Cutting{Cut: picture.Cut{First: begins, Frames: ends - begins}}
	p.Order.Picture = &pic
	first, end = edge(begins), edge(ends)
	if frame := p.Rate.FrameAt(first, int64(p.Rates.Reel)); p.Rate.SampleAt(frame, int64(p.Rates.Reel)) != first {
		p.problem(false, "reel", "within_frame", "%s lies within frames of the timecode, not on them: files with a picture say the frame that they begin in", pic.Name)
	}
	if len(p.Reel.Pictures) > 0 && !p.seen(first, end) {
		p.problem(false, "reel", "picture_differs", "%s is not what is seen in the reel over all of the span", pic.Name)
	}
	return first, end, nil
}

// frames are where each frame of a picture begins, in samples of the reel, and which frame a sample lies in: on the timecode where the
// picture begins with a frame of it, so that all that counts rounds alike; else counted from where it begins.
func (p Picture) frames(sampleRate int64) (edge, frameAt func(n int64) int64) {
	rate, at := p.Rate, p.Span.From
	rate.Drop = false
	if first := rate.FrameAt(at, sampleRate); rate.SampleAt(first, sampleRate) == at {
		return func(n int64) int64 { return rate.SampleAt(first+n, sampleRate) }, func(sample int64) int64 { return rate.FrameAt(sample, sampleRate) - first }
	}
	return func(n int64) int64 { return at + rate.SampleAt(n, sampleRate) }, func(sample int64) int64 { return rate.FrameAt(sample-at, sampleRate) }
}

// seen reports whether the picture that goes along is what is seen in the reel over a stretch.
func (p Plan) seen(from, to int64) bool {
	pic := p.Order.Picture
	for _, laid := range p.Reel.Pictures {
		if laid.File == pic.File && laid.At-laid.In == pic.Span.From && laid.At <= from && from < laid.End() {
			from = laid.End()
		}
	}
	return from >= to-1 // its length is rounded down
}

func (p Plan) says(sample int64) string { return p.Rate.FormatSamples(sample, int64(p.Rates.Reel)) }

// recut says how the picture of a cut-down is cut, where its edges are known: copied, coded anew, or not at all, which is a problem.
func (p *Plan) recut(e picture.Edges) {
	pic := *p.Order.Picture
	cut := *pic.Cut
	if cut.Codec = ""; !e.Copies {
		cut.Codec, cut.Megabits = p.Order.Spec.Recode.Codec, p.Order.Spec.Recode.Megabits
		if cut.Codec == "" {
			p.problem(true, "delivery", "no_key_frame", "%s can't be cut without coding it anew, and the spec names no codec: %s", pic.Name, p.whyNot(e))
		}
	}
	pic.Cut = &cut
	p.Order.Picture = &pic
	if cut.Codec != "" {
		p.CutSays = fmt.Sprintf("%s is coded anew as %s: %s", pic.Name, picture.Coders[cut.Codec].Name, p.whyNot(e))
	} else if e.Copies {
		p.CutSays = fmt.Sprintf("%s is copied as it was coded: its edges allow it", pic.Name)
	}
}

// whyNot says why a cut can't be copied, and where one could begin.
func (p Plan) whyNot(e picture.Edges) string {
	pic := p.Order.Picture
	edge, _ := pic.frames(int64(p.Rates.Reel))
	frame := func(n int64) string { return p.says(edge(n)) }
	near := func(a, b int64) string {
		switch {
		case a >= 0 && b >= 0:
			return fmt.Sprintf("at %s and at %s", frame(a), frame(b))
		case max(a, b) >= 0:
			return "at " + frame(max(a, b))
		}
		return "nowhere near"
	}
	if e.Open {
		return "frames before it are coded by the one that it begins with; a key frame after it is " + near(-1, e.After)
	}
	if e.Before == pic.Cut.First {
		return "frames within it are coded by one after its end; it could be copied where it ended " + near(e.EndBefore, e.EndAfter)
	}
	return "it does not begin with a key frame; there are such " + near(e.Before, e.After)
}

// alone adds the file of a rule for the picture alone.
func (p *Plan) alone(rule FileRule) error {
	name, err := p.name(rule, p.fields())
	if err != nil {
		return err
	}
	switch {
	case p.Test():
		p.problem(false, "delivery", "no_picture", "a test has no picture: %s is not written", path.Base(name))
	case !p.pictured():
		p.problem(true, "delivery", "no_picture", "%s is to hold the picture, and none goes along: choose one", path.Base(name))
	default:
		p.Files = append(p.Files, File{Name: name, Container: rule.Container, Channels: []Channel{}, Picture: rule.Picture})
	}
	return nil
}
