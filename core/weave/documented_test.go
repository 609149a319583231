package weave

import (
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
)

// The two lines of the stereo total in docs/formats.md are what is computed.
func TestTheStereoTotalIsAsItIsWritten(t *testing.T) {
	raw, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	from, err := audio.ParseLayout("5.0")
	require.NoError(t, err)
	to, err := audio.ParseLayout("stereo total")
	require.NoError(t, err)
	f, err := total(from, to, nil)
	require.NoError(t, err)
	term := regexp.MustCompile(`([+-]?)\s*(\d\.\d+)?\s*\b(L|R|C|Ls|Rs)\b`)
	for side, name := range []string{"Lt", "Rt"} {
		line := regexp.MustCompile(`(?m)^` + name + ` = (.*)$`).FindStringSubmatch(string(raw))
		require.NotNil(t, line, name)
		plain, turned, ok := strings.Cut(line[1], " j (")
		require.True(t, ok)
		sign := 1.0
		if strings.HasSuffix(plain, "-") {
			sign = -1
		}
		said := make([]float64, from.Count)
		ahead := make([]bool, from.Count)
		for part, text := range []string{plain[:len(plain)-1], turned} {
			for _, m := range term.FindAllStringSubmatch(text, -1) {
				factor := 1.0
				if m[2] != "" {
					factor, err = strconv.ParseFloat(m[2], 64)
					require.NoError(t, err)
				}
				if m[1] == "-" {
					factor = -factor
				}
				c := from.Index(audio.Speaker(m[3]))
				if said[c], ahead[c] = factor, part == 1; part == 1 {
					said[c] *= sign
				}
			}
		}
		for c, want := range said {
			assert.InDelta(t, want, f.Matrix[side][c], 5e-5, "%s: %s, to the four places that are written", name, from.Channel(c))
		}
		for c, is := range f.Ahead {
			assert.Equal(t, ahead[c], is, "%s: %s", name, from.Channel(c))
		}
	}
}
