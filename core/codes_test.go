package core_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The ways in which the code gives a snag, a refusal or a problem its code.
var saysCode = regexp.MustCompile(`(?:snag\.(?:New|Refuse)|\.doubt|\.snag|\bdiffer|\badd)\(\s*"([a-z0-9_]+)"|Code: "([a-z0-9_]+)"|problem\(c, [\w.]+, "([a-z0-9_]+)"|add\((?:true|false), "\w+", [\w."]+, "([a-z0-9_]+)"|\.problem\((?:true|false), "\w+", "([a-z0-9_]+)"|l\.ask\("([a-z0-9_]+)"|ask\("\w+", (?:[\w."]+, )?"([a-z0-9_]+)"|NewError\("ERR_([A-Z_]+)"`)

// docs/codes.md lists the codes that there are: all of them, and no others.
func TestCodesAreListed(t *testing.T) {
	used := map[string]string{}
	for _, dir := range []string{".", "../internal"} {
		require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasSuffix(path, ".gen.go") {
				return err
			}
			b, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			for _, m := range saysCode.FindAllStringSubmatch(string(b), -1) {
				for _, code := range m[1:] {
					if code != "" {
						used[strings.ToLower(code)] = path
					}
				}
			}
			return nil
		}))
	}
	require.Greater(t, len(used), 100, "the code is still read")
	page, err := os.ReadFile("../docs/codes.md")
	require.NoError(t, err)
	var listed []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([a-z0-9_]+)` \\|").FindAllStringSubmatch(string(page), -1) {
		listed = append(listed, m[1])
	}
	for code, path := range used {
		assert.Contains(t, listed, code, "said in %s and not listed in docs/codes.md", path)
	}
	for _, code := range listed {
		assert.Contains(t, used, code, "listed in docs/codes.md and said nowhere")
	}
	assert.True(t, slices.IsSorted(listed), "docs/codes.md is in order")
}
