// Package pgtest gives tests a real PostgreSQL: one server a test process, in memory-like settings,
// and a database of its own for each test.
package pgtest

import (
	"context"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/internal/pgserver"
	"zestyloom/internal/store"
)

var (
	once   sync.Once
	server *pgserver.Server
	dir    string
	fail   error
	count  int
	mu     sync.Mutex
)

// Main runs a package's tests, then what is to be looked at after all of them, and stops the server afterwards. Call it from TestMain.
func Main(m *testing.M, after ...func() error) {
	code := m.Run()
	for _, f := range after {
		if err := f(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			code = 1
		}
	}
	if server != nil {
		if err := server.Stop(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			code = 1
		}
		os.RemoveAll(dir)
	}
	os.Exit(code)
}

// URL makes a fresh, empty database and returns its connection string.
func URL(t testing.TB) string {
	t.Helper()
	running(t)
	name := next()
	require.NoError(t, server.CreateDatabase(t.Context(), name))
	return server.URL(name)
}

func running(t testing.TB) {
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	once.Do(func() {
		if dir, fail = os.MkdirTemp("", "zestyloom-pg-"); fail != nil {
			return
		}
		if fail = os.Chmod(dir, 0o711); fail != nil { // the server may run as another user
			return
		}
		server, fail = pgserver.Start(ctx, pgserver.Options{Dir: dir, Scratch: true})
	})
	require.NoError(t, fail)
}

func next() string {
	mu.Lock()
	defer mu.Unlock()
	count++
	return fmt.Sprintf("test%d", count)
}

// migrated is a database with the schema, once a process, that others are copies of.
var migrated = sync.OnceValue(func() error {
	const name = "migrated"
	ctx := context.Background()
	if err := server.CreateDatabase(ctx, name); err != nil {
		return err
	}
	st, err := store.Open(ctx, server.URL(name))
	if err != nil {
		return err
	}
	defer st.Close()
	return st.Migrate(ctx)
})

// Store is a fresh, migrated database.
func Store(t testing.TB) *store.Store {
	t.Helper()
	running(t)
	require.NoError(t, migrated())
	name := next()
	require.NoError(t, server.CopyDatabase(t.Context(), name, "migrated"))
	st, err := store.Open(context.Background(), server.URL(name))
	require.NoError(t, err)
	t.Cleanup(st.Close)
	return st
}
