package picture

import (
	"bytes"
	"context"
	"encoding/hex"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
)

// The boxes are those of the specification, byte by byte, and are read back.
func TestSA3D(t *testing.T) {
	for _, c := range []struct {
		f    Field
		want string
	}{
		{Field{Order: 1}, "0000002453413344" + "0000" + "00000001" + "0000" + "00000004" + "00000000" + "00000001" + "00000002" + "00000003"},
		{Field{Order: 1, HeadLocked: true}, "0000002c53413344" + "0080" + "00000001" + "0000" + "00000006" + "00000000" + "00000001" + "00000002" + "00000003" + "00000004" + "00000005"},
	} {
		want, err := hex.DecodeString(c.want)
		require.NoError(t, err)
		want[3] = byte(len(want)) // the length of all of it
		assert.Equal(t, want, c.f.sa3d())
		got, err := readSA3D(want[8:])
		require.NoError(t, err)
		assert.Equal(t, c.f, *got)
		for n := range want[8:] {
			_, err := readSA3D(want[8 : 8+n])
			assert.Error(t, err, "cut after %d bytes", n)
		}
		for i, v := range map[int]byte{0: 1, 1: 1, 5: 9, 6: 1, 7: 1, 11: 5, 15: 7} {
			bad := bytes.Clone(want[8:])
			bad[i] = v
			_, err := readSA3D(bad)
			assert.Equal(t, "bad_field", snag.Of(err).Code, "byte %d", i)
		}
	}
	for channels, f := range map[int]Field{4: {Order: 1}, 9: {Order: 2}, 16: {Order: 3}, 6: {Order: 1, HeadLocked: true}, 11: {Order: 2, HeadLocked: true}, 18: {Order: 3, HeadLocked: true}} {
		assert.NoError(t, f.Check(channels))
		err := f.Check(channels - 1)
		assert.ErrorContains(t, err, "channels, and the stream has")
	}
	assert.Error(t, Field{Order: 8}.Check(81))
}

// Streams of files by ffmpeg are marked, wherever they stand, ffprobe still reads all of them, and nothing else has changed.
func TestStreamsAreMarked(t *testing.T) {
	dir := t.TempDir()
	for kind, third := range map[string]struct {
		layout string
		mark   Field
	}{"mov": {"hexadecagonal", Field{Order: 3}}, "mp4": {"5.1", Field{Order: 1, HeadLocked: true}}} {
		path := filepath.Join(dir, "x."+kind)
		args := []string{"-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=1"}
		for _, layout := range []string{"stereo", "4.0", third.layout} {
			args = append(args, "-f", "lavfi", "-i", "anoisesrc=d=1:c=pink,aformat=sample_rates=48000,pan="+layout+"|c0=c0|c1=c0")
		}
		args = append(args, "-map", "0:v", "-map", "1:a", "-map", "2:a", "-map", "3:a", "-c:v", "mpeg4")
		if kind == "mov" {
			args = append(args, "-c:a", "pcm_s24le")
		} else {
			args = append(args, "-c:a", "alac")
		}
		if out, err := exec.Command("ffmpeg", append(args, "-y", path)...).CombinedOutput(); err != nil {
			t.Fatalf("%s: %s", kind, out)
		}
		before := hashes(t, path)
		require.NoError(t, markFields(path, []*Field{nil, {Order: 1}, &third.mark}))
		assert.Equal(t, before, hashes(t, path), "the sound and the picture are the same")
		info, err := Probe(context.Background(), path)
		require.NoError(t, err)
		require.Len(t, info.Sound, 3)
		assert.Nil(t, info.Sound[0].Field)
		assert.Equal(t, &Field{Order: 1}, info.Sound[1].Field)
		assert.Equal(t, &third.mark, info.Sound[2].Field)
		raw, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.True(t, bytes.Contains(raw, Field{Order: 1}.sa3d()))

		// A mark that is not as wide as its stream is refused.
		at := bytes.Index(raw, Field{Order: 1}.sa3d())
		copy(raw[at:], append(Field{Order: 0}.sa3d(), box("free", make([]byte, 4))...))
		require.NoError(t, os.WriteFile(path, raw, 0o600))
		_, err = Probe(context.Background(), path)
		require.Error(t, err)
		assert.Equal(t, "bad_field", snag.Of(err).Code)
		assert.ErrorContains(t, err, "order 0 has 1 channels, and the stream has 4")
		assert.Error(t, markFields(path, []*Field{nil, nil, nil, {Order: 1}}), "there is no such stream")
	}
	// A movie before its samples can't take anything.
	path := filepath.Join(dir, "fast.mov")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=d=1", "-c:a", "pcm_s24le", "-movflags", "+faststart", path).Run())
	assert.Equal(t, "bad_field", snag.Of(markFields(path, []*Field{{Order: 0}})).Code)
}

// hashes are those of every stream's packets.
func hashes(t *testing.T, path string) string {
	t.Helper()
	out, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0", "-c", "copy", "-f", "streamhash", "-").Output()
	require.NoError(t, err)
	return string(out)
}

// Bytes from an enemy end in an error or in nothing, and in no time.
func FuzzFields(f *testing.F) {
	f.Add(box("moov", box("trak", box("mdia", box("hdlr", fields(uint64(0)), []byte("soun")), box("minf", box("stbl", box("stsd", fields(uint32(0), uint32(1)), box("mp4a", make([]byte, 28), Field{Order: 1}.sa3d()))))))))
	f.Add([]byte("\x00\x00\x00\x01moov\xff\xff\xff\xff\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, b []byte) {
		entries, err := soundEntries(bytes.NewReader(b), int64(len(b)))
		if err == nil {
			for _, e := range entries {
				assert.Len(t, e.way, 7)
			}
		}
	})
}
