package cli_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/picture/picturetest"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

const tenOClock = 10 * 3600 * 48000

// mixHouse writes what comes from a mix house: six mono files that lie on one timeline, each from its own start.
func mixHouse(t *testing.T, dir string) (paths []string, sound map[string][]float64) {
	rng := rand.New(rand.NewPCG(15, 6))
	sound = map[string][]float64{}
	for i, name := range []string{"LF_DX.L", "LF_DX.R", "LF_MX.L", "LF_MX.R", "LF_FX.L", "LF_FX.R"} {
		x := noise(rng, 96000)
		sound[name] = x
		path := filepath.Join(dir, name+".wav")
		late := int64(i / 2 * 1000)
		ix := wave.NewIXML()
		ix.SetSpeed(48000, 24, tenOClock+late, timecode.Rate{Num: 25, Den: 1})
		testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 1}, IXML: ix, Bext: &wave.Bext{TimeReference: uint64(tenOClock + late), Version: 1}}, x)
		paths = append(paths, path)
	}
	return paths, sound
}

func TestDeliverAndVerify(t *testing.T) {
	dir := t.TempDir()
	paths, sound := mixHouse(t, filepath.Join(dir))
	out := filepath.Join(dir, "out")
	args := append([]string{"deliver", "--spec", "Stem master, three stereo stems", "--weave", "Stereo stems DX MX FX", "--production", "Lantern Ferry", "--reel", "R1", "--out", out, "--json"}, paths...)
	said, err := output(t, args...)
	require.NoError(t, err, said)
	v := lines(t, said)[0]
	assert.Equal(t, "10:00:00:00", v["start_timecode"])
	assert.InDelta(t, 98000, v["frames"], 0)
	assert.Equal(t, true, v["proof"].(map[string]any)["passed"])
	master := filepath.Join(out, "Lantern Ferry_R1_STEMS.wav")
	got, _ := samples(t, master)
	require.Len(t, got, 6)
	for i, name := range []string{"LF_DX.L", "LF_DX.R", "LF_MX.L", "LF_MX.R", "LF_FX.L", "LF_FX.R"} {
		want := make([]float64, 98000)
		copy(want[i/2*1000:], sound[name])
		assert.True(t, slices.Equal(want, got[i]), name)
	}
	for _, kind := range []string{"pdf", "csv", "json", "mhl"} {
		assert.FileExists(t, filepath.Join(out, "Lantern Ferry - R1 - Stem master, three stereo stems - v1."+kind))
	}
	_, err = output(t, args...)
	require.ErrorAs(t, err, new(cli.Reported), "it is there")

	// As anybody checks it, and with one sample changed.
	said, err = output(t, "verify", out, "--spec", "Stem master, three stereo stems")
	require.NoError(t, err, said)
	assert.Contains(t, said, "as it is asked for")
	b, err := os.ReadFile(master)
	require.NoError(t, err)
	b[len(b)-1] ^= 1
	require.NoError(t, os.WriteFile(master, b, 0o600))
	said, err = output(t, "verify", out, "--spec", "Stem master, three stereo stems")
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Contains(t, said, "hash, by Lantern Ferry - R1")
	assert.Equal(t, 3, cli.Status(err))

	// Dialogue replaced by a copy of the music, with no list of hashes beside it.
	apart := filepath.Join(dir, "apart")
	said, err = output(t, append([]string{"deliver", "--spec", "Stem master, three stereo stems", "--packing", "mono", "--production", "P", "--out", apart}, paths...)...)
	require.NoError(t, err, said)
	mono, err := filepath.Glob(filepath.Join(apart, "*.wav"))
	require.NoError(t, err)
	require.Len(t, mono, 6)
	slices.Sort(mono)
	said, err = output(t, "verify", apart, "--spec", "Stem master, three stereo stems", "--packing", "mono")
	require.NoError(t, err, said)
	lists, err := filepath.Glob(filepath.Join(apart, "*.mhl"))
	require.NoError(t, err)
	for _, l := range lists {
		require.NoError(t, os.Remove(l))
	}
	for i := range 2 {
		b, err := os.ReadFile(mono[2+i])
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(mono[i], b, 0o600))
	}
	said, err = output(t, "verify", apart, "--spec", "Stem master, three stereo stems", "--packing", "mono")
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Contains(t, said, "the sound of MX L: the same as DX L of P_STEMS_01_DX L.wav, sample by sample instead of its own")

	// The same files are no six mono files.
	said, err = output(t, "verify", out, "--spec", "Stem master, three stereo stems", "--packing", "mono", "--json")
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Equal(t, false, lines(t, said)[0]["passed"])

	// A test of a second, named so, to a spec of one's own.
	spec := delivery.ThreeStereoStems()
	spec.Name, spec.Packings, spec.Papers = "Own", spec.Packings[1:], []string{"json"}
	raw, err := json.Marshal(spec)
	require.NoError(t, err)
	own := filepath.Join(dir, "own.json")
	require.NoError(t, os.WriteFile(own, raw, 0o600))
	test := filepath.Join(dir, "test")
	said, err = output(t, append([]string{"deliver", "--spec", own, "--weave", "Stereo stems DX MX FX", "--out", test, "--span", "10:00:00:10-10:00:01:10", "--production", "P"}, paths...)...)
	require.NoError(t, err, said)
	got, _ = samples(t, filepath.Join(test, "P_STEMS_03_MX L_TEST.wav"))
	assert.True(t, slices.Equal(sound["LF_MX.L"][19200-1000:19200-1000+48000], got[0]))

	// What a killed process left is cleared away by the next that writes there; what one that lives has is not.
	gone, alive := filepath.Join(test, ".delivering-999999999-1"), filepath.Join(test, fmt.Sprintf(".delivering-%d-1", os.Getpid()))
	require.NoError(t, os.Mkdir(gone, 0o700))
	require.NoError(t, os.Mkdir(alive, 0o700))
	said, err = output(t, append([]string{"deliver", "--spec", own, "--weave", "Stereo stems DX MX FX", "--out", test, "--production", "P", "--force"}, paths...)...)
	require.NoError(t, err, said)
	assert.NoDirExists(t, gone)
	assert.DirExists(t, alive)

	// What can't be is said before anything is written.
	for _, bad := range [][]string{
		{"deliver", "--spec", "No such", "--out", test, paths[0]},
		{"deliver", "--spec", own, "--weave", "Stereo stems DX MX FX", "--out", filepath.Join(dir, "never"), "--span", "09:00:00:00-09:00:01:00", paths[0]},
	} {
		_, err = output(t, bad...)
		require.ErrorAs(t, err, new(cli.Reported), "%v", bad)
	}
	// One track with a template of three stems leaves four outputs silent.
	said, err = output(t, "deliver", "--spec", "Stem master, three stereo stems", "--out", filepath.Join(dir, "never"), paths[0], paths[1])
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Contains(t, said, "outputs 3 to 6 would be silent: nothing that sounds is sent to MX, FX (output_silent)")
	assert.NoDirExists(t, filepath.Join(dir, "never"))
	_, err = output(t, "deliver", paths[0])
	assert.ErrorAs(t, err, new(cli.UsageError))
	_, err = output(t, "verify", out)
	assert.ErrorAs(t, err, new(cli.UsageError))
}

