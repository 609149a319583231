package cutlist

// Kinds of changes from one list to another.
const (
	Same    = "same"
	Moved   = "moved"   // the same of its source, elsewhere on the record
	Trimmed = "trimmed" // where it was, from or to another place of its source
	Both    = "moved and trimmed"
	Added   = "added"
	Gone    = "gone"
)

// Change is what became of an event.
type Change struct {
	Kind string `json:"kind"`
	Was  *Event `json:"was,omitempty"`
	Is   *Event `json:"is,omitempty"`
	// Shift is by how many samples what is heard lies later on the record; Head and Tail by how many it begins earlier and ends later in its
	// source: negative for less of it.
	Shift int64 `json:"shift"`
	Head  int64 `json:"head"`
	Tail  int64 `json:"tail"`
}

// Compare says what became of each event of a list in another, in the order of the new record, and what is gone behind. Two are one by
// Pair; their sources are told by name where all events have one, else by scene and take, else by reel.
func Compare(was, is List) []Change {
	source := sourceOf(was, is)
	stretches := func(l List) (out []Stretch) {
		for _, e := range l.Events {
			out = append(out, Stretch{source(e), e.In, e.At, e.Length})
		}
		return out
	}
	pair := Pair(stretches(was), stretches(is))
	taken := make([]bool, len(was.Events))
	var out []Change
	for i := range is.Events {
		b := &is.Events[i]
		if pair[i] < 0 {
			out = append(out, Change{Kind: Added, Is: b})
			continue
		}
		taken[pair[i]] = true
		a := &was.Events[pair[i]]
		c := Change{Was: a, Is: b, Shift: (b.At - b.In) - (a.At - a.In), Head: a.In - b.In, Tail: (b.In + b.Length) - (a.In + a.Length)}
		trimmed := c.Head != 0 || c.Tail != 0 || a.Fade != b.Fade
		switch {
		case trimmed && c.Shift != 0:
			c.Kind = Both
		case trimmed:
			c.Kind = Trimmed
		case c.Shift != 0:
			c.Kind = Moved
		default:
			c.Kind = Same
		}
		out = append(out, c)
	}
	for k := range was.Events {
		if !taken[k] {
			out = append(out, Change{Kind: Gone, Was: &was.Events[k]})
		}
	}
	return out
}

// sourceOf is what tells sources apart in two lists.
func sourceOf(lists ...List) func(Event) string {
	named, slated := true, true
	for _, l := range lists {
		for _, e := range l.Events {
			named = named && plain(e.Name) != ""
			slated = slated && e.Scene != "" && e.Take != ""
		}
	}
	switch {
	case named:
		return func(e Event) string { return plain(e.Name) }
	case slated:
		return func(e Event) string { return plain(e.Scene) + " " + plain(e.Take) }
	}
	return func(e Event) string { return plain(e.Reel) }
}
