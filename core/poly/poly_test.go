package poly_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { testmedia.Main(m) }

// samples reads all of a file's sound.
func samples(t *testing.T, path string) (*source.Source, []byte) {
	t.Helper()
	s, err := source.Open(path)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	var all []byte
	require.NoError(t, s.EachBlock(context.Background(), 1<<16, func(raw []byte, _ int64) error {
		all = append(all, raw...)
		return nil
	}))
	return s, all
}

func split(t *testing.T, path string, o poly.SplitOptions) []string {
	t.Helper()
	p, err := poly.PlanSplit(path, o)
	require.NoError(t, err)
	defer p.Close()
	var last int64
	require.NoError(t, p.Run(context.Background(), func(done int64) { last = done }))
	assert.Equal(t, p.Frames, last, "progress ends at the end")
	var paths []string
	for _, part := range p.Parts {
		paths = append(paths, part.Path)
	}
	return paths
}

func join(t *testing.T, paths []string, o poly.JoinOptions) *poly.Join {
	t.Helper()
	j, err := poly.PlanJoin(paths, o)
	require.NoError(t, err)
	defer j.Close()
	require.NoError(t, j.Run(context.Background(), nil))
	return j
}

// Splitting and joining gives the samples back, bit for bit, for every container and coding, in
// the original order whatever the order in which the files are named.
func TestSplitThenJoinIsTheSame(t *testing.T) {
	for _, name := range []string{"poly8_s24.wav", "poly8_s16.wav", "stereo_u8.wav", "lcr_s32.wav", "poly5_f32.wav", "stereo_f64.wav", "surround6_rf64.wav",
		"surround6.w64", "quad_s24.aiff", "poly5_fl32.aifc", "quad_s24.flac", "cut_short.wav", "power_lost.wav"} {
		dir := t.TempDir()
		src, want := samples(t, testmedia.Path(t, name))
		paths := split(t, testmedia.Path(t, name), poly.SplitOptions{Dir: filepath.Join(dir, "s")})
		require.Len(t, paths, src.Format.Channels, name)
		for i, p := range paths {
			one, raw := samples(t, p)
			require.Equal(t, 1, one.Format.Channels, p)
			require.Equal(t, src.Format.Coding, one.Format.Coding, p)
			require.Empty(t, one.Gather(p).Snags, p)
			size := src.Format.Coding.Bytes()
			for f := range int(src.Frames) { // an independent look at where the samples went
				if !bytes.Equal(want[(f*src.Format.Channels+i)*size:][:size], raw[f*size:][:size]) {
					t.Fatalf("%s differs at frame %d", p, f)
				}
			}
		}
		out := filepath.Join(dir, "joined.wav")
		j := join(t, append(paths[1:], paths[0]), poly.JoinOptions{Out: out})
		assert.Equal(t, "by their index in the file set", j.Reason, name)
		_, got := samples(t, out)
		require.Equal(t, want, got, name)
		agree(t, out, src.Format.Channels, src.Format.SampleRate, src.Frames, src.Format.Coding)
		agree(t, paths[0], 1, src.Format.SampleRate, src.Frames, src.Format.Coding)
	}
}

// agree asks other programs what they read in a file.
func agree(t *testing.T, path string, channels, rate int, frames int64, coding audio.Coding) {
	t.Helper()
	out, err := exec.Command("ffprobe", "-v", "error", "-of", "json", "-show_streams", path).Output()
	require.NoError(t, err)
	var probe struct {
		Streams []struct {
			Channels   int    `json:"channels"`
			SampleRate string `json:"sample_rate"`
			DurationTS int64  `json:"duration_ts"`
			Codec      string `json:"codec_name"`
		}
	}
	require.NoError(t, json.Unmarshal(out, &probe))
	require.Len(t, probe.Streams, 1)
	p := probe.Streams[0]
	codec := map[audio.Coding]string{audio.U8: "pcm_u8", audio.S16: "pcm_s16le", audio.S24: "pcm_s24le", audio.S32: "pcm_s32le", audio.F32: "pcm_f32le", audio.F64: "pcm_f64le"}[coding]
	assert.Equal(t, []any{channels, fmt.Sprint(rate), frames, codec}, []any{p.Channels, p.SampleRate, p.DurationTS, p.Codec}, "ffprobe of %s", path)
	soxi := func(flag string) string {
		out, err := exec.Command("sox", "--i", flag, path).Output()
		require.NoError(t, err, "sox of %s", path)
		return strings.TrimSpace(string(out))
	}
	assert.Equal(t, []string{fmt.Sprint(channels), fmt.Sprint(rate), fmt.Sprint(frames)}, []string{soxi("-c"), soxi("-r"), soxi("-s")}, "sox of %s", path)
	out, err = exec.Command("sndfile-info", path).CombinedOutput()
	require.NoError(t, err, "sndfile-info of %s", path)
	for what, v := range map[string]any{"Frames": frames, "Channels": channels, "Sample Rate": rate} {
		assert.Regexp(t, fmt.Sprintf(`(?m)^%s\s*: %v$`, what, v), string(out), "sndfile-info of %s", path)
	}
	assert.NotContains(t, string(out), "****", "sndfile-info complains about %s", path)
}

