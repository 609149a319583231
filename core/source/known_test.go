package source_test

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/testmedia"
)

// In every container, of what was read before every byte counts: a bit that differs anywhere is found by whoever reads the part
// that it lies in, the header at once; and a file that is what it was is read as ever.
func TestKnownFiles(t *testing.T) {
	for _, name := range []string{"poly8_s24.wav", "quad_s24.aiff", "quad_s24.flac", "stereo_u8.wav"} {
		b, err := os.ReadFile(testmedia.Path(t, name))
		require.NoError(t, err)
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, b, 0o600))
		sums, err := source.HashFile(path)
		require.NoError(t, err)
		known := &source.Known{Name: "21A-3.wav", Sums: &sums}
		all := func() error {
			s, err := source.OpenKnown(path, known)
			if err != nil {
				return err
			}
			defer s.Close()
			return s.EachBlock(context.Background(), 1<<16, func([]byte, int64) error { return nil })
		}
		require.NoError(t, all(), name)
		for _, at := range []int{2, len(b) / 3, len(b) / 2, len(b) - 40} {
			bad := append([]byte(nil), b...)
			bad[at] ^= 4
			require.NoError(t, os.WriteFile(path, bad, 0o600))
			err := all()
			require.Error(t, err, "%s, byte %d", name, at)
			assert.Equal(t, "source_changed", snag.Of(err).Code, "%s, byte %d: %v", name, at, err)
			assert.ErrorContains(t, err, "21A-3.wav")
		}
		require.NoError(t, os.WriteFile(path, b[:len(b)-1], 0o600))
		assert.Equal(t, "source_changed", snag.Of(all()).Code)
	}
}

// One that is changed while it is read is read as it was, or refused: at no place as something else.
func TestChangedWhileItIsRead(t *testing.T) {
	b, err := os.ReadFile(testmedia.Path(t, "poly8_s24.wav"))
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "a.wav")
	require.NoError(t, os.WriteFile(path, b, 0o600))
	sums, err := source.HashFile(path)
	require.NoError(t, err)
	s, err := source.OpenKnown(path, &source.Known{Name: "a.wav", Sums: &sums})
	require.NoError(t, err)
	defer s.Close()
	was, err := source.Open(testmedia.Path(t, "poly8_s24.wav"))
	require.NoError(t, err)
	defer was.Close()
	got, want := make([]byte, 24*1000), make([]byte, 24*1000)
	refused := false
	for at := int64(0); at+1000 <= s.Frames; {
		if at == 20_000 { // reads are whole until then
			f, err := os.OpenFile(path, os.O_WRONLY, 0)
			require.NoError(t, err)
			_, err = f.WriteAt(make([]byte, 100), int64(len(b))-200_000)
			require.NoError(t, errors.Join(err, f.Close()))
		}
		n, err := s.ReadFrames(got, at)
		if err != nil {
			assert.Equal(t, "source_changed", snag.Of(err).Code)
			refused = true
			break
		}
		_, err = was.ReadFrames(want, at)
		require.NoError(t, err)
		require.Equal(t, want[:n*24], got[:n*24], "frame %d", at)
		at += int64(n)
	}
	assert.True(t, refused)
	_, err = source.HashFile(filepath.Join(t.TempDir(), "none"))
	assert.Equal(t, "not_found", snag.Of(err).Code)
	assert.NotErrorIs(t, err, io.EOF)
}
