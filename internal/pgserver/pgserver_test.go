package pgserver_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/pgserver"
)

// A server that is stopped keeps its data; one that was left running is taken over.
func TestStartStopAndTakeOver(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "zestyloom-pgserver-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o711))
	home := filepath.Join(dir, "pg")
	first, err := pgserver.Start(ctx, pgserver.Options{Dir: home, Scratch: true})
	require.NoError(t, err)
	require.NoError(t, first.CreateDatabase(ctx, "odd name"))
	require.NoError(t, first.CreateDatabase(ctx, "odd name"), "making it again is fine")
	c, err := pgx.Connect(ctx, first.URL("odd%20name"))
	require.NoError(t, err)
	_, err = c.Exec(ctx, `CREATE TABLE kept AS SELECT 42 AS n`)
	require.NoError(t, err)
	require.NoError(t, c.Close(ctx))
	secret, err := os.Stat(filepath.Join(home, "password"))
	require.NoError(t, err)
	assert.Zero(t, secret.Mode()&0o077, "only its owner reads the password")

	second, err := pgserver.Start(ctx, pgserver.Options{Dir: home, Scratch: true})
	require.NoError(t, err)
	assert.Equal(t, first.URL("x"), second.URL("x"), "the running server is taken over")
	require.NoError(t, second.Stop())
	require.NoError(t, first.Stop(), "stopped already")

	third, err := pgserver.Start(ctx, pgserver.Options{Dir: home, Scratch: true})
	require.NoError(t, err)
	defer func() { require.NoError(t, third.Stop()) }()
	c, err = pgx.Connect(ctx, third.URL("odd%20name"))
	require.NoError(t, err)
	defer c.Close(ctx)
	var n int
	require.NoError(t, c.QueryRow(ctx, `SELECT n FROM kept`).Scan(&n))
	assert.Equal(t, 42, n)
}
