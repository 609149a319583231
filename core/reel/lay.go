package reel

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
	"zestyloom/core/weave"
)

// Strand is a channel of a take that is to be laid.
type Strand struct {
	ID    string
	Label string
	// Own says that nobody gave it its label, which was made up from its file: it shares no track with others.
	Own bool
	Mix bool // a mix of the others: laid, but off
	// Frames is its own length where that is less than its take's, 0 otherwise.
	Frames int64
	// Shift is how many samples it lies late against its take, since it was let go from it.
	Shift int64
	// With is a second strand that its clip takes with it, times Sign: the side of a mid-side pair. Empty for none.
	With string
	Sign float64
	// More are the channels after the first of what is laid as one track of a layout, and Patch how they enter it.
	More   []string
	Layout string // mono when empty
	Patch  weave.Patch
	// Sends are where it is sent when its track is made; none for nowhere yet.
	Sends []weave.Send
	// Place is where it stands by itself, and GainDB how loud, on a track that is made for it.
	Place  *spatial.Position
	GainDB float64
}

// clip is what it plays.
func (s Strand) clip(c Clip) Clip {
	c.Strands, c.Patch = append([]string{s.ID}, s.More...), s.Patch
	if s.With != "" {
		c.Strands = []string{s.ID, s.With}
		c.Patch = weave.Patch{Preset: weave.Custom, Matrix: audio.Matrix{{1, s.Sign}}}
	}
	return c
}

// Lay says what a take is.
type Lay struct {
	Name    string // of the take, such as "21A-3"
	Start   int64  // samples since midnight at the reel's rate, -1 when not known
	Frames  int64
	Strands []Strand
	DayLen  int64         // samples in a day at the reel's rate
	NewID   func() string // makes identities for tracks and clips
	// Unplaced is where a take without a start lies; nil for the end of what is there.
	Unplaced *int64
	// Again lays what is in the reel already once more; without, that is refused.
	Again bool
	// Cut lays a stretch of the take instead of all of it, Frames long, at Start; it may be in the reel already.
	Cut *Stretch
}

// Stretch is a part of a take that is laid.
type Stretch struct {
	From    int64 // first sample of the take
	FadeIn  Fade
	FadeOut Fade
}

// clipOf is what a strand of a take comes to at a place; false where it has no sound there.
func (l Lay) clipOf(s Strand, at int64, tie string) (Clip, bool) {
	c := s.clip(Clip{ID: l.NewID(), Name: l.Name, At: at + s.Shift, Length: l.Frames, Unplaced: l.Start < 0, Tie: tie})
	if l.Cut == nil {
		if s.Frames > 0 {
			c.Length = min(c.Length, s.Frames)
		}
		return c, true
	}
	c.At, c.In = at, l.Cut.From-s.Shift
	c.FadeIn, c.FadeOut = l.Cut.FadeIn, l.Cut.FadeOut
	if early := -c.In; early > 0 { // it begins later than the stretch does
		c.At, c.In, c.Length = c.At+early, 0, c.Length-early
	}
	if s.Frames > 0 {
		c.Length = min(c.Length, s.Frames-c.In)
	}
	c.FadeIn.Length = max(0, min(c.FadeIn.Length, c.Length))
	c.FadeOut.Length = max(0, min(c.FadeOut.Length, c.Length-c.FadeIn.Length))
	return c, c.Length > 0
}

// mono is the layout of the tracks that strands are laid on one by one.
const mono = "mono"

func (s Strand) layout() string { return cmp.Or(s.Layout, mono) }

// LayTake works out the operations that take a take into a reel: a clip a strand, tied, all at the
// take's start, or where it is said or at the end of what is there, marked as unplaced, when it has none; on the track of the strand's
// label, where it was given one and there is room, else on a new one. Tracks of mixes are off. A track that has a route
// keeps it.
func LayTake(r Reel, l Lay) ([]Op, error) {
	if l.Frames <= 0 || len(l.Strands) == 0 {
		return nil, snag.Refuse("nothing_to_lay", "%s holds no sound to lay", l.Name)
	}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			if l.Cut == nil && !l.Again && slices.ContainsFunc(l.Strands, func(s Strand) bool {
				return slices.ContainsFunc(append([]string{s.ID}, s.More...), func(id string) bool { return slices.Contains(c.Strands, id) })
			}) {
				return nil, snag.Refuse("laid_already", "%s is in the reel already, on track %s", l.Name, t.Label)
			}
		}
	}
	at := DayOf(r, l.Start, l.DayLen)
	if l.Start < 0 {
		if _, at = r.Span(); l.Unplaced != nil {
			at = *l.Unplaced
		}
	}
	var ops []Op
	tie := l.NewID()
	used := map[string]bool{}
	added := 0
	for n, s := range l.Strands {
		label := strings.TrimSpace(s.Label)
		if label == "" {
			label, s.Own = "Strand "+strconv.Itoa(n+1), true
		}
		clip, ok := l.clipOf(s, at, tie)
		if !ok {
			continue
		}
		i := slices.IndexFunc(r.Tracks, func(t Track) bool {
			return !s.Own && t.Label == label && t.Layout == s.layout() && !used[t.ID] && (t.Off == s.Mix || !s.Mix) && t.free(clip)
		})
		if i >= 0 {
			used[r.Tracks[i].ID] = true
			if _, routed := r.Weave.Send(r.Tracks[i].ID); !routed && len(s.Sends) > 0 {
				ops = append(ops, Op{SetSends: &SetSends{r.Tracks[i].ID, s.Sends}})
			}
			ops = append(ops, Op{AddClips: &AddClips{r.Tracks[i].ID, []Clip{clip}}})
			continue
		}
		t := Track{ID: l.NewID(), Label: label, Layout: s.layout(), Off: s.Mix, GainDB: max(weave.MinGain, min(weave.MaxGain, s.GainDB)), Place: s.Place, Clips: []Clip{clip}}
		ops = append(ops, Op{AddTrack: &AddTrack{Index: len(r.Tracks) + added, Track: t, Sends: s.Sends}})
		added++
	}
	return ops, nil
}

// DayOf is where a moment since midnight lies on a reel that may have run past midnight. day is the length of a day in
// samples.
func DayOf(r Reel, at, day int64) int64 { return Days(r, day)(at) }

// Days is DayOf for many moments of one reel.
func Days(r Reel, day int64) func(at int64) int64 {
	start, end := r.Span()
	return func(at int64) int64 {
		if end > start && at < start-day/2 {
			return at + day
		}
		return at
	}
}

// free reports whether nothing lies where the clip would.
func (t Track) free(c Clip) bool {
	return !slices.ContainsFunc(t.Clips, func(o Clip) bool { return o.At < c.End() && c.At < o.End() })
}
