package picture_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/picture"
	"zestyloom/core/snag"
)

// Files that try to make the program that reads them open another one. None gets as much as a sample of it.
func TestOtherFilesAreNotReadThroughOne(t *testing.T) {
	dir := t.TempDir()
	secret := filepath.Join(dir, "secret.wav")
	run := func(name string, args ...string) {
		c := exec.Command(name, args...)
		c.Dir = dir
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	run("sox", "-D", "-R", "-n", "-r", "48000", "-b", "24", "secret.wav", "synth", "2", "whitenoise", "gain", "-6")
	run("ffmpeg", "-v", "error", "-i", "secret.wav", "-c:a", "pcm_s24le", "secret.mov")
	run("ffmpeg", "-v", "error", "-i", "secret.wav", "-c:a", "aac", "secret.m4s.mp4")
	mpd := fmt.Sprintf(`<?xml version="1.0"?><MPD xmlns="urn:mpeg:dash:schema:mpd:2011" type="static" mediaPresentationDuration="PT2S" profiles="urn:mpeg:dash:profile:isoff-main:2011"><Period><AdaptationSet mimeType="audio/mp4"><Representation id="0" mimeType="audio/mp4" bandwidth="1000"><BaseURL>file://%s</BaseURL><SegmentBase/></Representation></AdaptationSet></Period></MPD>`, filepath.Join(dir, "secret.m4s.mp4"))
	hls := "#EXTM3U\n#EXT-X-TARGETDURATION:2\n#EXTINF:2,\nfile://" + secret + "\n#EXT-X-ENDLIST\n"
	corpus := map[string]string{
		"manifest behind a comment.mov":  "<!--ftyp-->" + mpd,
		"manifest behind a comment2.mov": "<!--moov -->\n" + mpd,
		"manifest.mov":                   mpd,
		"playlist.mov":                   hls,
		"playlist behind a box.mov":      "\x00\x00\x00\x08free" + hls,
		"playlist in ftyp.mp4":           "\x00\x00\x00\x18ftyp" + hls,
		"concat.mov":                     "ffconcat version 1.0\nfile '" + secret + "'\n",
		"concat behind a box.mov":        "\x00\x00\x00\x08wideffconcat version 1.0\nfile '" + secret + "'\n",
		"session.mov":                    "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=audio 5004 RTP/AVP 96\na=rtpmap:96 L24/48000/1\n",
		"playlist as matroska.mkv":       "\x1A\x45\xDF\xA3" + hls,
		"playlist as mxf.mxf":            "\x06\x0E\x2B\x34" + hls,
		"subtitles with a file.mkv":      "\x1A\x45\xDF\xA3\x80ffconcat version 1.0\nfile " + secret,
	}
	camera, err := os.ReadFile(filepath.Join(dir, "secret.mov"))
	require.NoError(t, err)
	for _, where := range []string{"secret.wav", secret} {
		corpus["data elsewhere, "+filepath.Base(filepath.Dir(where))+".mov"] = string(elsewhere(t, camera, where))
	}
	whole, err := os.ReadFile(secret)
	require.NoError(t, err)
	for name, b := range corpus {
		in := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(in, []byte(b), 0o600))
		info, err := picture.Probe(t.Context(), in)
		if err != nil {
			assert.NotEmpty(t, snag.Of(err).Code, name)
			assert.NotContains(t, err.Error(), "secret", name)
			continue
		}
		out := filepath.Join(dir, "out.wav")
		if _, err := info.WriteSound(t.Context(), in, out, t.TempDir()); err != nil {
			continue
		}
		got, err := os.ReadFile(out)
		require.NoError(t, err)
		assert.False(t, bytes.Contains(got, whole[20000:20060]), "%s: what another file holds came out", name)
	}
}

// elsewhere makes the data reference of a MOV's one track an alias of another file and takes its own sound away.
func elsewhere(t *testing.T, mov []byte, path string) []byte {
	t.Helper()
	base := filepath.Base(path)
	alias := make([]byte, 10)
	alias = append(alias, 0)
	alias = append(alias, make([]byte, 27+12)...)
	alias = append(alias, byte(len(base)))
	alias = append(alias, append([]byte(base), make([]byte, 63-len(base))...)...)
	alias = append(alias, make([]byte, 16)...)
	alias = append(alias, 0, 1, 0, 1) // levels from and to
	alias = append(alias, make([]byte, 16)...)
	full := []byte(path)
	if len(full)%2 == 1 {
		full = append(full, 0)
	}
	alias = binary.BigEndian.AppendUint16(append(alias, 0, 2), uint16(len(full)))
	alias = append(append(alias, full...), 0xFF, 0xFF, 0, 0)
	entry := binary.BigEndian.AppendUint32(nil, uint32(12+len(alias)))
	entry = append(append(append(entry, "alis"...), 0, 0, 0, 0), alias...)
	at := bytes.Index(mov, []byte("dref"))
	require.Positive(t, at)
	old := int(binary.BigEndian.Uint32(mov[at+12:])) // of its one entry
	grown := append(append(append([]byte{}, mov[:at+12]...), entry...), mov[at+12+old:]...)
	// Every box around it has become longer.
	for from, end := 0, len(mov); from+8 <= end; {
		size := int(binary.BigEndian.Uint32(mov[from:]))
		if size < 8 || from+size > end {
			break
		}
		if from < at && at < from+size {
			binary.BigEndian.PutUint32(grown[from:], uint32(size+len(entry)-old))
			end, from = from+size, from+8
			continue
		}
		from += size
	}
	if at := bytes.Index(grown, []byte("mdat")); at > 0 {
		size := int(binary.BigEndian.Uint32(grown[at-4:]))
		clear(grown[at+4 : min(len(grown), at-4+size)])
	}
	return grown
}

// A program that is told to stop does so at once, and takes what it started with it.
func TestItStopsAtOnce(t *testing.T) {
	dir := t.TempDir()
	in := filepath.Join(dir, "long.mov")
	out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=size=640x360:rate=25:duration=120", "-c:v", "mjpeg", "-q:v", "20", in).CombinedOutput()
	require.NoError(t, err, "%s", out)
	info, err := picture.Probe(t.Context(), in)
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	proxy := filepath.Join(dir, "p.mp4")
	_, err = info.WriteProxy(ctx, in, proxy, filepath.Join(dir, "s.jpg"), t.TempDir())
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.NoFileExists(t, proxy, "what is not whole has no name")
}

// Claims beyond any recording are refused before anything is made of them.
func TestTooManyStreams(t *testing.T) {
	dir := t.TempDir()
	args := []string{"-v", "error", "-f", "lavfi", "-i", "anullsrc=r=8000:cl=mono:d=0.01"}
	for range 200 {
		args = append(args, "-map", "0:a")
	}
	in := filepath.Join(dir, "many.mov")
	out, err := exec.Command("ffmpeg", append(args, "-c:a", "pcm_s16le", in)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	_, err = picture.Probe(t.Context(), in)
	assert.Equal(t, "bad_stream", snag.Of(err).Code)
}
