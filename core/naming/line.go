package naming

import (
	"strconv"
	"strings"
	"unicode"

	"zestyloom/core/snag"
)

// breaks reports whether a letter ends a line or drives something that shows it: no label or name has one.
func breaks(r rune) bool { return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' }

// CheckLine refuses a label or a name ("bad_label") that is more than a line: it stands on a line of its own in metadata and papers.
// what names what it is for, as in "a track". What stands before and behind it is not kept, and not looked at.
func CheckLine(what, s string) error {
	s = strings.TrimSpace(s) // as every name is
	if i := strings.IndexFunc(s, breaks); i >= 0 {
		return snag.Refuse("bad_label", "%s is called by one line: %s has a line break or a control character after %q", what, strconv.Quote(s), s[:i])
	}
	return nil
}

// OneLine is a text as one line: what breaks it is written as an escape, as in \n. It is for what came from a file, or is of before
// such were refused.
func OneLine(s string) string {
	if strings.IndexFunc(s, breaks) < 0 {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		if breaks(r) {
			b.WriteString(strings.Trim(strconv.QuoteRune(r), "'"))
			continue
		}
		b.WriteRune(r)
	}
	return b.String()
}
