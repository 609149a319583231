// Package naming makes file names from patterns such as "{file}_{channel}_{label}", safe on every
// file system that media travels over.
package naming

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// MaxBytes is the greatest length of a name that Expand makes, leaving room for an extension and
// for a suffix while the file is being written.
const MaxBytes = 200

const separators = "_-. "

// Check reports what is wrong with a pattern for the given field names, or nil.
func Check(pattern string, fields []string) error {
	for rest := pattern; ; {
		i := strings.IndexAny(rest, "{}")
		if i < 0 {
			break
		}
		if rest[i] == '}' {
			return fmt.Errorf("name pattern %q: there is a } without a { before it", pattern)
		}
		j := strings.IndexByte(rest, '}')
		if j < i {
			return fmt.Errorf("name pattern %q: a { is not closed", pattern)
		}
		if key := rest[i+1 : j]; !slices.Contains(fields, key) {
			return fmt.Errorf("name pattern %q: {%s} is not known; there are {%s}", pattern, key, strings.Join(fields, "}, {"))
		}
		rest = rest[j+1:]
	}
	if strings.TrimSpace(pattern) == "" {
		return fmt.Errorf("the name pattern is empty")
	}
	return nil
}

// Expand fills a pattern and cleans the result into a name without a folder. An empty field takes
// the separator before it along, so that "{file}_{label}" without a label is just the file's name.
func Expand(pattern string, fields map[string]string) (string, error) {
	if err := Check(pattern, slices.Sorted(maps.Keys(fields))); err != nil {
		return "", err
	}
	var b strings.Builder
	skipSeparator := false
	literal := func(s string) {
		if skipSeparator {
			s = strings.TrimLeft(s, separators)
		}
		skipSeparator = skipSeparator && s == ""
		b.WriteString(s)
	}
	for rest := pattern; rest != ""; {
		i := strings.IndexByte(rest, '{')
		if i < 0 {
			literal(rest)
			break
		}
		literal(rest[:i])
		j := strings.IndexByte(rest, '}')
		value := strings.TrimSpace(fields[rest[i+1:j]])
		if value == "" {
			kept := strings.TrimRight(b.String(), separators)
			b.Reset()
			b.WriteString(kept)
			skipSeparator = kept == ""
		} else {
			b.WriteString(strings.NewReplacer("/", "-", `\`, "-").Replace(value))
			skipSeparator = false
		}
		rest = rest[j+1:]
	}
	return Clean(b.String()), nil
}

// Clean makes a name that is safe as one path element everywhere: no folder separators, control
// characters or characters that some systems refuse, no leading or trailing dots and spaces, not a
// device's name, valid UTF-8 of at most MaxBytes. It never returns an empty name.
func Clean(name string) string {
	name = strings.Map(func(r rune) rune {
		switch {
		case r == utf8.RuneError, unicode.IsControl(r), unicode.Is(unicode.Cf, r) && r != '\u200d':
			return '_'
		case strings.ContainsRune(`/\:*?"<>|`, r):
			return '_'
		case unicode.Is(unicode.Zs, r):
			return ' '
		}
		return r
	}, name)
	if len(name) > MaxBytes {
		cut := MaxBytes
		for !utf8.RuneStart(name[cut]) {
			cut--
		}
		name = name[:cut]
	}
	name = strings.Trim(name, " .")
	base, _, _ := strings.Cut(strings.ToLower(name), ".")
	switch {
	case name == "":
		return "unnamed"
	case slices.Contains([]string{"con", "prn", "aux", "nul"}, base),
		len(base) == 4 && (base[:3] == "com" || base[:3] == "lpt") && base[3] >= '1' && base[3] <= '9':
		return "_" + name
	}
	return name
}

// fold maps names that some file system takes for one to one: letter case, and how accents and compatible forms are
// written (Unicode normal form KC after case folding).
var fold = cases.Fold()

// Clash returns the first name that stands in the list twice, letter case and the way in which letters are written
// aside, or an empty string: some file systems don't tell these apart.
func Clash(names []string) string {
	seen := map[string]bool{}
	for _, n := range names {
		key := norm.NFKC.String(fold.String(norm.NFKC.String(n)))
		if seen[key] {
			return n
		}
		seen[key] = true
	}
	return ""
}
