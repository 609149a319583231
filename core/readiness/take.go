package readiness

import (
	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Take is what matters of a take.
type Take struct {
	Grouping []snag.Snag // of how its files were brought together
	Why      string      // they were, in words
	Certain  bool        // that they belong together
	Accepted bool        // a person has said so
	// What was chosen to be done about a missing member (wait, without or nothing) and about members of unequal length (pad,
	// shortest or nothing).
	MissingRemedy, LengthRemedy string
	Strands                     []Strand
	// Asked is what has to be decided of its channels, such as "channels 1 and 2 are a stereo pair".
	Asked []string
}

// Undecided is the snag of what a take's channels are, where that has to be decided before anything of it is laid.
func Undecided(asked string) snag.Snag {
	return snag.New("undecided", "it is not certain that %s: hear both, and say in Takes whether they are, or each stands by itself", asked)
}

// Strand is what matters of a strand of it.
type Strand struct {
	Label string
	Off   bool
	Peak  float64 // full scale 1
}

// Silent reports whether nothing is on it.
func (s Strand) Silent() bool { return s.Peak < audio.Gain(audio.SilenceDB) }

// Snags are those of a take that are open: of its grouping what no remedy was chosen for and nobody has looked at, and
// labels that are missing.
func (t Take) Snags() []snag.Snag {
	out := []snag.Snag{}
	for _, s := range t.Grouping {
		if s.Code == "member_missing" && t.MissingRemedy == "without" || s.Code == "member_length" && t.LengthRemedy != "" {
			continue
		}
		if t.Accepted && s.Code != "member_missing" && s.Code != "member_length" {
			continue // looked at, and right
		}
		out = append(out, s)
	}
	if !t.Certain && !t.Accepted && len(out) == 0 {
		out = append(out, snag.New("proposed", "its files are brought together because %s: accept the group if that is right", t.Why))
	}
	for _, asked := range t.Asked {
		out = append(out, Undecided(asked))
	}
	unlabelled := 0
	for _, s := range t.Strands {
		if s.Label == "" && !s.Off && !s.Silent() {
			unlabelled++
		}
	}
	switch {
	case unlabelled == 1:
		out = append(out, snag.New("no_label", "a strand that sounds has no label: hear it and type one"))
	case unlabelled > 1:
		out = append(out, snag.New("no_label", "%d strands that sound have no label: hear them and type one", unlabelled))
	}
	return out
}
