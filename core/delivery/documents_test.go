package delivery

import (
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The table of containers in docs/formats.md says what Containers say: which there are, which codings and how many channels each holds, and
// what has a place in it.
func TestDocumentsSayWhatContainersHold(t *testing.T) {
	text, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	_, table, found := strings.Cut(string(text), "| container | holds | says |")
	require.True(t, found)
	table, _, _ = strings.Cut(table, "\n\n")
	name := regexp.MustCompile("`([a-z0-9]+)`")
	coding := regexp.MustCompile(`\b[suf]\d+\b`)
	rows := map[string][2]string{}
	for line := range strings.Lines(table) {
		cells := strings.Split(line, "|")
		if len(cells) < 4 {
			continue
		}
		names, _, _ := strings.Cut(cells[1], "(")
		for _, m := range name.FindAllStringSubmatch(names, -1) {
			rows[m[1]] = [2]string{cells[2], strings.ToLower(cells[3])}
		}
	}
	require.Len(t, rows, len(Containers), "no row too many")
	for c, kind := range Containers {
		holds, says := rows[c][0], rows[c][1]
		if !assert.NotEmpty(t, holds, "%s has no row", c) {
			continue
		}
		if found := coding.FindAllString(holds, -1); found != nil {
			assert.Equal(t, kind.Codings, found, c)
		}
		if slices.Contains(kind.Codings, "aac") {
			assert.Contains(t, holds, "AAC", c)
		}
		if kind.Channels > 0 {
			assert.Contains(t, holds, fmt.Sprintf("up to %d channels", kind.Channels), c)
		}
		assert.Equal(t, kind.Bare, strings.Contains(says, "no start, no names"), c)
		if kind.Mask && !kind.Picture {
			assert.Contains(t, says, "channel mask", c)
		}
		assert.Equal(t, kind.Broadcast, strings.Contains(says, "bext"), c)
		assert.Equal(t, kind.Needs, strings.Contains(says, "an "+c+" is written with a picture only"), c)
		switch {
		case kind.Titles:
			assert.Contains(t, says, c+": names of streams")
		case kind.Picture && strings.Contains(says, "names of streams"):
			assert.Contains(t, says, "and names no streams", c)
		}
		if kind.Starts {
			assert.Contains(t, says, "start (a timecode track)", c)
		}
		if kind.Fields {
			assert.Contains(t, says, "sa3d", c)
		}
		if kind.Described {
			assert.Contains(t, says, "description", c)
		}
	}
}
