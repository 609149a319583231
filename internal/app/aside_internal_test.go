package app

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Work is done once for all who ask for it, goes on when who asked first has gone, and is what it came to for those who come later.
func TestAsides(t *testing.T) {
	var a asides
	var begun atomic.Int64
	end := make(chan struct{})
	slow := func(ctx context.Context) (any, error) {
		begun.Add(1)
		select {
		case <-end:
			return "found", nil
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	ctx, gone := context.WithCancel(t.Context())
	_, done, err := a.do(ctx, "one", time.Millisecond, slow)
	require.NoError(t, err)
	assert.False(t, done)
	gone()
	_, _, err = a.do(ctx, "one", time.Minute, slow)
	assert.ErrorIs(t, err, context.Canceled, "who has gone is not waited for")
	close(end)
	got, done, err := a.do(t.Context(), "one", time.Minute, slow)
	require.NoError(t, err)
	assert.True(t, done)
	assert.Equal(t, "found", got)
	assert.EqualValues(t, 1, begun.Load())

	broken := errors.New("broken")
	for range 2 {
		_, done, err = a.do(t.Context(), "two", time.Minute, func(context.Context) (any, error) { return nil, broken })
		assert.True(t, done)
		assert.ErrorIs(t, err, broken)
	}
	_, _, err = a.do(t.Context(), "three", time.Minute, func(context.Context) (any, error) { panic("a defect") })
	assert.Error(t, err)

	// What nobody asks for is given up; no more is kept than there is room for.
	var ended atomic.Int64
	forEver := func(ctx context.Context) (any, error) {
		<-ctx.Done()
		ended.Add(1)
		return nil, ctx.Err()
	}
	for i := range asidesKept + 10 {
		_, done, _ := a.do(t.Context(), string(rune('a'+i)), 0, forEver)
		assert.False(t, done)
	}
	assert.LessOrEqual(t, len(a.of), asidesKept)
	a.mu.Lock()
	for k, w := range a.of {
		w.asked = time.Now().Add(-time.Hour)
		_ = k
	}
	a.mu.Unlock()
	a.begin("last", func(context.Context) (any, error) { return nil, nil })
	require.Eventually(t, func() bool { return ended.Load() == asidesKept+10 }, 5*time.Second, time.Millisecond)
	assert.Len(t, a.of, 1)
}
