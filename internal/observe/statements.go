package observe

import (
	"context"
	"go/token"
	"log/slog"
	"runtime"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// Statements has pgx tell of every statement: each is counted, and one that takes longer than Slow is logged with the function that it
// stands in, which is its name. Rows are counted until the statement has answered, not until all of them are read.
type Statements struct {
	Figures *Figures
	Log     *slog.Logger
	Slow    time.Duration // 0 for none
}

type statementKey struct{}

type statement struct {
	began time.Time
	sql   string
}

// TraceQueryStart implements pgx.QueryTracer.
func (s Statements) TraceQueryStart(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	return context.WithValue(ctx, statementKey{}, statement{time.Now(), d.SQL})
}

// TraceQueryEnd implements pgx.QueryTracer.
func (s Statements) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryEndData) {
	st, ok := ctx.Value(statementKey{}).(statement)
	if !ok {
		return
	}
	took := time.Since(st.began)
	if s.Figures != nil {
		s.Figures.statements.Observe(took.Seconds())
	}
	if s.Slow > 0 && took > s.Slow {
		s.Log.Warn("a slow statement", "name", name(), "took", took, "request", Request(ctx), "begins", beginning(st.sql), "error", d.Err)
	}
}

// name is the function of the store that has a statement done: the first on the way here that is the store's own.
func name() string {
	var at [32]uintptr
	frames := runtime.CallersFrames(at[:runtime.Callers(3, at[:])])
	for {
		f, more := frames.Next()
		if _, own, ok := strings.Cut(f.Function, "internal/store."); ok && token.IsExported(own[strings.LastIndexByte(own, '.')+1:]) {
			return own // not what its functions have in common
		}
		if !more {
			return "another's" // the queue's own
		}
	}
}

// beginning is how a statement begins, on one line.
func beginning(sql string) string {
	line := strings.Join(strings.Fields(sql), " ")
	return line[:min(len(line), 80)]
}
