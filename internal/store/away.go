package store

import (
	"context"
	"errors"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// awayError marks an error that is about the database not being there, or not being able to work, rather than about
// what was asked of it.
type awayError struct{ cause error }

func (e *awayError) Error() string { return e.cause.Error() }
func (e *awayError) Unwrap() error { return e.cause }

// Away reports whether an error says that the database is not there or can't work now: what was asked may be asked
// again later.
func Away(err error) bool {
	var a *awayError
	return errors.As(err, &a)
}

// Contended reports whether an error says that others worked on the same rows at the same time, and that nothing was done
// therefore (a deadlock, 40P01, or a failure to serialise, 40001): done again, it works.
func Contended(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && (e.Code == "40P01" || e.Code == "40001")
}

// Passing reports whether what an error says passes by itself: the database is away, or others were in the way.
func Passing(err error) bool { return Away(err) || Contended(err) }

// Full reports whether an error says that the database has no room left.
func Full(err error) bool {
	var e *pgconn.PgError
	return errors.As(err, &e) && e.Code == "53100"
}

// Tag marks errors of the database that are none of the statement.
func Tag(err error) error {
	var pg *pgconn.PgError
	var a *awayError
	var c *pgconn.ConnectError
	switch {
	case err == nil, errors.Is(err, pgx.ErrNoRows), errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded), errors.As(err, &a):
		return err
	case errors.As(err, &c): // whatever the reason that it gives for not letting anybody in
		return &awayError{err}
	case errors.As(err, &pg):
		// Connections, resources, operators, the system: none is the statement's.
		for _, class := range []string{"08", "53", "57", "58", "XX"} {
			if strings.HasPrefix(pg.Code, class) {
				return &awayError{err}
			}
		}
		return err
	}
	return &awayError{err}
}

// tagged marks what comes back from a querier.
type tagged struct{ querier }

func (t tagged) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	c, err := t.querier.Exec(ctx, sql, args...)
	return c, Tag(err)
}

func (t tagged) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	r, err := t.querier.Query(ctx, sql, args...)
	return r, Tag(err)
}

func (t tagged) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	return taggedRow{t.querier.QueryRow(ctx, sql, args...)}
}

type taggedRow struct{ pgx.Row }

func (r taggedRow) Scan(to ...any) error { return Tag(r.Row.Scan(to...)) }
