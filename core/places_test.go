package core_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// sources are the files that people write, by their paths: no tests, nothing that is generated, not the contract.
func sources(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, root := range []string{"../core", "../internal", "../cmd", "../web/src"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			name := filepath.Base(path)
			ext := filepath.Ext(path)
			if err != nil || d.IsDir() || ext != ".go" && ext != ".ts" && ext != ".tsx" || name == "schema.ts" || name == "contract.gen.go" ||
				strings.HasSuffix(name, "_test.go") || strings.Contains(name, ".test.") {
				return err
			}
			b, err := os.ReadFile(path)
			out[filepath.ToSlash(path)[3:]] = string(b)
			return err
		}))
	}
	return out
}

// Where one adds something, as docs/architecture.md says: in at most three places beside the contract. Each is shown by one
// that is there, by all files that name it.
func TestWhereOneAdds(t *testing.T) {
	files := sources(t)
	for _, c := range []struct {
		what  string
		names string // an expression for all that names it
		in    string // where it is looked for; everywhere where empty
		want  []string
	}{
		{"a container to read, beside its package", `zestyloom/core/au"`, "", []string{"core/source/source.go"}},
		{"a container to write", `"w64"|NewWriter64`, "", []string{"core/delivery/containers.go", "core/wave/write64.go"}},
		{"a kind of job", `\bCheckJob\b|\bcheck = work\b|\{analyse, check,`, "", []string{"internal/app/hashlist.go", "internal/jobs/check.go", "internal/jobs/jobs.go"}},
		{"a field of a spec, beside its schema", `\bWholeFrames\b`, `^core/delivery/[^/]+$`, []string{"core/delivery/plan.go", "core/delivery/spec.go", "core/delivery/verify.go"}},
		{"a property of a clip that sounds", `\bFadeOut\b`, `^core/(reel/reel|mix/)`, []string{"core/mix/envelope.go", "core/mix/fingerprint.go", "core/reel/reel.go"}},
		{"an edit", `\btake_apart\b|\bTakeApart\b`, "", []string{"core/edit/cut.go", "core/edit/edit.go", "web/src/stages/reel/commands/cutting.ts"}},
		{"a layout", `"7\.0\.4"`, "", []string{"core/audio/layout.go"}},
	} {
		found, in := regexp.MustCompile(c.names), regexp.MustCompile(c.in)
		var places []string
		for path, text := range files {
			if in.MatchString(path) && !strings.HasSuffix(path, "shipped.go") && found.MatchString(text) {
				places = append(places, path)
			}
		}
		assert.ElementsMatch(t, c.want, places, c.what)
		assert.LessOrEqual(t, len(places), 3, c.what)
	}
}