// Six channels go into four streams beside a picture that is copied untouched, and the sound is as long as the picture.
func TestDeliverWithPicture(t *testing.T) {
	dir := t.TempDir()
	clip := filepath.Join(dir, "clip.mov")
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=1.6", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-timecode", "10:00:00:00", clip).Run())
	paths, sound := mixHouse(t, dir)
	out := filepath.Join(dir, "out")
	short := append([]string{"deliver", "--spec", "Picture with six channels in four streams", "--weave", "Full mix, DX, VO, MX on six channels", "--picture", clip, "--production", "LF", "--out", out, "--json"}, paths[2:4]...)
	// Half a second of sound has no picture, and two stems have no sound: nothing is made before somebody says so.
	said, err := output(t, short...)
	require.ErrorAs(t, err, new(cli.Unmet))
	v := lines(t, said)[0]
	assert.Equal(t, false, v["written"])
	assert.Contains(t, said, "the sound of the reel from 10:00:01:15 to 10:00:02:00 lies outside of the picture clip.mov")
	assert.NoDirExists(t, out)
	// Or black is made for it, and nothing is missing.
	said, err = output(t, append(slices.Clone(short), "--black", "--accept", "output_silent", "--out", filepath.Join(dir, "black"))...)
	require.NoError(t, err, said)
	v = lines(t, said)[0]
	assert.InDelta(t, 51*1920, v["frames"], 0)
	assert.Equal(t, true, v["proof"].(map[string]any)["passed"])
	assert.Equal(t, "black is made from 10:00:01:15 to 10:00:02:01 (11 frames), of the size and rate of clip.mov, all of which is coded anew as H.264", v["picture"])
	_, err = output(t, "deliver", "--spec", "M&E", "--black", "--out", out, paths[0])
	require.ErrorAs(t, err, new(cli.UsageError))
	said, err = output(t, append(short, "--accept", "not_delivered,output_silent")...)
	require.NoError(t, err, said)
	v = lines(t, said)[0]
	assert.InDelta(t, 1.6*48000, v["frames"], 0)
	proof := v["proof"].(map[string]any)
	assert.Equal(t, true, proof["passed"])
	checks := proof["files"].([]any)[0].(map[string]any)["checks"].([]any)
	assert.True(t, slices.ContainsFunc(checks, func(c any) bool { return c.(map[string]any)["what"] == "picture, packet by packet (MD5)" }))
	parts := filepath.Join(dir, "parts")
	_, err = output(t, "unwrap", filepath.Join(out, "LF.mov"), "--out", parts)
	require.NoError(t, err)
	files, err := filepath.Glob(filepath.Join(parts, "*.wav"))
	require.NoError(t, err)
	require.Len(t, files, 4)
	slices.Sort(files)
	music, _ := samples(t, files[3])
	want := make([]float64, 76800)
	copy(want[1000:], sound["LF_MX.L"])
	assert.True(t, slices.Equal(want, music[0]))

	// The same as an MXF, which without a picture can't be.
	i := slices.IndexFunc(delivery.Shipped(), func(s delivery.Spec) bool { return s.Name == "Picture with six channels in four streams" })
	spec := delivery.Shipped()[i]
	spec.Name, spec.Packings[0].Files[0].Container = "As MXF", "mxf"
	raw, err := json.Marshal(spec)
	require.NoError(t, err)
	own := filepath.Join(dir, "mxf.json")
	require.NoError(t, os.WriteFile(own, raw, 0o600))
	require.NoError(t, exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=720x576:rate=25:duration=1.6", "-c:v", "mpeg2video", "-pix_fmt", "yuv422p", "-b:v", "10M", "-timecode", "10:00:00:00", filepath.Join(dir, "clip.mxf")).Run())
	args := append([]string{"deliver", "--spec", own, "--weave", "Full mix, DX, VO, MX on six channels", "--production", "LF", "--out", filepath.Join(dir, "mxf"), "--json", "--accept", "not_delivered,output_silent"}, paths[2:4]...)
	said, err = output(t, args...)
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Contains(t, said, "no_picture")
	said, err = output(t, append(args, "--picture", filepath.Join(dir, "clip.mxf"))...)
	require.NoError(t, err, said)
	assert.Equal(t, true, lines(t, said)[0]["proof"].(map[string]any)["passed"])
}

