package cli_test

import (
	"os"
	"regexp"
	"slices"
	"testing"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/cli"
)

// The usage lines of docs/command-line.md name every option that a command has, and none that it has not.
func TestDocumentsNameEveryOption(t *testing.T) {
	text, err := os.ReadFile("../../docs/command-line.md")
	require.NoError(t, err)
	usage := regexp.MustCompile("(?m)^`zestyloom ([a-z-]+)([^`]*)`")
	option := regexp.MustCompile(`--[a-z][a-z0-9-]*`)
	said := map[string][]string{}
	for _, m := range usage.FindAllStringSubmatch(string(text), -1) {
		said[m[1]] = append(said[m[1]], option.FindAllString(m[2], -1)...)
	}
	for _, cmd := range cli.Root().Commands() {
		switch cmd.Name() {
		case "serve", "worker", "demo", "migrate", "deck": // of docs/operations.md
			continue
		case "help", "completion", "man":
			continue
		case "unwrap": // extract, by another name
			assert.Contains(t, said, cmd.Name())
			continue
		}
		var has []string
		cmd.Flags().VisitAll(func(f *pflag.Flag) {
			if f.Name != "help" {
				has = append(has, "--"+f.Name)
			}
		})
		slices.Sort(has)
		told := said[cmd.Name()]
		slices.Sort(told)
		assert.Equal(t, has, slices.Compact(told), cmd.Name())
	}
}
