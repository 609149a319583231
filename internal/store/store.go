// Package store is the application's PostgreSQL: its schema, its queries, its transactions. It is
// the only place with SQL.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	pgxuuid "github.com/vgarvardt/pgx-google-uuid/v5"

	"zestyloom/core/snag"
)

// ErrNotFound says that a row is not there.
var ErrNotFound = errors.New("not found")

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a pool of connections and the queries on it.
type Store struct {
	Queries
	Pool *pgxpool.Pool
	// Held, where it is set before the store is used, is told for how long each transaction had a production to itself: others wait
	// for it as long.
	Held func(time.Duration)
}

// maxConns is how many connections the pool may have, if the database's address does not say (pool_max_conns): some for
// the requests that wait for an answer at once, some for the jobs.
const maxConns = 16

// Open connects to a database.
func Open(ctx context.Context, url string) (*Store, error) { return OpenTraced(ctx, url, nil) }

// OpenTraced is Open, with somebody who is told of every query.
func OpenTraced(ctx context.Context, url string, tracer pgx.QueryTracer) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database's address is not understood: %w", err)
	}
	if !strings.Contains(url, "pool_max_conns") {
		config.MaxConns = maxConns
	}
	config.ConnConfig.Tracer = tracer
	config.AfterConnect = func(_ context.Context, c *pgx.Conn) error {
		pgxuuid.Register(c.TypeMap())
		return nil
	}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database does not answer: %w", err)
	}
	return &Store{Queries: Queries{db: tagged{pool}, docs: newDocs()}, Pool: pool}, nil
}

// own is a connection that is held for long: not one of the pool, which others would wait for.
func (s *Store) own(ctx context.Context) (*pgx.Conn, error) {
	c, err := s.Pool.Acquire(ctx)
	if err != nil {
		return nil, err
	}
	return c.Hijack(), nil
}

// Close closes all connections.
func (s *Store) Close() { s.Pool.Close() }

// migrating is the advisory lock under which schemas change: programs that start at once wait for each other.
const migrating = 0x5A4D

// Migrate brings the schema, and that of the job queue, to this version of the program. A schema that a later version
// has made is refused and left as it is.
func (s *Store) Migrate(ctx context.Context) (err error) {
	c, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer c.Release()
	if _, err := c.Exec(ctx, `SELECT pg_advisory_lock($1, 0)`, migrating); err != nil {
		return err
	}
	defer func() {
		_, e := c.Exec(context.WithoutCancel(ctx), `SELECT pg_advisory_unlock($1, 0)`, migrating)
		err = errors.Join(err, e)
	}()
	db := stdlib.OpenDBFromPool(s.Pool)
	defer db.Close()
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	g, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return err
	}
	there, err := g.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("the database's version can't be read: %w", err)
	}
	if sources := g.ListSources(); there > sources[len(sources)-1].Version {
		return snag.Refuse("newer_schema", "the database was last used by a later version of the program (its schema is %d, this program knows %d): start that version, or restore the backup that belongs to this one; nothing was changed", there, sources[len(sources)-1].Version)
	}
	r, err := rivermigrate.New(riverpgxv5.New(s.Pool), nil)
	if err != nil {
		return err
	}
	queue, err := queueVersion(ctx, c.Conn())
	if err != nil {
		return fmt.Errorf("the job queue's version can't be read: %w", err)
	}
	if known := r.AllVersions(); queue > known[len(known)-1].Version {
		return snag.Refuse("newer_schema", "the job queue was last used by a later version of the program (its schema is %d, this program knows %d): start that version, or restore the backup that belongs to this one; nothing was changed", queue, known[len(known)-1].Version)
	}
	if _, err := g.Up(ctx); err != nil {
		return fmt.Errorf("the database's schema could not be brought up to date: %w", err)
	}
	if _, err := r.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("the job queue's schema could not be brought up to date: %w", err)
	}
	return nil
}

