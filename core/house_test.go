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

// Every block of the documents that is set as code is held to the program by a test: those that begin otherwise have none yet. The
// signal graph names what there is in core/mix.
func TestBlocksOfTheDocumentsAreHeld(t *testing.T) {
	held := map[string]string{ // by their first words
		"cmd/zestyloom/": "TestTheHouseIsAsItIsDrawn", "reel (tracks,": "this test", "Lt =": "core/weave: TestTheStereoTotalIsAsItIsWritten", "sed '/^$/,$d'": "core/attest: TestTheWayThatIsWritten",
	}
	docs, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	require.NotEmpty(t, docs)
	blocks := 0
	for _, doc := range docs {
		raw, err := os.ReadFile(doc)
		require.NoError(t, err)
		for i, part := range strings.Split(string(raw), "\n```") {
			if i%2 == 0 {
				continue
			}
			_, text, _ := strings.Cut(part, "\n")
			words := strings.Fields(text)
			require.NotEmpty(t, words, doc)
			first, two := words[0], strings.Join(words[:min(2, len(words))], " ")
			assert.True(t, held[first] != "" || held[two] != "", "%s: the block that begins with %q is held by no test", doc, two)
			blocks++
			if two != "reel (tracks," {
				continue
			}
			var source strings.Builder
			files, err := filepath.Glob("mix/*.go")
			require.NoError(t, err)
			for _, f := range files {
				b, err := os.ReadFile(f)
				require.NoError(t, err)
				source.Write(b)
			}
			for word, declared := range map[string]string{"mix.Compile": "\nfunc Compile(", "Program": "\ntype Program struct", "Player.Run(": "Player) Run("} {
				assert.Contains(t, text, word)
				assert.Contains(t, source.String(), declared)
			}
		}
	}
	assert.Equal(t, len(held), blocks)
}
