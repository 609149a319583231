package flac_test

import (
	"bytes"
	"errors"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/flac"
	"zestyloom/core/wave"
)

// encoded makes a sound, has flac encode it in some way, and returns both.
func encoded(t testing.TB, coding audio.Coding, channels, frames int, args ...string) (path string, want [][]int64) {
	t.Helper()
	dir := t.TempDir()
	in := filepath.Join(dir, "in.wav")
	f, err := os.Create(in)
	require.NoError(t, err)
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: coding, SampleRate: 48000, Channels: channels, Mask: map[int]uint32{3: 7, 8: 0x63F}[channels]}})
	require.NoError(t, err)
	rnd := rand.New(rand.NewPCG(uint64(channels), uint64(frames)))
	full := int64(1) << (coding.Bits() - 1)
	want = make([][]int64, channels)
	var raw []byte
	for i := range frames {
		for c := range want {
			var v int64
			switch { // tones that predict well, noise that does not, silence, extremes
			case i < frames/4:
				v = int64(float64(full-1) * 0.5 * float64((i*(c+1))%200-100) / 100)
			case i < frames/2:
				v = rnd.Int64N(2*full) - full
			case i < 3*frames/4:
				v = 0
			default:
				v = []int64{full - 1, -full}[(i+c)%2]
			}
			want[c] = append(want[c], v)
			for k := range coding.Bytes() {
				raw = append(raw, byte(v>>(8*k)))
			}
			if coding == audio.U8 {
				raw[len(raw)-1] ^= 0x80
			}
		}
	}
	_, err = w.Write(raw)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	require.NoError(t, f.Close())
	path = filepath.Join(dir, "out.flac")
	out, err := exec.Command("flac", append([]string{"-s", "-f", "-o", path, in}, args...)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
	return path, want
}

func open(t testing.TB, path string) *flac.Decoder {
	t.Helper()
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	d, err := flac.Open(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	return d
}

// Every way in which flac encodes gives the samples back.
func TestDecodesWhatFlacEncodes(t *testing.T) {
	for _, c := range []struct {
		coding   audio.Coding
		channels int
		args     []string
	}{
		{audio.S16, 2, []string{"-0"}}, {audio.S16, 2, []string{"-8"}}, {audio.S16, 1, []string{"-5"}}, {audio.S24, 2, []string{"-8", "-p"}}, {audio.S24, 8, []string{"-5"}},
		{audio.S24, 3, []string{"-3", "-b", "1152"}}, {audio.S32, 2, []string{"-8"}}, {audio.S32, 1, []string{"-0"}}, {audio.U8, 2, []string{"-5"}},
		{audio.S16, 2, []string{"--lax", "-l", "32", "-b", "16384"}}, {audio.S24, 2, []string{"--no-mid-side", "-4"}}, {audio.S16, 2, []string{"-b", "4000"}},
	} {
		path, want := encoded(t, c.coding, c.channels, 20011, c.args...)
		d := open(t, path)
		assert.Equal(t, []int{c.channels, 48000, c.coding.Bits()}, []int{d.Channels, d.SampleRate, d.Bits})
		assert.EqualValues(t, 20011, d.Frames)
		end, ok := d.EndsAt()
		assert.True(t, ok && end == 20011, "%v ends at %d", c, end)
		got := make([][]int64, c.channels)
		for {
			block, err := d.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			require.NoError(t, err, "%v", c)
			for ch := range block {
				got[ch] = append(got[ch], block[ch]...)
			}
		}
		require.Equal(t, want, got, "%v", c)
	}
}

func TestSeeking(t *testing.T) {
	path, want := encoded(t, audio.S16, 2, 900_000, "-2", "-S", "5s")
	d := open(t, path)
	rnd := rand.New(rand.NewPCG(3, 3))
	for range 40 {
		at := rnd.Int64N(900_000)
		d.SeekBefore(at)
		require.LessOrEqual(t, d.Position(), at)
		require.Greater(t, d.Position(), at-300_000, "the seek table is used")
		first := d.Position()
		block, err := d.Next()
		require.NoError(t, err)
		for i, v := range block[1] {
			require.Equal(t, want[1][first+int64(i)], v)
		}
	}
}

// Damage is noticed: by a checksum, by a place that does not fit, by an end that comes too early.
func TestDamage(t *testing.T) {
	path, _ := encoded(t, audio.S16, 2, 60_000, "-5")
	whole, err := os.ReadFile(path)
	require.NoError(t, err)
	decode := func(b []byte) (frames int64, err error) {
		d, err := flac.Open(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			return 0, err
		}
		for err == nil {
			_, err = d.Next()
		}
		return d.Position(), err
	}
	frames, err := decode(whole)
	require.ErrorIs(t, err, io.EOF)
	require.EqualValues(t, 60_000, frames)
	cut := whole[:len(whole)*2/3]
	frames, err = decode(cut)
	require.ErrorIs(t, err, io.ErrUnexpectedEOF)
	assert.Less(t, frames, int64(60_000))
	d, err := flac.Open(bytes.NewReader(cut), int64(len(cut)))
	require.NoError(t, err)
	_, ok := d.EndsAt()
	assert.False(t, ok)
	for _, at := range []int{len(whole) / 3, len(whole) / 2, len(whole) - 3} {
		bad := append([]byte{}, whole...)
		bad[at] ^= 0x10
		_, err := decode(bad)
		assert.NotErrorIs(t, err, io.EOF, "a bit turned at %d", at)
	}
	for _, b := range [][]byte{nil, []byte("fLaC"), []byte("fLaC\x00\x00\x00\x22"), append([]byte("fLaC\x80\x00\x00\x22"), make([]byte, 34)...), []byte("OggS and so on, many bytes")} {
		_, err := flac.Open(bytes.NewReader(b), int64(len(b)))
		assert.Error(t, err)
	}
}

func FuzzNext(f *testing.F) {
	path, _ := encoded(f, audio.S16, 2, 5000, "-8")
	b, err := os.ReadFile(path)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(b)
	f.Fuzz(func(t *testing.T, b []byte) {
		d, err := flac.Open(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			return
		}
		d.EndsAt()
		for range 20 {
			block, err := d.Next()
			if err != nil {
				break
			}
			if len(block) != d.Channels {
				t.Fatalf("%d channels in a stream of %d", len(block), d.Channels)
			}
		}
		d.SeekBefore(100)
	})
}

// What is wrong says where in the file it is.
func TestWhereAFileIsDamaged(t *testing.T) {
	info := append([]byte("fLaC\x00\x00\x00\x22"), make([]byte, 34)...)
	_, err := flac.Open(bytes.NewReader(info), int64(len(info)))
	assert.ErrorContains(t, err, "in block 2, at byte 42")
	other := append([]byte("fLaC\x04\x00\x00\x04"), make([]byte, 4)...)
	_, err = flac.Open(bytes.NewReader(other), int64(len(other)))
	assert.ErrorContains(t, err, "at byte 4, is of kind 4 and has 4 bytes")
}
