package demo_test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/core/source"
	"zestyloom/internal/app"
	"zestyloom/internal/demo"
	"zestyloom/internal/jobs"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// samples are those of the demonstration's stem master, as they were before there was a signal graph: whatever is built
// from here on, it has them.
const samples = "0bd6f418baf375430a044430638657a2039c312614deb1921093a8ccacecc44f"

// The demonstration, taken in and laid as everybody finds it, is delivered with the samples that it always had, and
// proven; as mono files it has the same ones.
func deliveryKeepsItsSamples(t *testing.T, shelf string) {
	quiet := func(string) {}
	folder, err := media.Open(t.TempDir())
	require.NoError(t, err)
	st := pgtest.Store(t)
	log := slog.New(slog.DiscardHandler)
	queue, err := jobs.NewQueue(st, log)
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: queue, Now: time.Now}
	a.Shelf, err = media.OpenShelf(shelf)
	require.NoError(t, err)
	require.NoError(t, a.EnsureSpecs(t.Context()))
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- jobs.Run(ctx, a, log, nil) }()
	t.Cleanup(func() {
		stop()
		assert.NoError(t, <-ended)
	})
	require.NoError(t, demo.Seed(ctx, a, shelf, quiet))
	t.Run("edited", func(t *testing.T) { sceneIsEdited(t, a) })

	ps, err := st.Productions(ctx, uuid.Nil, 1)
	require.NoError(t, err)
	r, err := st.ReelOf(ctx, ps[0].ID)
	require.NoError(t, err)
	specs, err := st.Specs(ctx)
	require.NoError(t, err)
	var whole []byte
	for _, packing := range []string{"poly", "mono"} {
		d, err := a.OrderDelivery(ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: packing, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
		require.NoError(t, err)
		require.Eventually(t, func() bool {
			d, err = st.Delivery(ctx, d.ID)
			return err != nil || d.State == order.Proven || d.State == order.Failed
		}, 2*time.Minute, 50*time.Millisecond)
		require.NoError(t, err)
		require.Equal(t, order.Proven, d.State)
		for i, f := range d.Plan.Files {
			path, err := a.DeliveredFile(ctx, d.ID, i)
			require.NoError(t, err)
			raw := pcm(t, path.Path)
			if packing == "poly" {
				whole = raw
				assert.Equal(t, samples, fmt.Sprintf("%x", sha256.Sum256(raw)))
				continue
			}
			require.Len(t, raw, len(whole)/6)
			for at := 0; at < len(raw); at += 3 { // of output i
				if [3]byte(raw[at:at+3]) != [3]byte(whole[6*at+3*i:6*at+3*i+3]) {
					require.Fail(t, "a sample differs", "%s at %d", filepath.Base(f.Name), at/3)
				}
			}
		}
	}
	t.Run("specs", func(t *testing.T) { everySpec(t, a, ps[0], r.ID) })
}

func pcm(t *testing.T, path string) []byte {
	t.Helper()
	s, err := source.Open(path)
	require.NoError(t, err)
	defer s.Close()
	raw := make([]byte, s.Frames*int64(s.Format.FrameBytes()))
	for done := int64(0); done < s.Frames; {
		n, err := s.ReadFrames(raw[done*int64(s.Format.FrameBytes()):], done)
		done += int64(n)
		if err == io.EOF || n == 0 {
			break
		}
		require.NoError(t, err)
	}
	return raw
}
