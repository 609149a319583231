package edit

import (
	"fmt"
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

// Said is how the channels of a file are read, or that they are but a mix of others, whatever their sound says.
type Said struct {
	Readings []take.Reading
	Mix      bool
}

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

// Together surveys channels of several files, by the caller's names, as if they were one recording. So many of the first are
// likely mixes.
type Together func(strands []string, likely int) (survey.Findings, error)

// Arrive sorts files into takes and works out what their channels are, as intake does, in the order in
// which the first file of each was given. Takes that were recorded beside each other are compared: one that is but a mix of
// the others is left off. together is nil where that can't be known.
func Arrive(files []Arrival, together Together) ([]Arrived, error) {
	by := map[string]Arrival{}
	in := make([]take.File, len(files))
	for i, f := range files {
		by[f.Key], in[i] = f, f.File
	}
	var out []Arrived
	groups := take.Groups(in)
	sums, err := beside(groups, by, together)
	if err != nil {
		return nil, err
	}
	for i, g := range groups {
		a, err := arrive(g, by, sums[i])
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

// beside finds, of each group, whether it is a mix of others.
func beside(groups []take.Group, by map[string]Arrival, together Together) ([]*take.Sum, error) {
	spans, names, channels := make([]take.Span, len(groups)), make([]string, len(groups)), make([]int, len(groups))
	for i, g := range groups {
		facts := g.Members[0].Facts
		names[i] = take.NameOf(facts.Scene, facts.Take, g.Name())
		for _, m := range g.Members {
			channels[i] += m.Channels
		}
		spans[i] = take.Span{Name: g.Members[0].Name, SampleRate: g.Members[0].SampleRate, Start: facts.Start, Frames: g.Longest, Channels: channels[i]}
	}
	out := make([]*take.Sum, len(groups))
	compared := map[string][]*take.Sum{}
	for i := range groups {
		set, likely := take.AllBeside(spans, i)
		if set == nil || together == nil {
			continue
		}
		key := fmt.Sprint(set)
		if compared[key] == nil {
			var strands, of []string
			var wide []int
			for _, g := range set {
				of, wide = append(of, names[g]), append(wide, channels[g])
				for _, m := range groups[g].Members {
					strands = append(strands, by[m.Key].Strands...)
				}
			}
			found, err := together(strands, likely)
			if err != nil {
				return nil, err
			}
			compared[key] = take.Sums(of, wide, found.Relations)
		}
		out[i] = compared[key][slices.Index(set, i)]
	}
	return out, nil
}

func arrive(g take.Group, by map[string]Arrival, sum *take.Sum) (Arrived, error) {
	facts := g.Members[0].Facts
	a := Arrived{Snags: g.Snags, Certain: g.Certain, Why: g.Why, Day: facts.Day}
	a.Name, a.Start, a.Frames = take.NameOf(facts.Scene, facts.Take, g.Name()), facts.Start, g.Longest
	k := take.Known{Name: g.Members[0].Name, OneFile: len(g.Members) == 1, Recorded: facts.Scene != "" || facts.Take != "", Given: g.Readings(), Rate: g.Members[0].SampleRate, Sum: sum}
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
		if a.Readings = f.Read.Readings; f.Read.Mix {
			a.Sums = []take.Sum{take.MixOfAll(len(a.Strands))}
		}
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
		if sum := s.Mixes(); sum != nil {
			a.Sums = append(a.Sums, *sum)
			if sum.Applies(k.Labels) {
				a.Snags = append(a.Snags, snag.New("rough_mix", "%s: %s", a.Name, s.Says))
			}
		}
		if s.Asks {
			a.Asks = append(a.Asks, s)
		}
	}
	return a, nil
}
