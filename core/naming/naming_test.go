package naming_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/naming"
)

func TestExpand(t *testing.T) {
	fields := map[string]string{"file": "21A", "channel": "3", "label": "Lav Ines", "none": "", "evil": "../../etc/passwd"}
	for pattern, want := range map[string]string{
		"{file}_{channel}_{label}": "21A_3_Lav Ines", "{file}_{none}": "21A", "{none}_{file}": "21A", "{file}_{none}_{label}": "21A_Lav Ines", "x{none}": "x",
		"{evil}": "-..-etc-passwd", "{file}.{channel}": "21A.3", "{none}": "unnamed", "a/b{file}": "a_b21A",
	} {
		got, err := naming.Expand(pattern, fields)
		require.NoError(t, err, pattern)
		assert.Equal(t, want, got, pattern)
	}
	for _, bad := range []string{"{file", "file}", "{unknown}", "", "  ", "{}"} {
		_, err := naming.Expand(bad, fields)
		assert.Error(t, err, bad)
	}
}

func FuzzClean(f *testing.F) {
	for _, s := range []string{"a", "../x", "con.txt", "LPT1", strings.Repeat("é", 300), "\x00\u202e", "🙂.wav", " . ", "a:b*c?"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		got := naming.Clean(s)
		if got == "" || len(got) > naming.MaxBytes+1 || !utf8.ValidString(got) || strings.ContainsAny(got, "/\\:*?\"<>|\x00\n") || got == "." || got == ".." {
			t.Fatalf("%q became %q", s, got)
		}
		if again := naming.Clean(got); again != got && len(got) <= naming.MaxBytes {
			t.Fatalf("%q became %q and then %q", s, got, again)
		}
	})
}

func TestClash(t *testing.T) {
	assert.Equal(t, "boom.wav", naming.Clash([]string{"Boom.wav", "x", "boom.wav"}))
	assert.Empty(t, naming.Clash([]string{"a", "b"}))
	for _, pair := range [][2]string{{"Caf\u00e9.wav", "Cafe\u0301.wav"}, {"STRASSE", "stra\u00dfe"}, {"\u212bngstr\u00f6m", "\u00e5ngstr\u00f6m"}, {"\ufb01lm", "FILM"}, {"\u03a3\u03a3", "\u03c3\u03c2"}} {
		assert.Equal(t, pair[1], naming.Clash([]string{pair[0], "x", pair[1]}), "%q, %q", pair[0], pair[1])
	}
	assert.Empty(t, naming.Clash([]string{"Cafe", "Caf\u00e9", "\u0130", "i"}))
}
