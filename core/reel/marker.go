package reel

import (
	"cmp"
	"slices"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Marker is a place of the reel, or a stretch of it, with a name.
type Marker struct {
	ID     string `json:"id"`
	At     int64  `json:"at"`               // samples since midnight
	Length int64  `json:"length,omitempty"` // samples; 0 for a place
	Name   string `json:"name"`
	Colour string `json:"colour,omitempty"` // one of MarkerColours; the first when empty
	Note   string `json:"note,omitempty"`
}

// MarkerColours are those that a marker may have. Each is shown with a sign of its own, too.
var MarkerColours = []string{"citron", "tangerine", "plum", "lime", "sea"}

const MaxMarkers = 10_000

func (m Marker) check() error {
	switch {
	case m.ID == "" || m.At < 0 || m.Length < 0 || m.At > 1<<50 || m.Length > 1<<50:
		return snag.Refuse("bad_marker", "a marker can't lie at %d and last %d samples", m.At, m.Length)
	case strings.TrimSpace(m.Name) == "" || len(m.Name) > maxLabel || len(m.Note) > maxNote:
		return snag.Refuse("bad_marker", "a marker needs a name of at most %d letters, and has too long a note at the most", maxLabel)
	case m.Colour != "" && !slices.Contains(MarkerColours, m.Colour):
		return snag.Refuse("bad_marker", "the colour %q: expected one of %v", m.Colour, MarkerColours)
	}
	return nil
}

// SetMarkers puts markers, in place of those with the same IDs, and takes others away.
type SetMarkers struct {
	Put    []Marker `json:"put,omitempty"`
	Remove []string `json:"remove,omitempty"`
}

func (o *SetMarkers) apply(r *Reel) (Op, error) {
	if len(o.Put) > MaxMarkers || len(o.Remove) > MaxMarkers {
		return Op{}, tooManyMarkers(len(o.Put))
	}
	put := slices.Clone(o.Put)
	for i := range put {
		put[i].Name = strings.TrimSpace(put[i].Name)
		if err := put[i].check(); err != nil {
			return Op{}, err
		}
	}
	now, back, remove, err := exchanged(r.Markers, put, o.Remove, func(m Marker) string { return m.ID },
		func(id string) error {
			return snag.Refuse("no_such_marker", "there is no marker %q in this reel any more", id)
		})
	if err != nil {
		return Op{}, err
	}
	if len(now) > MaxMarkers {
		return Op{}, tooManyMarkers(len(now))
	}
	sortMarkers(now)
	r.Markers = now
	return Op{SetMarkers: &SetMarkers{back, remove}}, nil
}

func tooManyMarkers(n int) error {
	return snag.Refuse("too_many", "%d markers: at most %d", n, MaxMarkers)
}

func sortMarkers(all []Marker) {
	slices.SortFunc(all, func(a, b Marker) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.ID, b.ID)) })
}

// SetRate says what the reel's timecode counts in, or lets it count as the production's does.
type SetRate struct {
	Rate *timecode.Rate `json:"rate"`
}

func (o *SetRate) apply(r *Reel) (Op, error) {
	if o.Rate != nil {
		if known, err := timecode.ParseRate(o.Rate.String()); err != nil || known != *o.Rate {
			return Op{}, snag.Refuse("bad_rate", "timecode does not count in %d/%d frames a second", o.Rate.Num, o.Rate.Den)
		}
	}
	back := SetRate{r.Rate}
	r.Rate = o.Rate
	return Op{SetRate: &back}, nil
}

// SetLength gives the reel a length, or lets it follow its last clip.
type SetLength struct {
	Length *int64 `json:"length"` // samples
}

func (o *SetLength) apply(r *Reel) (Op, error) {
	if n := o.Length; n != nil && (*n <= 0 || *n > 1<<50) {
		return Op{}, snag.Refuse("bad_length", "a reel is longer than nothing")
	}
	back := SetLength{r.Length}
	r.Length = o.Length
	return Op{SetLength: &back}, nil
}