// A span is cut down with its picture from the command line, to files that are named, and says how the picture was cut.
func TestDeliverACutDown(t *testing.T) {
	dir := t.TempDir()
	paths, _ := mixHouse(t, dir)
	pictured := picturetest.Numbered(t, filepath.Join(dir, "P.mov"), 60, "25", "-c:v", "libx264", "-g", "10", "-bf", "0", "-pix_fmt", "yuv420p", "-timecode", "10:00:00:00")
	out := filepath.Join(dir, "out")
	args := func(span string, more ...string) []string {
		base := []string{"deliver", "--spec", "Cut-down with its picture", "--packing", "tracks", "--production", "LF", "--out", out, "--span", span, "--picture", pictured, "--json"}
		return append(append(base, more...), paths...)
	}
	said, err := output(t, args("10:00:00:10-10:00:01:00", "--cut", "--only", "LF_DX,LF_MX")...)
	require.NoError(t, err, said)
	v := lines(t, said)[0]
	assert.Equal(t, "10:00:00:10", v["start_timecode"])
	assert.InDelta(t, 15*1920, v["frames"], 0)
	assert.Equal(t, false, v["test"])
	assert.Contains(t, v["picture"], "is copied")
	assert.Len(t, v["files"], 3)
	seen := picturetest.Numbers(t, filepath.Join(out, "LF_10000010-10000100_PICTURE.mov"))
	require.Len(t, seen, 15)
	assert.Equal(t, []int{10, 24}, []int{seen[0], seen[14]})

	said, err = output(t, args("10:00:00:11-10:00:01:00", "--cut", "--only", "LF_DX")...)
	require.NoError(t, err, said)
	assert.Contains(t, said, "coded anew as H.264: it does not begin with a key frame; there are such at 10:00:00:10 and at 10:00:00:20")
	assert.Equal(t, 11, picturetest.Numbers(t, filepath.Join(out, "LF_10000011-10000100_PICTURE.mov"))[0])

	_, err = output(t, args("10:00:00:11-10:00:01:00", "--cut", "--only", "Nobody")...)
	require.ErrorAs(t, err, new(cli.Reported))
	_, err = output(t, "deliver", "--spec", "Cut-down with its picture", "--out", out, "--cut", paths[0])
	require.ErrorAs(t, err, new(cli.UsageError))
}

