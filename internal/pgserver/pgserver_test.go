package pgserver_test

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

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
	running := func(s *pgserver.Server) bool {
		c, err := pgx.Connect(ctx, s.URL("postgres"))
		if err != nil {
			return false
		}
		return c.Close(ctx) == nil
	}
	assert.True(t, running(first), "who has not started it does not stop it")
	require.NoError(t, first.Stop())
	assert.False(t, running(first))
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

// A server that several processes use is stopped by none of them but the last; and one that ends by itself comes back
// on its port, with its data.
func TestUsedBySeveralAndBroughtBack(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "zestyloom-pgserver-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o711))
	o := pgserver.Options{Dir: filepath.Join(dir, "pg"), Scratch: true}
	keep := o
	keep.Keep = true
	serve, err := pgserver.Start(ctx, keep)
	require.NoError(t, err)
	url := serve.URL("postgres")
	pid := func() int {
		b, err := os.ReadFile(filepath.Join(o.Dir, "cluster", "postmaster.pid"))
		if err != nil {
			return 0
		}
		n, _ := strconv.Atoi(strings.SplitN(string(b), "\n", 2)[0])
		return n
	}
	answers := func() bool {
		c, err := pgx.Connect(ctx, url)
		return err == nil && c.Close(ctx) == nil
	}
	for _, signal := range []syscall.Signal{syscall.SIGKILL, syscall.SIGINT} {
		was := pid()
		require.NoError(t, syscall.Kill(was, signal))
		assert.Eventually(t, func() bool { return pid() != was && pid() != 0 && answers() }, 30*time.Second, 50*time.Millisecond, "%v", signal)
		assert.Eventually(t, func() bool { return serve.Trouble() == "" }, 5*time.Second, 20*time.Millisecond)
	}
	worker, err := pgserver.Start(ctx, o)
	require.NoError(t, err)
	assert.Equal(t, url, worker.URL("postgres"))
	require.NoError(t, serve.Stop())
	assert.True(t, answers(), "a worker still lives on it")
	require.NoError(t, worker.Stop())
	assert.False(t, answers(), "the last one stops it")
}

// Programs that start at once on an empty folder make one cluster and use one server.
func TestStartedAtOnce(t *testing.T) {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "zestyloom-pgserver-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o711))
	var all errgroup.Group
	servers := make([]*pgserver.Server, 3)
	for i := range servers {
		all.Go(func() (err error) {
			servers[i], err = pgserver.Start(ctx, pgserver.Options{Dir: filepath.Join(dir, "pg"), Scratch: true})
			return err
		})
	}
	require.NoError(t, all.Wait())
	for _, s := range servers {
		assert.Equal(t, servers[0].URL("x"), s.URL("x"))
	}
	for _, s := range servers {
		require.NoError(t, s.Stop())
	}
	_, err = pgx.Connect(ctx, servers[0].URL("postgres"))
	assert.Error(t, err)
}