// queueVersion is that of the job queue's schema; 0 where there is none yet.
func queueVersion(ctx context.Context, c *pgx.Conn) (version int, err error) {
	var there bool
	if err := c.QueryRow(ctx, `SELECT to_regclass('river_migration') IS NOT NULL`).Scan(&there); err != nil || !there {
		return 0, err
	}
	err = c.QueryRow(ctx, `SELECT coalesce(max(version), 0) FROM river_migration`).Scan(&version)
	return version, err
}

// Tx is a transaction and the queries on it.
type Tx struct {
	Queries
	Tx pgx.Tx
}

// InTx runs fn in a transaction, which is committed unless fn returns an error.
// fn is called again where others worked on the same rows at the same time (Contended): what it changes outside of the
// transaction must be the same then.
func (s *Store) InTx(ctx context.Context, fn func(Tx) error) error {
	for tried := 1; ; tried++ {
		err := s.once(ctx, fn)
		if !Contended(err) || tried == tries {
			return err
		}
		select { // the others have waited as long: not all of them come back at once
		case <-ctx.Done():
			return err
		case <-time.After(time.Duration(tried) * time.Duration(5+rand.IntN(20)) * time.Millisecond):
		}
	}
}

// tries of a transaction that others were in the way of.
const tries = 8

func (s *Store) once(ctx context.Context, fn func(Tx) error) error {
	var failed error
	t := &touched{rows: map[uuid.UUID]bool{}}
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		failed = fn(Tx{Queries{tagged{tx}, s.docs, t}, tx})
		return failed
	})
	if s.Held != nil && !t.locked.IsZero() {
		s.Held(time.Since(t.locked))
	}
	if failed != nil {
		return failed
	}
	return Tag(err) // of beginning or committing
}

// Queries are the statements, on a pool or in a transaction.
type Queries struct {
	db      querier
	docs    *docs
	touched *touched // nil outside of a transaction
}

type querier interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// IsBadText reports whether an error is about text that PostgreSQL can't hold, such as a NUL.
func IsBadText(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && (e.Code == "22021" || e.Code == "22P05")
}

// NewID makes a UUIDv7.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// one collects a single row, or ErrNotFound.
func one[T any](ctx context.Context, q Queries, sql string, args ...any) (T, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		var zero T
		return zero, err
	}
	v, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[T])
	if errors.Is(err, pgx.ErrNoRows) {
		return v, ErrNotFound
	}
	return v, Tag(err)
}

// many collects rows.
func many[T any](ctx context.Context, q Queries, sql string, args ...any) ([]T, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByName[T])
	return all, Tag(err)
}

// part is many where only some of the fields are read.
func part[T any](ctx context.Context, q Queries, sql string, args ...any) ([]T, error) {
	rows, err := q.db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[T])
	return all, Tag(err)
}

// exec runs a statement that must touch a row.
func (q Queries) exec(ctx context.Context, sql string, args ...any) error {
	tag, err := q.db.Exec(ctx, sql, args...)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// Notify tells listeners on all processes something, when the transaction commits.
func (q Queries) Notify(ctx context.Context, payload string) error {
	_, err := q.db.Exec(ctx, `SELECT pg_notify('zestyloom', $1)`, payload)
	return err
}

// Listen calls fn with every notification until ctx ends, after it has called begun.
func (s *Store) Listen(ctx context.Context, begun func(), fn func(payload string)) error {
	c, err := s.own(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = c.Close(context.WithoutCancel(ctx)) }()
	if _, err := c.Exec(ctx, `LISTEN zestyloom`); err != nil {
		return err
	}
	begun()
	for {
		n, err := c.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		fn(n.Payload)
	}
}

// Known says which of some ids are those of rows of a table.
func (q Queries) Known(ctx context.Context, table string, ids []uuid.UUID) (map[uuid.UUID]bool, error) {
	rows, err := q.db.Query(ctx, `SELECT id FROM `+pgx.Identifier{table}.Sanitize()+` WHERE id = ANY($1)`, ids)
	if err != nil {
		return nil, err
	}
	there, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	known := map[uuid.UUID]bool{}
	for _, id := range there {
		known[id] = true
	}
	return known, Tag(err)
}
