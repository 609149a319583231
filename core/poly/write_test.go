package poly_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/internal/testmedia"
)

func strands(path string, channels ...int) (out []poly.Strand) {
	for _, c := range channels {
		out = append(out, poly.Strand{Path: path, Channel: c, Label: "L" + string(rune('0'+c)), Track: c + 10})
	}
	return out
}

func said() poly.Said {
	return poly.Said{Facts: source.Facts{Start: 480, Rate: timecode.Rate{Num: 25, Den: 1}, Project: "Lantern Ferry", Scene: "21A", Take: "3", Roll: "LF07", Note: "büro; \"quoted\"", Circled: true, WildTrack: true}}
}

func TestWriteIsProvenAndSaysWhatItShould(t *testing.T) {
	src, six, dir := testmedia.Path(t, "poly8_s24.wav"), testmedia.Path(t, "six.wav"), t.TempDir()
	outs := []poly.Out{
		{Path: filepath.Join(dir, "poly.wav"), Strands: append(strands(src, 8, 1, 3), strands(six, 2)...)},
		{Path: filepath.Join(dir, "pair.wav"), Strands: strands(src, 5, 6), Order: []audio.Speaker{"L", "R"}},
		{Path: filepath.Join(dir, "mono.wav"), Strands: strands(six, 6)},
	}
	var last, total int64
	made, err := poly.Write(t.Context(), outs, said(), poly.WriteOptions{}, func(d, n int64) { last, total = d, n })
	require.NoError(t, err)
	assert.Equal(t, made.Frames, last)
	assert.Equal(t, made.Frames, total)
	proofs, err := poly.Prove(t.Context(), outs, said(), poly.WriteOptions{}, nil)
	require.NoError(t, err)
	for i, p := range proofs {
		assert.True(t, p.OK, "%+v", p)
		made, raw := samples(t, outs[i].Path)
		f := made.Gather("x.wav")
		assert.Equal(t, []any{"21A", "3", "LF07", "büro; \"quoted\"", true, true, int64(480)}, []any{f.Scene, f.Take, f.Roll, f.Note, f.Circled, f.WildTrack, f.Start})
		for c, s := range outs[i].Strands {
			assert.Equal(t, s.Label, f.Tracks[c].Label)
			assert.Equal(t, s.Track, f.Tracks[c].RecorderTrack)
			from, all := samples(t, s.Path)
			want, got := make([]float64, from.Frames), make([]float64, made.Frames)
			audio.DecodeChannel(want, all, audio.S24, from.Format.Channels, s.Channel-1)
			audio.DecodeChannel(got, raw, audio.S24, made.Format.Channels, c)
			assert.Equal(t, want, got, "%s channel %d", p.Name, c+1)
		}
	}
	pair, _ := samples(t, outs[1].Path)
	assert.EqualValues(t, 3, pair.Format.Mask)
	poly4, _ := samples(t, outs[0].Path)
	assert.Zero(t, poly4.Format.Mask)
}

func TestProofFindsWhatIsWrong(t *testing.T) {
	src, dir := testmedia.Path(t, "poly8_s24.wav"), t.TempDir()
	outs := []poly.Out{{Path: filepath.Join(dir, "x.wav"), Strands: strands(src, 1, 2)}}
	_, err := poly.Write(t.Context(), outs, said(), poly.WriteOptions{}, nil)
	require.NoError(t, err)
	b, err := os.ReadFile(outs[0].Path)
	require.NoError(t, err)
	b[len(b)-1] ^= 1 // the last sample of the second channel
	require.NoError(t, os.WriteFile(outs[0].Path, b, 0o644))
	p, err := poly.Prove(t.Context(), outs, said(), poly.WriteOptions{}, nil)
	require.NoError(t, err)
	assert.False(t, p[0].OK)
	assert.Equal(t, []int64{0, 1}, []int64{p[0].Channels[0].Differs, p[0].Channels[1].Differs})
	assert.EqualValues(t, 47999, p[0].Channels[1].FirstAt)
	other := said()
	other.Facts.Scene = "22"
	outs[0].Strands[1].Label = "Somebody else"
	p, err = poly.Prove(t.Context(), outs, other, poly.WriteOptions{}, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"the scene is 21A and should be 22", "the label of channel 2 is L2 and should be Somebody else"}, p[0].Wrong)
}

func TestUnequalLengths(t *testing.T) {
	dir := t.TempDir()
	long, short := testmedia.Path(t, "poly8_s24.wav"), testmedia.Path(t, "cut_short.wav")
	outs := []poly.Out{{Path: filepath.Join(dir, "x.wav"), Strands: append(strands(long, 1), strands(short, 1)...)}}
	_, err := poly.Write(t.Context(), outs, said(), poly.WriteOptions{}, nil)
	assert.Equal(t, "length_differs", snag.Of(err).Code)
	made, err := poly.Write(t.Context(), outs, said(), poly.WriteOptions{Shortest: true}, nil)
	require.NoError(t, err)
	assert.EqualValues(t, 20830, made.Frames)
	made, err = poly.Write(t.Context(), outs, said(), poly.WriteOptions{Pad: true, Force: true}, nil)
	require.NoError(t, err)
	assert.EqualValues(t, 48000, made.Frames)
	p, err := poly.Prove(t.Context(), outs, said(), poly.WriteOptions{Pad: true}, nil)
	require.NoError(t, err)
	assert.True(t, p[0].OK, "%+v", p)
}

func TestWriteRefusals(t *testing.T) {
	dir := t.TempDir()
	src := testmedia.Path(t, "poly8_s24.wav")
	at := func(name string, s ...poly.Strand) []poly.Out {
		return []poly.Out{{Path: filepath.Join(dir, name), Strands: s}}
	}
	for code, outs := range map[string][]poly.Out{
		"nothing_to_write": at("x.wav"),
		"no_such_channel":  at("x.wav", strands(src, 9)...),
		"coding_differs":   at("x.wav", append(strands(src, 1), strands(testmedia.Path(t, "poly8_s16.wav"), 1)...)...),
		"rate_differs":     at("x.wav", append(strands(src, 1), strands(testmedia.Path(t, "stereo_44k1.wav"), 1)...)...),
		"not_found":        at("x.wav", strands(filepath.Join(dir, "none.wav"), 1)...),
		"names_clash":      {{Path: src, Strands: strands(src, 1)}},
	} {
		_, err := poly.Write(t.Context(), outs, said(), poly.WriteOptions{Force: true}, nil)
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code)
		}
	}
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left, "nothing is left of what was refused")
}
