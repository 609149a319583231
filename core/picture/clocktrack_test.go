package picture

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// A QuickTime file without a picture has a timecode track of the sound's length all the same, in every way of counting; ffprobe
// reads it, and so do we.
func TestAClockWithoutAPicture(t *testing.T) {
	dir := t.TempDir()
	sound := filepath.Join(dir, "sound.wav")
	f, err := os.Create(sound)
	require.NoError(t, err)
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 2}})
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 96000*6))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	require.NoError(t, f.Close())
	for tc, rate := range map[string]timecode.Rate{
		"00:00:00:00": {Num: 25, Den: 1}, "22:10:00:24": {Num: 25, Den: 1}, "01:00:00:23": {Num: 24000, Den: 1001}, "23:59:59:23": {Num: 24, Den: 1},
		"10:01:00;02": {Num: 30000, Den: 1001, Drop: true}, "23:59:59;29": {Num: 30000, Den: 1001, Drop: true}, "10:01:00:00": {Num: 30000, Den: 1001},
		"09:59:59:49": {Num: 50, Den: 1}, "10:01:00;04": {Num: 60000, Den: 1001, Drop: true}, "12:00:00:59": {Num: 60, Den: 1}, "12:00:00:29": {Num: 30, Den: 1},
	} {
		out := filepath.Join(dir, "out.mov")
		frames := rate.FrameAt(96000, 48000)
		require.NoError(t, Pack{Kind: "mov", Sounds: []string{sound, sound}, Coding: audio.S24, Start: tc, Rate: rate, Frames: frames, Out: out}.Write(t.Context()))
		info, err := Probe(t.Context(), out)
		require.NoError(t, err)
		assert.Equal(t, tc, info.Timecode)
		assert.Equal(t, []int{2, 2}, info.Groups(), tc)
		assert.Nil(t, info.Picture)
		want, err := rate.Parse(tc)
		require.NoError(t, err)
		at, counted, ok := info.Start(48000)
		assert.True(t, ok, tc)
		assert.Equal(t, rate, counted)
		assert.Equal(t, rate.SampleAt(want, 48000), at, tc)
		for _, s := range info.Sound {
			assert.Zero(t, s.Offset, tc)
		}
		said, err := exec.Command("ffprobe", "-v", "error", "-select_streams", "d", "-show_entries", "stream=codec_tag_string,duration:stream_tags=timecode", "-of", "csv=p=0", out).CombinedOutput()
		require.NoError(t, err)
		assert.True(t, strings.HasPrefix(string(said), "tmcd,"), "%s: %s", tc, said)
		assert.InDelta(t, 2, seconds(t, string(said)), 0.07, "as long as the sound: %s", said)
		left, err := filepath.Glob(filepath.Join(dir, "*"))
		require.NoError(t, err)
		assert.Len(t, left, 2, "nothing else is left")
		require.NoError(t, os.Remove(out))
	}
}

func seconds(t *testing.T, csv string) float64 {
	t.Helper()
	v, err := strconv.ParseFloat(strings.Split(csv, ",")[1], 64)
	require.NoError(t, err)
	return v
}
