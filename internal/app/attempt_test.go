package app

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/core/snag"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// What an attempt has written stays when its row says that it is proven, whatever the attempt came to hear of that, and
// when nobody can tell; otherwise it goes.
func TestWhatStaysOfAnAttempt(t *testing.T) {
	away := store.Tag(io.ErrUnexpectedEOF)
	require.True(t, store.Away(away))
	for name, c := range map[string]struct {
		did    error
		state  order.State
		other  bool // another attempt counts
		row    error
		stays  bool
		fails  bool
		answer bool // an error, for another try
	}{
		"proven":                              {nil, "proven", false, nil, true, false, false},
		"proven, and its answer was lost":     {away, "proven", false, nil, true, false, false},
		"the database is away":                {away, "", false, away, true, false, true},
		"the database was away for a moment":  {away, "proving", false, nil, false, false, true},
		"another attempt is proven":           {store.ErrNotFound, "proven", true, nil, false, false, false},
		"removed":                             {store.ErrNotFound, "", false, store.ErrNotFound, false, false, false},
		"it can't be made":                    {snag.Refuse("cut_short", "x"), "failed", false, nil, false, true, false},
		"it can't be made, and another is on": {errors.New("x"), "making", true, nil, false, true, false},
	} {
		folder, err := media.Open(t.TempDir())
		require.NoError(t, err)
		a := &App{Media: folder}
		dir := folder.Order(order.Delivery, uuid.New())
		var file string
		var own uuid.UUID
		failed := false
		err = a.try(t.Context(), attempts{
			dir: dir,
			do: func(_ context.Context, attempt uuid.UUID, dir string) error {
				own, file = attempt, filepath.Join(dir, "master.wav")
				require.NoError(t, os.WriteFile(file, nil, 0o600))
				return c.did
			},
			fail: func(_ context.Context, attempt uuid.UUID, _ error) error {
				failed = true
				return store.ErrNotFound
			},
			row: func(context.Context) (store.Order, error) {
				counts := own
				if c.other {
					counts = uuid.New()
				}
				return store.Order{State: c.state, Attempt: &counts}, c.row
			},
		})
		assert.Equal(t, c.answer, err != nil, "%s: %v", name, err)
		assert.Equal(t, c.fails, failed, name)
		_, err = os.Stat(file)
		assert.Equal(t, c.stays, err == nil, name)
	}
}
