// Package take decides which files are one take. A poly file is a take by itself. Mono files are
// one when they are of one family, or of one scene and take, or share a name up to a trailing
// channel, and began at the same sample at the same rate.
package take

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// File is one file as far as grouping goes.
type File struct {
	Key        string // the caller's name for it
	Name       string // of the file
	Channels   int
	SampleRate int
	Frames     int64
	Facts      source.Facts
}

// LengthTolerance is how many samples the members of a set may differ in length: recorders close
// their files one after another.
const LengthTolerance = 64

// SetKey names the set of mono files that a file would belong to; ok is false for files that are
// takes by themselves. Files with the same key are members of one set.
func SetKey(f File) (key string, ok bool) {
	if f.Channels != 1 {
		return "", false
	}
	where := fmt.Sprintf("%d@%d", f.SampleRate, f.Facts.Start)
	switch {
	case f.Facts.Family != "":
		return "family " + f.Facts.Family, true
	case f.Facts.Scene != "" && f.Facts.Take != "":
		return fmt.Sprintf("take %q %q %q %s", f.Facts.Scene, f.Facts.Take, f.Facts.Roll, where), true
	}
	n := source.ParseName(f.Name)
	if n.Number == 0 && n.Speaker == "" {
		return "", false
	}
	return fmt.Sprintf("name %q %s", strings.ToLower(n.Stem), where), true
}

// Fits says why a file can't be a member of a set it has the key of, or nil.
func Fits(f, member File) *snag.Snag {
	no := func(code, what string, a, b any) *snag.Snag {
		s := snag.New(code, "%s belongs with %s but its %s differs (%v against %v); it stands by itself", f.Name, member.Name, what, a, b)
		return &s
	}
	switch {
	case f.SampleRate != member.SampleRate:
		return no("member_rate", "sample rate", f.SampleRate, member.SampleRate)
	case f.Facts.Start != member.Facts.Start:
		return no("member_start", "start", f.Facts.Start, member.Facts.Start)
	case f.Frames > member.Frames+LengthTolerance || f.Frames < member.Frames-LengthTolerance:
		return no("member_length", "length", f.Frames, member.Frames)
	}
	return nil
}

// Sort puts the members of a set in the order of their channels, else by name.
func Sort(members []File) {
	by := source.Order(members, func(f File) source.Member { return source.Member{Name: f.Name, Facts: f.Facts} })
	if by == "" {
		slices.SortStableFunc(members, func(a, b File) int { return strings.Compare(a.Name, b.Name) })
	}
}

// Missing says what a set lacks: members its files announce, or numbers left out between others.
func Missing(members []File) []snag.Snag {
	total := 0
	numbers := map[int]bool{}
	last := 0
	for _, m := range members {
		total = max(total, m.Facts.SetSize)
		n := source.ParseName(m.Name).Number
		numbers[n] = true
		last = max(last, n)
	}
	if total > len(members) {
		return []snag.Snag{snag.New("member_missing", "%d of the %d files of this set are here; add the others, or go on without them", len(members), total)}
	}
	var gaps []string
	for n := 1; n < last; n++ {
		if !numbers[n] && total == 0 && !numbers[0] {
			gaps = append(gaps, fmt.Sprint(n))
		}
	}
	if len(gaps) > 0 {
		return []snag.Snag{snag.New("member_missing", "no file numbered %s stands among those of this set; if it exists, add it", strings.Join(gaps, ", "))}
	}
	return nil
}

var mixLabel = regexp.MustCompile(`(?i)^mix[ _.-]?(l|r|left|right|1|2|m|mono)?$`)

// IsMix reports whether a label is that of a mix track, which holds what the other tracks hold.
func IsMix(label string) bool {
	return mixLabel.MatchString(strings.TrimSpace(label))
}
