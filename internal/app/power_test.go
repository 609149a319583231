package app_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/order"
	"zestyloom/internal/app"
	"zestyloom/internal/volatilefs"
)

// What somebody was told is here survives the power going at that moment: originals once they are taken in, what was made of them
// once they are ready, deliveries and writings once they are proven.
func TestThePowerGoes(t *testing.T) {
	disk := volatilefs.Mount(t)
	f := setupIn(t, disk.Path)
	// whole compares everything in a folder of the disk with what is left of it.
	whole := func(dir string) (files int) {
		t.Helper()
		left := disk.AfterACrash(t)
		require.NoError(t, filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() || strings.HasSuffix(path, ".part") {
				return err
			}
			rel, err := filepath.Rel(disk.Path, path)
			require.NoError(t, err)
			want, err := os.ReadFile(path)
			require.NoError(t, err)
			got, err := os.ReadFile(filepath.Join(left, rel))
			if assert.NoError(t, err, "%s is gone", rel) {
				assert.True(t, string(want) == string(got), "%s has %d of %d bytes", rel, len(got), len(want))
			}
			files++
			return nil
		}))
		return files
	}
	_, r, specs := laidReel(t, f)
	film := f.take("camera.mov", "CAM_0001.mov")
	require.Equal(t, "ready", film.State)
	assert.Equal(t, 5, whole(filepath.Join(disk.Path, "originals")), "two originals, and what was decoded of one: sound, small picture, stills")
	assert.Equal(t, 2, whole(filepath.Join(disk.Path, "summaries")))

	upload := filepath.Join(f.Media.Uploads(), "u")
	require.NoError(t, os.WriteFile(upload, []byte("RIFF of an upload that was not looked at yet"), 0o600))
	file, err := f.TakeUpload(f.ctx, f.p.ID, "b.wav", upload, 44)
	require.NoError(t, err)
	assert.Equal(t, 1, whole(filepath.Dir(f.Media.Path(file.Path))))

	for _, packing := range []string{"poly", "mono"} {
		d, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: packing, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
		require.NoError(t, err)
		d = f.made(t, d.ID)
		require.Equal(t, order.Proven, d.State, d.ErrorMessage)
		assert.Equal(t, len(d.Plan.Files), whole(f.Media.Order(order.Delivery, d.ID)))
	}
	rows, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{f.takes()[0].ID}, Packing: "mono"})
	require.NoError(t, err)
	require.NoError(t, f.Make(f.ctx, rows[0].ID))
	assert.Equal(t, 8, whole(f.Media.Order(order.Writing, rows[0].ID)))
}
