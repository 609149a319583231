package readahead_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/readahead"
)

func TestEverythingArrivesInOrder(t *testing.T) {
	want := bytes.Repeat([]byte("0123456789"), 1000)
	for _, size := range []int{1, 7, 4096, 100000} {
		r := bytes.NewReader(want)
		var got []byte
		err := readahead.Run(context.Background(), size, r.Read, func(b []byte) error {
			got = append(got, b...)
			return nil
		})
		require.NoError(t, err)
		require.Equal(t, want, got, "blocks of %d", size)
	}
}

func TestBytesBesideTheEndCount(t *testing.T) {
	n := 0
	err := readahead.Run(context.Background(), 8, func([]byte) (int, error) { return 5, io.EOF }, func(b []byte) error { n += len(b); return nil })
	require.NoError(t, err)
	assert.Equal(t, 5, n)
}

func TestErrorsEndIt(t *testing.T) {
	bad := errors.New("bad")
	assert.ErrorIs(t, readahead.Run(context.Background(), 8, func([]byte) (int, error) { return 0, bad }, func([]byte) error { return nil }), bad)
	endless := func([]byte) (int, error) { return 8, nil }
	assert.ErrorIs(t, readahead.Run(context.Background(), 8, endless, func([]byte) error { return bad }), bad)
	ctx, cancel := context.WithCancel(context.Background())
	assert.ErrorIs(t, readahead.Run(ctx, 8, endless, func([]byte) error { cancel(); return nil }), context.Canceled)
}
