package core_test

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"zestyloom/core/order"

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
		"cmd/zestyloom/": "TestTheHouseIsAsItIsDrawn", "flowchart TD": "TestTheDrawingsAreTrue", "flowchart LR": "TestTheDrawingsAreTrue", "erDiagram": "TestTheDrawingsAreTrue", "stateDiagram-v2": "TestTheDrawingsAreTrue", "Lt =": "core/weave: TestTheStereoTotalIsAsItIsWritten", "sed '/^$/,$d'": "core/attest: TestTheWayThatIsWritten",
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
		}
	}
	assert.Equal(t, len(held), blocks)
}

// What is drawn of the house, the graph, the tables and the states is there.
func TestTheDrawingsAreTrue(t *testing.T) {
	raw, err := os.ReadFile("../docs/architecture.md")
	require.NoError(t, err)
	drawn := map[string]string{}
	for _, part := range strings.Split(string(raw), "```mermaid\n")[1:] {
		text, _, ok := strings.Cut(part, "```\n")
		require.True(t, ok)
		kind, rest, _ := strings.Cut(text, "\n")
		drawn[kind] = rest
	}
	require.Len(t, drawn, 4)
	all := func(pattern string) string {
		files, err := filepath.Glob(pattern)
		require.NoError(t, err)
		require.NotEmpty(t, files)
		var out strings.Builder
		for _, f := range files {
			b, err := os.ReadFile(f)
			require.NoError(t, err)
			out.Write(b)
		}
		return out.String()
	}
	each := func(text, expression string) (out []string) {
		for _, m := range regexp.MustCompile(expression).FindAllStringSubmatch(text, -1) {
			if !slices.Contains(out, m[1]) {
				out = append(out, m[1])
			}
		}
		require.NotEmpty(t, out, expression)
		return out
	}

	// The house: rooms there are, each of which imports those that an arrow leads to.
	house := drawn["flowchart TD"]
	at := map[string]string{}
	for _, m := range regexp.MustCompile(`(\w+)\["((?:internal|core)/\w*)`).FindAllStringSubmatch(house, -1) {
		at[m[1]] = m[2]
	}
	require.Len(t, at, 7)
	for line := range strings.Lines(house) {
		from, to, ok := strings.Cut(line, " --> ")
		if !ok {
			continue
		}
		source := at[regexp.MustCompile(`\w+`).FindString(from)]
		if source == "" || source == "core/" {
			continue
		}
		imports := all("../" + source + "/*.go")
		for _, target := range regexp.MustCompile(`\b\w+\b`).FindAllString(to, -1) {
			if room := at[target]; room != "" {
				assert.Contains(t, imports, `"zestyloom/`+room, "%s to %s", source, room)
			}
		}
	}

	// The graph: what is said of how it is run.
	mix := all("mix/*.go")
	for word, declared := range map[string]string{"mix.Compile": "\nfunc Compile(", "`Program`": "\ntype Program struct", "Player.Run(": "Player) Run("} {
		assert.Contains(t, string(raw), word)
		assert.Contains(t, mix, declared)
	}

	// The tables: those that are made, and the life of an order: every move from another state.
	schema := all("../internal/store/migrations/*.sql")
	made := each(schema, `CREATE TABLE (?:IF NOT EXISTS )?(\w+)`)
	for _, table := range append(each(drawn["erDiagram"], `(?m)^  (\w+) `), each(drawn["erDiagram"], `-- ?[o|]?[{|]? ?(\w+) :`)...) {
		assert.Contains(t, made, table)
	}
	var moves []string
	for _, m := range []order.Move{order.Begin, order.ReadBack, order.Lay, order.Finish, order.Fail, order.Hold, order.Next, order.Cancel, order.Retry} {
		for _, s := range m.From() {
			if way := string(s) + " --> " + string(m.To()); (s != m.To() || m == order.Begin) && !slices.Contains(moves, way) {
				moves = append(moves, way)
			}
		}
	}
	assert.ElementsMatch(t, moves, each(drawn["stateDiagram-v2"], `(?m)^  (\w+ --> \w+) :`), "docs/architecture.md: the life of an order")
	for _, s := range order.States {
		assert.Contains(t, schema, "'"+string(s)+"'")
	}
	for k := range order.Kinds {
		assert.Contains(t, schema, "'"+string(k)+"'")
	}
}