// recorderFile is a poly file as a recorder writes it, with everything that must survive.
func recorderFile(t *testing.T, dir, name, take string, start int64) string {
	t.Helper()
	x, err := wave.ParseIXML([]byte(`<BWFXML><MYSTERY>kept</MYSTERY><FILE_UID>U1</FILE_UID><FILE_SET><TOTAL_FILES>1</TOTAL_FILES><FAMILY_UID>FAM` + take + `</FAMILY_UID></FILE_SET></BWFXML>`))
	require.NoError(t, err)
	x.Set("SCENE", "21A")
	x.Set("TAKE", take)
	x.Set("TAPE", "LF07")
	x.SetSpeed(48000, 24, start, timecode.Rate{Num: 24000, Den: 1001})
	x.SetTracks([]wave.IXMLTrack{{Recorder: 1, Interleave: 1, Name: "MixL"}, {Recorder: 2, Interleave: 2, Name: "MixR"}, {Recorder: 5, Interleave: 3, Name: "Lav/Ines"}})
	path := filepath.Join(dir, name)
	f, err := os.Create(path)
	require.NoError(t, err)
	defer f.Close()
	w, err := wave.NewWriter(f, wave.Options{
		Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 3}, IXML: x,
		Bext:  &wave.Bext{Description: "sSCENE=21A\r\nsTAKE=" + take, Originator: "Rec", OriginationDate: "2026-03-14", TimeReference: uint64(start), UMID: [64]byte{1}},
		Extra: []wave.RawChunk{{ID: "cue ", Data: []byte("mark")}, {ID: "levl", Data: []byte("gone")}},
	})
	require.NoError(t, err)
	b := make([]byte, 9*100)
	for i := range b {
		b[i] = byte(i*7 + len(take))
	}
	_, err = w.Write(b)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return path
}

func TestWhatFilesSayGoesAlong(t *testing.T) {
	dir := t.TempDir()
	path := recorderFile(t, dir, "day.wav", "3", 3830640000)
	paths := split(t, path, poly.SplitOptions{Dir: dir, Pairs: "1-2"})
	require.Equal(t, []string{filepath.Join(dir, "day_1-2_MixL+MixR.wav"), filepath.Join(dir, "day_3_Lav-Ines.wav")}, paths)
	s, _ := samples(t, paths[1])
	f := s.Gather(filepath.Base(paths[1]))
	assert.Equal(t, []any{int64(3830640000), "21A", "3", "LF07", "24000/1001"}, []any{f.Start, f.Scene, f.Take, f.Roll, f.Rate.Rational()})
	assert.Equal(t, source.TrackFact{Channel: 1, Label: "Lav/Ines", LabelSource: "ixml", RecorderTrack: 5}, f.Tracks[0])
	assert.Equal(t, "Lav/Ines", wave.ParseDescription(s.Bext.Description).Tracks()[0].Name, "and in bext")
	assert.Equal(t, []any{"Rec", "2026-03-14", uint64(3830640000), [64]byte{}}, []any{s.Bext.Originator, s.Bext.OriginationDate, s.Bext.TimeReference, s.Bext.UMID})
	assert.Contains(t, string(s.IXML.Marshal()), "<MYSTERY>kept</MYSTERY>")
	assert.NotContains(t, string(s.IXML.Marshal()), "U1")
	assert.Equal(t, []wave.RawChunk{{ID: "cue ", Data: []byte("mark")}}, s.Extra, "marks still make sense, peak levels of other channels don't")
	pair, _ := samples(t, paths[0])
	assert.EqualValues(t, 3, pair.Format.Mask, "a pair is left and right")

	out := filepath.Join(dir, "again.wav")
	j := join(t, []string{paths[1], paths[0]}, poly.JoinOptions{Out: out})
	assert.Equal(t, []int{3}, j.Members[1].Channels)
	s, got := samples(t, out)
	_, was := samples(t, path)
	assert.Equal(t, was, got, "a pair and a mono file make up what they came from")
	f = s.Gather("again.wav")
	assert.Equal(t, []any{int64(3830640000), "21A", "3", "LF07", "FAM3"}, []any{f.Start, f.Scene, f.Take, f.Roll, f.Family})
	var labels []string
	for _, tr := range f.Tracks {
		labels = append(labels, fmt.Sprint(tr.RecorderTrack, tr.Label))
	}
	assert.Equal(t, []string{"1MixL", "2MixR", "5Lav/Ines"}, labels)
	assert.Equal(t, []wave.RawChunk{{ID: "cue ", Data: []byte("mark")}}, s.Extra)
	assert.Zero(t, s.Format.Mask, "a poly file has no speakers")
}