// What a stranger does: files that name nothing, four components of a field, two narrations.
func TestDeliverAsksWhatIsNotCertain(t *testing.T) {
	dir := t.TempDir()
	rng := rand.New(rand.NewPCG(29, 1))
	write := func(name string, labels []string, channels int) (string, [][]float64) {
		sound := make([][]float64, channels)
		for c := range sound {
			sound[c] = noise(rng, 48000)
		}
		o := wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: channels}}
		if labels != nil {
			o.IXML = wave.NewIXML()
			var tracks []wave.IXMLTrack
			for c, l := range labels {
				tracks = append(tracks, wave.IXMLTrack{Recorder: c + 1, Interleave: c + 1, Name: l})
			}
			o.IXML.SetTracks(tracks)
		}
		path := filepath.Join(dir, name)
		testmedia.WriteAs(t, path, o, sound...)
		return path, sound
	}
	score, sound := write("1M1 take.wav", nil, 2)
	field, components := write("Deck FX.wav", []string{"ACN 0", "ACN 1", "ACN 2", "ACN 3"}, 4)
	english, _ := write("VO_EN.wav", nil, 1)
	portuguese, _ := write("VO_PT.wav", nil, 1)
	own := delivery.ThreeStereoStems()
	own.Name, own.Template, own.Outputs, own.Papers = "One file a track", "", nil, nil
	own.Packings = []delivery.Packing{{ID: "tracks", Says: "tracks", Files: []delivery.FileRule{{Each: delivery.EachTrack, Container: "wav", Name: "{number}_{track}"}}}}
	raw, err := json.Marshal(own)
	require.NoError(t, err)
	tracks := filepath.Join(dir, "tracks.json")
	require.NoError(t, os.WriteFile(tracks, raw, 0o600))
	deliver := func(args ...string) (map[string]any, string, error) {
		said, err := output(t, append([]string{"deliver", "--production", "P", "--json"}, args...)...)
		return lines(t, said)[0], said, err
	}

	_, said, err := deliver("--spec", tracks, "--out", filepath.Join(dir, "a"), "--rate", "25", score)
	require.ErrorAs(t, err, new(cli.Unmet), said)
	assert.Contains(t, said, "it is not certain that channels 1 and 2 are a stereo pair")
	assert.NoDirExists(t, filepath.Join(dir, "a"))
	for read, files := range map[string]int{"1M1*=pair": 1, "1M1 take.wav=apart": 2} {
		out := filepath.Join(dir, read)
		v, said, err := deliver("--spec", tracks, "--out", out, "--read", read, score)
		require.NoError(t, err, said)
		assert.Len(t, v["files"], files)
		made, err := filepath.Glob(filepath.Join(out, "*.wav"))
		require.NoError(t, err)
		slices.Sort(made)
		require.Len(t, made, files)
		for i, path := range made {
			got, _ := samples(t, path)
			for c := range got {
				assert.True(t, slices.Equal(sound[i+c], got[c]), "%s: %d", path, c)
			}
		}
	}
	_, said, err = deliver("--spec", tracks, "--out", filepath.Join(dir, "x"), "--read", "1M1*=5.1", score)
	require.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, said, "which can be read as: pair, mid-side, apart")
	// A file that is the sum of what lies beside it is left off, unless it is said to be something else.
	sums := make([]float64, len(sound[0]))
	for i := range sums {
		sums[i] = math.Round((sound[0][i]/2+sound[1][i]/4)*(1<<23)) / (1 << 23)
	}
	rough := filepath.Join(dir, "1M1 rough mix.wav")
	testmedia.WriteAs(t, rough, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 1}}, sums)
	for read, left := range map[string]bool{"1M1 take*=apart": true, "1M1 r*=mix": true, "1M1 r*=apart": false} {
		v, said, _ := deliver("--spec", "Stem master, three stereo stems", "--dry-run", "--read", "1M1 take*=apart", "--read", read, "--out", filepath.Join(dir, "y"), score, rough)
		tracks := v["tracks"].([]any)
		require.Len(t, tracks, 3, said)
		if left {
			assert.Contains(t, fmt.Sprint(tracks[2]), "left off: a mix of the others", read)
		} else {
			assert.NotContains(t, fmt.Sprint(tracks[2]), "left off", read)
		}
	}
	_, err = output(t, "deliver", "--spec", tracks, "--out", dir, "--read", "No*=pair", score)
	require.ErrorAs(t, err, new(cli.UsageError))

	// Components are a field, whose Y and Z are heard.
	v, said, err := deliver("--spec", tracks, "--out", filepath.Join(dir, "field"), field)
	require.NoError(t, err, said)
	assert.Equal(t, "ambisonic 1 SN3D", v["tracks"].([]any)[0].(map[string]any)["layout"])
	made, err := filepath.Glob(filepath.Join(dir, "field", "*.wav"))
	require.NoError(t, err)
	require.Len(t, made, 1)
	got, _ := samples(t, made[0])
	require.Len(t, got, 4)
	for c := range got {
		assert.True(t, slices.Equal(components[c], got[c]))
	}

	// Narrations are summed into nothing.
	_, said, err = deliver("--spec", "Stem master, three stereo stems", "--out", filepath.Join(dir, "vo"), english, portuguese)
	require.ErrorAs(t, err, new(cli.Unmet))
	assert.Contains(t, said, "VO EN has no place")
	v, said, err = deliver("--spec", "Stem master, three stereo stems", "--dry-run", "--route", "FX=VO_PT", "--route", "DX=VO EN", english, portuguese)
	require.ErrorAs(t, err, new(cli.Unmet), said)
	routed := v["tracks"].([]any)
	assert.Equal(t, "DX, mono on both sides, 0 dB", routed[0].(map[string]any)["ways"])
	assert.Equal(t, "FX, mono on both sides, 0 dB", routed[1].(map[string]any)["ways"])
	assert.Contains(t, said, "outputs 3 and 4 would be silent")
	_, said, err = deliver("--spec", "Stem master, three stereo stems", "--dry-run", "--route", "XX=VO*", english)
	require.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, said, "there is no stem or bus XX (DX, MX, FX)")
}
