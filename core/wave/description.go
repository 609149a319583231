package wave

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Description is the KEY=VALUE lines that field recorders put into the bext description, with or
// without one small letter before the key. Keys keep their order; lines of another form are kept
// as they are.
type Description struct {
	lines []descLine
}

type descLine struct {
	prefix, key, value string // key is empty for a line of another form, value is then the line
}

// ParseDescription reads description lines.
func ParseDescription(s string) Description {
	var d Description
	for line := range strings.SplitSeq(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(s), "\n") {
		if line == "" {
			continue
		}
		key, value, ok := strings.Cut(line, "=")
		l := descLine{value: line}
		if ok {
			prefix := ""
			if len(key) > 1 && key[0] >= 'a' && key[0] <= 'z' && key[1] >= 'A' && key[1] <= 'Z' {
				prefix, key = key[:1], key[1:]
			}
			if key != "" && key == strings.ToUpper(key) && !strings.ContainsAny(key, " \t") {
				l = descLine{prefix, key, value}
			}
		}
		d.lines = append(d.lines, l)
	}
	return d
}

// Get returns the value of a key, or an empty string.
func (d Description) Get(key string) string {
	for _, l := range d.lines {
		if l.key == key {
			return strings.TrimSpace(l.value)
		}
	}
	return ""
}

// Track is a TRKn line.
type Track struct {
	Number int
	Name   string
}

// Tracks returns the TRKn lines by number.
func (d Description) Tracks() []Track {
	var ts []Track
	for _, l := range d.lines {
		if n, ok := trackNumber(l.key); ok {
			ts = append(ts, Track{n, strings.TrimSpace(l.value)})
		}
	}
	slices.SortStableFunc(ts, func(a, b Track) int { return a.Number - b.Number })
	return ts
}

func trackNumber(key string) (int, bool) {
	num, ok := strings.CutPrefix(key, "TRK")
	n, err := strconv.Atoi(num)
	return n, ok && err == nil && n > 0
}

// WithTracks returns the description with its TRKn lines replaced, and the given fields set where
// they are not empty. Tracks without a name are left out. Fields are written in order.
func (d Description) WithTracks(tracks []Track, fields ...[2]string) Description {
	prefix := "s"
	var out Description
	for _, l := range d.lines {
		if l.key != "" {
			prefix = l.prefix
		}
		if _, ok := trackNumber(l.key); !ok {
			out.lines = append(out.lines, l)
		}
	}
	for _, f := range fields {
		if f[1] == "" {
			continue
		}
		i := slices.IndexFunc(out.lines, func(l descLine) bool { return l.key == f[0] })
		if i >= 0 {
			out.lines[i].value = f[1]
		} else {
			out.lines = append(out.lines, descLine{prefix, f[0], f[1]})
		}
	}
	for _, t := range tracks {
		if t.Name == "" {
			continue
		}
		out.lines = append(out.lines, descLine{prefix, fmt.Sprintf("TRK%d", t.Number), t.Name})
	}
	return out
}

// String writes the lines as far as whole ones fit into the 256 bytes of the field.
func (d Description) String() string {
	var b strings.Builder
	for _, l := range d.lines {
		s := l.value
		if l.key != "" {
			s = l.prefix + l.key + "=" + l.value
		}
		s = strings.NewReplacer("\r", " ", "\n", " ").Replace(s)
		if b.Len() > 0 {
			s = "\r\n" + s
		}
		if b.Len()+len(s) > 256 {
			if b.Len() == 0 {
				b.WriteString(clip(s, 256))
			}
			break
		}
		b.WriteString(s)
	}
	return b.String()
}
