package picture

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/source"
)

func made(t *testing.T, out string, args ...string) string {
	t.Helper()
	b, err := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y"}, args...), out)...).CombinedOutput()
	require.NoError(t, err, "%s", b)
	return out
}

func all(t *testing.T, s *source.Source) []byte {
	t.Helper()
	b := make([]byte, s.Frames*int64(s.Format.FrameBytes()))
	require.NoError(t, s.ReadFull(b, 0))
	return b
}

// What is read where it lies is what ffmpeg decodes, byte by byte: little and big ends first, one stream and four, beside a picture and
// alone, in files of ours and of others.
func TestSoundIsReadWhereItLies(t *testing.T) {
	dir := t.TempDir()
	noise := func(channels int, seed uint64) []string {
		rng := rand.New(rand.NewPCG(seed, 7))
		b := make([]byte, 148_801*channels*3)
		for i := range b {
			b[i] = byte(rng.Uint32())
		}
		raw := filepath.Join(dir, fmt.Sprint(seed, ".raw"))
		require.NoError(t, os.WriteFile(raw, b, 0o600))
		return []string{"-f", "s24le", "-ar", "48000", "-ac", fmt.Sprint(channels), "-i", raw}
	}
	pictured := []string{"-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=3"}
	files := []string{}
	for _, codec := range []string{"pcm_s16le", "pcm_s16be", "pcm_s24le", "pcm_s24be", "pcm_s32le", "pcm_f32le"} {
		args := append(append([]string{}, noise(3, 1)...), "-c:a", codec)
		files = append(files, made(t, filepath.Join(dir, codec+".mov"), args...))
	}
	args := append(append(append(append(append([]string{}, pictured...), noise(2, 2)...), noise(1, 3)...), noise(18, 4)...),
		"-map", "0:v", "-map", "1:a", "-map", "2:a", "-map", "3:a", "-c:v", "libx264", "-c:a", "pcm_s24le", "-timecode", "10:00:00:00")
	files = append(files, made(t, filepath.Join(dir, "streams.mov"), args...))
	late := append(append(append([]string{}, pictured...), "-itsoffset", "0.5"), noise(2, 5)...)
	files = append(files, made(t, filepath.Join(dir, "late.mov"), append(late, "-map", "0:v", "-map", "1:a", "-c:v", "libx264", "-c:a", "pcm_s16le")...))
	for _, path := range files {
		info, err := Probe(t.Context(), path)
		require.NoError(t, err)
		direct := info.direct(path)
		if !assert.Len(t, direct, len(info.Sound), path) {
			continue
		}
		parts, err := info.decode(t.Context(), path, t.TempDir(), Stream.Coding)
		require.NoError(t, err)
		for n, part := range parts {
			want, err := source.Open(part)
			require.NoError(t, err)
			assert.Equal(t, want.Frames, direct[n].Frames, "%s, stream %d", path, n+1)
			assert.Equal(t, want.Format.Coding, direct[n].Format.Coding)
			assert.True(t, string(all(t, want)) == string(all(t, direct[n])), "%s, stream %d", path, n+1)
			// From anywhere, over the ends of pieces.
			b := make([]byte, 1500*want.Format.FrameBytes())
			c := make([]byte, len(b))
			require.NoError(t, want.ReadFull(b, 777))
			require.NoError(t, direct[n].ReadFull(c, 777))
			assert.Equal(t, b, c)
			want.Close()
		}
		closeAll(direct)
	}
}

// What is not plain is left to ffmpeg, and what is broken is not believed.
func TestWhatIsNotPlainIsDecoded(t *testing.T) {
	dir := t.TempDir()
	tone := []string{"-f", "lavfi", "-i", "sine=d=2:r=48000"}
	whole := made(t, filepath.Join(dir, "whole.mov"), append(append([]string{}, tone...), "-c:a", "pcm_s24le")...)
	files := map[string]string{
		"compressed": made(t, filepath.Join(dir, "aac.mp4"), append(append([]string{}, tone...), "-c:a", "aac")...),
		"pieces":     made(t, filepath.Join(dir, "pieces.mov"), append(append([]string{}, tone...), "-c:a", "pcm_s24le", "-movflags", "frag_keyframe+empty_moov")...),
		"matroska":   made(t, filepath.Join(dir, "m.mkv"), append(append([]string{}, tone...), "-c:a", "pcm_s24le")...),
		"an edit":    made(t, filepath.Join(dir, "cut.mov"), "-ss", "0.51", "-i", whole, "-c", "copy"),
	}
	for name, path := range files {
		info, err := Probe(t.Context(), path)
		require.NoError(t, err)
		if direct := info.direct(path); name != "an edit" {
			assert.Nil(t, direct, name)
		} else if direct != nil { // where nothing had to be cut within a piece
			parts, err := info.decode(t.Context(), path, t.TempDir(), Stream.Coding)
			require.NoError(t, err)
			want, err := source.Open(parts[0])
			require.NoError(t, err)
			assert.True(t, string(all(t, want)) == string(all(t, direct[0])))
			want.Close()
			closeAll(direct)
		}
	}
	b, err := os.ReadFile(whole)
	require.NoError(t, err)
	info, err := Probe(t.Context(), whole)
	require.NoError(t, err)
	path := filepath.Join(dir, "broken.mov")
	for at := len(b) - 900; at < len(b); at++ { // in the movie's tables
		c := append([]byte{}, b...)
		c[at] ^= 0xff
		require.NoError(t, os.WriteFile(path, c, 0o600))
		for _, s := range info.direct(path) { // never beyond what is there
			assert.Equal(t, info.Sound[0].Frames, s.Frames)
			all(t, s)
			s.Close()
		}
	}
}
