package app

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/align"
	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/waveform"
	"zestyloom/internal/store"
)

// Lendable is a place in another strand that a span of a track could be borrowed from.
type Lendable struct {
	Take, Strand uuid.UUID
	Name         string // of the take
	Label        string
	Position     int   // of the strand in its take
	In           int64 // first sample, at the production's rate
	// By says how the place was found: take (the same take, at the same moment), shape (the sound goes alike there) or
	// slate (as long after the take began).
	By       string
	Likeness float64 // of shape, 0 to 1
	NoGood   bool
	Circled  bool
}

const (
	shapeSteps   = 100 // a second: how finely lines are compared by their loudness
	shapeReach   = 15  // seconds before and after the place by the slate that are looked through
	shapeSure    = 0.6 // likeness from which a place by shape is believed
	mostBorrowed = 60  // seconds of a span
)

// Lendables lists what a span of a track could be borrowed from: the other takes of the same scene, the likest first, and
// then the other strands of the same take.
func (a *App) Lendables(ctx context.Context, reelID uuid.UUID, track string, from, to int64) ([]Lendable, error) {
	r, p, err := a.reelIn(ctx, reelID)
	if err != nil {
		return nil, err
	}
	if to <= from || to-from > int64(mostBorrowed*p.SampleRate) {
		return nil, snag.Refuse("bad_span", "a line that is borrowed lasts up to %d seconds", mostBorrowed)
	}
	clip, ok := spanning(r.Doc, track, from, to)
	if !ok {
		return nil, snag.Refuse("nothing_to_do", "nothing lies in that span on the track: what it is part of can't be told")
	}
	id, err := uuid.Parse(clip.Strands[0])
	if err != nil {
		return nil, noStrand(clip.Strands[0])
	}
	own, err := a.Store.Strand(ctx, id)
	if err != nil {
		return nil, err
	}
	t, err := a.Store.Take(ctx, own.TakeID)
	if err != nil {
		return nil, err
	}
	takes, err := a.Store.TakesOfScene(ctx, p.ID, t.Scene, t.ID)
	if err != nil {
		return nil, err
	}
	ids := []uuid.UUID{t.ID}
	for _, o := range takes {
		ids = append(ids, o.ID)
	}
	strands, err := a.Store.Strands(ctx, ids)
	if err != nil {
		return nil, err
	}
	at := clip.In + from - clip.At
	line, err := a.loudness(ctx, own, t, p, at, at+to-from)
	if err != nil {
		return nil, err
	}
	var out []Lendable
	for _, o := range append(takes, t) {
		for _, s := range lending(strands, o, own) {
			l := Lendable{Take: o.ID, Strand: s.ID, Name: o.Name, Label: s.Label, Position: s.Position, In: at, By: "take", NoGood: o.NoGood, Circled: o.Circled}
			k, err := clockOf(o, p)
			if err != nil {
				return nil, err
			}
			n := k.Frames(s.Frames)
			if o.ID != t.ID {
				if l.In, l.Likeness, err = a.likeliest(ctx, s, o, p, line, at, n); err != nil {
					return nil, err
				}
				if l.By = "shape"; l.Likeness < shapeSure {
					l.By, l.In = "slate", at
				}
			}
			if l.In >= 0 && l.In+to-from <= n {
				out = append(out, l)
			}
		}
	}
	slices.SortStableFunc(out, func(x, y Lendable) int {
		same := func(l Lendable) int { return map[bool]int{true: 1}[l.Take == t.ID] }
		return cmp.Or(cmp.Compare(same(x), same(y)), cmp.Compare(y.Likeness, x.Likeness))
	})
	return out, nil
}

// spanning finds the clip of a track that most of a span lies in.
func spanning(doc reel.Reel, track string, from, to int64) (best reel.Clip, ok bool) {
	most := int64(0)
	for _, t := range doc.Tracks {
		for _, c := range t.Clips {
			if n := min(to, c.End()) - max(from, c.At); t.ID == track && n > most {
				most, best, ok = n, c, true
			}
		}
	}
	return best, ok
}

// lending finds the strands of a take that may lend to another strand: of another take those of the same label, or else
// all; of its own take the others. Mixes of the others, what is off and what
// is silent lend nothing.
func lending(strands []store.Strand, t store.Take, own store.Strand) []store.Strand {
	var all, same []store.Strand
	for _, s := range strands {
		if s.TakeID != t.ID || s.ID == own.ID || s.Treat.Off || take.IsMix(s.Label) || s.Peak < audio.Gain(audio.SilenceDB) {
			continue
		}
		all = append(all, s)
		if own.Label != "" && strings.EqualFold(s.Label, own.Label) {
			same = append(same, s)
		}
	}
	if same != nil && t.ID != own.TakeID {
		return same
	}
	return all
}

// loudness is how loud a stretch of a strand is, in steps: positions are at the production's rate.
func (a *App) loudness(ctx context.Context, s store.Strand, t store.Take, p store.Production, from, to int64) ([]float64, error) {
	own := func(at int64) int64 {
		return int64(math.Round(float64(at) * float64(t.SampleRate) / float64(p.SampleRate) * (1 + t.DriftSet*1e-6)))
	}
	n := int((to - from) * shapeSteps / int64(p.SampleRate))
	if n < 1 {
		return nil, nil
	}
	pairs, err := a.Waveform(ctx, s.ID.String(), own(from), own(to), n)
	if err != nil {
		return nil, err
	}
	out := make([]float64, len(pairs))
	for i, v := range pairs {
		out[i] = float64(max(int(v.Max), -int(v.Min))) / waveform.Scale
	}
	return out, nil
}

// likeliest finds where a line lies in a strand by the shape of its sound, near its place by the slate.
func (a *App) likeliest(ctx context.Context, s store.Strand, t store.Take, p store.Production, line []float64, at, frames int64) (int64, float64, error) {
	reach := int64(shapeReach * p.SampleRate)
	length := int64(len(line)) * int64(p.SampleRate) / shapeSteps
	from, to := max(0, at-reach), min(frames, at+length+reach)
	if to-from < length {
		return at, 0, nil
	}
	other, err := a.loudness(ctx, s, t, p, from, to)
	if err != nil {
		return at, 0, err
	}
	step, likeness := align.Shape(line, other)
	return from + int64(step)*int64(p.SampleRate)/shapeSteps, likeness, nil
}

// planned is a reel as it would be after actions, to be listened to.
func (a *App) planned(ctx context.Context, r store.Reel, actions []edit.Action) (reel.Reel, error) {
	if len(actions) == 0 {
		return r.Doc, nil
	}
	plan, err := edit.Plan(r.Doc, actions, editing(ctx, a.Store.Queries, r))
	return plan.After, err
}
