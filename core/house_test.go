package core_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The drawing of the house in docs/architecture.md has every room of core and internal, and none that isn't there.
func TestTheHouseIsAsItIsDrawn(t *testing.T) {
	raw, err := os.ReadFile("../docs/architecture.md")
	require.NoError(t, err)
	_, rest, ok := strings.Cut(string(raw), "```\n")
	require.True(t, ok)
	drawn, _, ok := strings.Cut(rest, "```\n")
	require.True(t, ok)
	rooms := map[string][]string{}
	wing, room := "", regexp.MustCompile(`^[a-z]+/$`)
	for line := range strings.Lines(drawn) {
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		if !strings.HasPrefix(line, " ") {
			wing = words[0]
			continue
		}
		if !strings.HasPrefix(line, "  ") || strings.HasPrefix(line, "   ") {
			continue // a line that goes on
		}
		for _, w := range words {
			if !room.MatchString(w) {
				break
			}
			rooms[wing] = append(rooms[wing], strings.TrimSuffix(w, "/"))
		}
	}
	for _, wing := range []string{"core/", "internal/"} {
		var there []string
		found, err := filepath.Glob("../" + wing + "*/*.go")
		require.NoError(t, err)
		seen := map[string]bool{}
		for _, f := range found {
			if name := filepath.Base(filepath.Dir(f)); !seen[name] {
				seen[name] = true
				there = append(there, name)
			}
		}
		assert.ElementsMatch(t, there, rooms[wing], wing)
	}
}