func TestAStartThatIsNotKnownStaysSo(t *testing.T) {
	paths := split(t, testmedia.Path(t, "poly8_s24.wav"), poly.SplitOptions{Dir: t.TempDir(), Channels: "3-4,8"})
	require.Len(t, paths, 3)
	s, _ := samples(t, paths[0])
	f := s.Gather("x.wav")
	assert.EqualValues(t, -1, f.Start)
	assert.Equal(t, 3, f.Tracks[0].RecorderTrack)
}

func TestChannelLists(t *testing.T) {
	got, err := poly.ParseChannels("1, 3-5,8", 8)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 3, 4, 5, 8}, got)
	for s, code := range map[string]string{"": "bad_channels", "x": "bad_channels", "0": "bad_channels", "5-3": "bad_channels", "1,1": "bad_channels", "2-9": "no_such_channel", "1-99999999": "bad_channels"} {
		_, err := poly.ParseChannels(s, 8)
		if assert.Error(t, err, s) {
			assert.Equal(t, code, snag.Of(err).Code, s)
		}
	}
	pairs, err := poly.ParsePairs("1-2,5-6", 8)
	require.NoError(t, err)
	assert.Equal(t, [][2]int{{1, 2}, {5, 6}}, pairs)
	for _, s := range []string{"1", "1-1", "1-2,2-3", "8-9", "a-b"} {
		_, err := poly.ParsePairs(s, 8)
		assert.Error(t, err, s)
	}
}

func TestNothingIsOverwritten(t *testing.T) {
	dir := t.TempDir()
	path := testmedia.Path(t, "stereo_u8.wav")
	paths := split(t, path, poly.SplitOptions{Dir: dir})
	require.NoError(t, os.WriteFile(paths[0], []byte("mine"), 0o600))
	_, err := poly.PlanSplit(path, poly.SplitOptions{Dir: dir})
	require.Error(t, err)
	assert.Equal(t, "exists", snag.Of(err).Code)
	_, err = poly.PlanJoin([]string{path}, poly.JoinOptions{Out: paths[0]})
	require.Error(t, err)
	assert.Equal(t, "exists", snag.Of(err).Code)
	kept, err := os.ReadFile(paths[0])
	require.NoError(t, err)
	assert.Equal(t, "mine", string(kept))
	split(t, path, poly.SplitOptions{Dir: dir, Force: true})
	_, raw := samples(t, paths[0])
	assert.Len(t, raw, 48000)
	_, err = poly.PlanSplit(path, poly.SplitOptions{Dir: t.TempDir(), Pattern: "{file}"})
	require.Error(t, err)
	assert.Equal(t, "names_clash", snag.Of(err).Code)
	// A split that is broken off leaves nothing.
	empty := filepath.Join(t.TempDir(), "x")
	p, err := poly.PlanSplit(path, poly.SplitOptions{Dir: empty})
	require.NoError(t, err)
	defer p.Close()
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.Error(t, p.Run(ctx, nil))
	assert.NoDirExists(t, empty, "nor the folder it would have made")
}

// mono makes a mono file of n frames, without metadata.
func mono(t *testing.T, path string, n int, coding audio.Coding, rate int) string {
	t.Helper()
	f, err := os.Create(path)
	require.NoError(t, err)
	defer f.Close()
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: coding, SampleRate: rate, Channels: 1}})
	require.NoError(t, err)
	_, err = w.Write(make([]byte, n*coding.Bytes()))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return path
}

