package edit

import (
	"slices"

	"zestyloom/core/snag"
	"zestyloom/core/survey"
	"zestyloom/core/take"
)

// Arrival is a file as it arrives to be laid: what it says of itself, and where its sound is.
type Arrival struct {
	take.File
	Mask    uint32             // its channel mask, 0 for none
	Streams []take.StreamGroup // of a file with pictures
	Strands []string           // the caller's names for its channels
	// Found surveys what its channels hold. It is called only where nothing else says what they are; nil where that is not known.
	Found func() (survey.Findings, error)
	// Read is how somebody has said that its channels are read, whatever it says itself; nil where nobody has, and without readings for
	// each by itself.
	Read *Said
}

// Said is how the channels of a file are read.
type Said struct{ Readings []take.Reading }

// Arrived is a take that files have come to, and what has to be decided before it is laid.
type Arrived struct {
	Take
	Files []string // keys of its files, in order
	Asks  []take.Suggestion
	Snags []snag.Snag
	// Certain is false where files are brought together that may not belong together; Why says what brings them.
	Certain bool
	Why     string
	Day     string // yyyy-mm-dd on which it was recorded, empty where it does not say
}

// Arrive sorts files into takes and works out what their channels are, as intake does, in the order in
// which the first file of each was given.
func Arrive(files []Arrival) ([]Arrived, error) {
	by := map[string]Arrival{}
	in := make([]take.File, len(files))
	for i, f := range files {
		by[f.Key], in[i] = f, f.File
	}
	var out []Arrived
	for _, g := range take.Groups(in) {
		a, err := arrive(g, by)
		if err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	order := map[string]int{}
	for i, f := range files {
		order[f.Key] = i
	}
	slices.SortStableFunc(out, func(a, b Arrived) int { return order[a.Files[0]] - order[b.Files[0]] })
	return out, nil
}

func arrive(g take.Group, by map[string]Arrival) (Arrived, error) {
	facts := g.Members[0].Facts
	a := Arrived{Snags: g.Snags, Certain: g.Certain, Why: g.Why, Day: facts.Day}
	a.Name, a.Start, a.Frames = take.NameOf(facts.Scene, facts.Take, g.Name()), facts.Start, g.Longest
	k := take.Known{Name: g.Members[0].Name, OneFile: len(g.Members) == 1, Recorded: facts.Scene != "" || facts.Take != "", Given: g.Readings(), Rate: g.Members[0].SampleRate}
	if k.OneFile {
		k.Mask, k.Given = by[g.Members[0].Key].Mask, take.ContainerReadings(by[g.Members[0].Key].Streams, facts.Groups)
	}
	nothing := true
	for _, m := range g.Members {
		f := by[m.Key]
		a.Files = append(a.Files, m.Key)
		for c, fact := range m.Facts.Tracks {
			a.Strands = append(a.Strands, TakeStrand{ID: f.Strands[c], Position: len(a.Strands) + 1, Label: fact.Label, Stem: g.StemGiven(), Frames: m.Frames})
			k.Labels = append(k.Labels, fact.Label)
			nothing = nothing && take.NamesNothing(fact.Label)
		}
	}
	if k.OneFile {
		for _, standing := range facts.Groups {
			if standing.At != nil && len(standing.Channels) == 1 && standing.Channels[0] <= len(a.Strands) {
				s := &a.Strands[standing.Channels[0]-1]
				s.Place, s.GainDB = standing.At, standing.GainDB
			}
		}
	}
	f := by[g.Members[0].Key]
	switch {
	case f.Read != nil && k.OneFile:
		a.Readings = f.Read.Readings
		return a, take.CheckReadings(a.Readings, len(a.Strands))
	case k.OneFile && nothing && len(a.Strands) > 1 && len(k.Given) == 0 && f.Found != nil:
		found, err := f.Found()
		if err != nil {
			return a, err
		}
		k.Found = found
	}
	certain, rest := take.Channels(k)
	a.Readings = append(slices.Clone(k.Given), certain...)
	for _, s := range rest {
		if s.Asks {
			a.Asks = append(a.Asks, s)
		}
	}
	return a, nil
}
