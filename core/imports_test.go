package core_test

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The core is rules and computation: nothing in it may reach for HTTP, SQL, a user interface or a
// log, itself or through what it imports of ours.
func TestCoreImportsNoOuterLayer(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "-f", "{{if not .Standard}}{{.ImportPath}}{{end}}", "./...").Output()
	require.NoError(t, err)
	deps := strings.Fields(string(out))
	require.Contains(t, deps, "zestyloom/core/mix", "the listing must cover the core")
	for _, d := range deps {
		for _, bad := range []string{"zestyloom/internal", "zestyloom/web", "gin-gonic", "jackc/pgx", "riverqueue", "tusd", "cobra"} {
			require.NotContains(t, d, bad)
		}
	}
	out, err = exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "./...").Output()
	require.NoError(t, err)
	for line := range strings.Lines(string(out)) {
		for _, bad := range []string{"net/http", "database/sql", "log", "log/slog", "html/template"} {
			require.NotContains(t, strings.Fields(line)[1:], bad, line)
		}
	}
}