func TestJoinOrders(t *testing.T) {
	for _, c := range []struct {
		names  []string
		want   []string
		reason string
		mask   uint32
	}{
		{[]string{"m_Rs", "m_L", "m_C", "m_LFE", "m_Ls", "m_R"}, []string{"m_L", "m_R", "m_C", "m_LFE", "m_Ls", "m_Rs"}, "by speaker, in the default order of the layout", 0x3F},
		{[]string{"m_R", "m_C", "m_L"}, []string{"m_L", "m_C", "m_R"}, "by speaker, in the default order of the layout", 0},
		{[]string{"m_R", "m_L"}, []string{"m_L", "m_R"}, "by speaker, in the default order of the layout", 0}, // plain 16-bit stereo has no mask and needs none
		{[]string{"x_10", "x_9", "x_1"}, []string{"x_1", "x_9", "x_10"}, "by the channel number in the name", 0},
		{[]string{"b", "a"}, []string{"b", "a"}, "as given: neither metadata nor names tell the order", 0},
		{[]string{"x_1", "b"}, []string{"x_1", "b"}, "as given: neither metadata nor names tell the order", 0},
	} {
		dir := t.TempDir()
		var paths, got []string
		for _, n := range c.names {
			paths = append(paths, mono(t, filepath.Join(dir, n+".wav"), 10, audio.S16, 48000))
		}
		out := filepath.Join(dir, "out.wav")
		j := join(t, paths, poly.JoinOptions{Out: out})
		for _, m := range j.Members {
			got = append(got, strings.TrimSuffix(filepath.Base(m.Path), ".wav"))
		}
		assert.Equal(t, c.want, got)
		assert.Equal(t, c.reason, j.Reason)
		s, _ := samples(t, out)
		assert.Equal(t, c.mask, s.Format.Mask, "%v", c.names)
		j = join(t, paths, poly.JoinOptions{Out: out, AsGiven: true, Force: true})
		assert.Equal(t, paths[0], j.Members[0].Path)
	}
}

func TestJoinRefusals(t *testing.T) {
	dir := t.TempDir()
	a := mono(t, filepath.Join(dir, "a_1.wav"), 100, audio.S16, 48000)
	shorter := mono(t, filepath.Join(dir, "a_2.wav"), 90, audio.S16, 48000)
	other := mono(t, filepath.Join(dir, "a_3.wav"), 100, audio.S24, 48000)
	slow := mono(t, filepath.Join(dir, "a_4.wav"), 100, audio.S16, 44100)
	third, second := recorderFile(t, dir, "t3.wav", "3", 1000), recorderFile(t, dir, "t2.wav", "2", 1000)
	later := recorderFile(t, dir, "t3b.wav", "3", 1001)
	out := filepath.Join(dir, "out.wav")
	for code, paths := range map[string][]string{
		"rate_differs": {a, slow}, "coding_differs": {a, other}, "length_differs": {a, shorter}, "family_differs": {third, second},
		"start_differs": {third, later}, "twice": {a, a}, "not_found": {a, filepath.Join(dir, "none.wav")},
	} {
		_, err := poly.PlanJoin(paths, poly.JoinOptions{Out: out})
		if assert.Error(t, err, code) {
			assert.Equal(t, code, snag.Of(err).Code, "%v", err)
		}
	}
	_, err := os.Stat(out)
	assert.ErrorIs(t, err, os.ErrNotExist, "a refused join writes nothing")
	j := join(t, []string{a, shorter}, poly.JoinOptions{Out: out, Pad: true})
	assert.EqualValues(t, 100, j.Frames)
	assert.Equal(t, "padded", j.Snags[len(j.Snags)-1].Code)
	join(t, []string{third, second}, poly.JoinOptions{Out: out, Anyway: true, Force: true})
}

func TestPaddingIsSilence(t *testing.T) {
	dir := t.TempDir()
	long, short := mono(t, filepath.Join(dir, "a_1.wav"), 4, audio.U8, 8000), mono(t, filepath.Join(dir, "a_2.wav"), 2, audio.U8, 8000)
	out := filepath.Join(dir, "out.wav")
	join(t, []string{long, short}, poly.JoinOptions{Out: out, Pad: true})
	_, raw := samples(t, out)
	assert.Equal(t, []byte{0, 0, 0, 0, 0, 128, 0, 128}, raw, "the zero of unsigned samples is 128")
}
