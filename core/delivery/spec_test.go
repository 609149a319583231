package delivery_test

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/loudness"
	"zestyloom/core/picture"
	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

var pal = timecode.Rate{Num: 25, Den: 1}

func TestShippedSpecs(t *testing.T) {
	names := map[string]bool{}
	for _, s := range delivery.Shipped() {
		require.NoError(t, s.Check(), s.Name)
		assert.False(t, names[s.Name], s.Name)
		names[s.Name] = true
		if s.Template != "" {
			assert.True(t, slices.ContainsFunc(weave.Shipped(), func(w weave.Template) bool { return w.Name == s.Template }), "%s: %s", s.Name, s.Template)
		}
		b, err := json.Marshal(s)
		require.NoError(t, err)
		back, err := delivery.ParseSpec(b)
		require.NoError(t, err)
		assert.Equal(t, s, back)
	}
	assert.Len(t, names, 17)
}

// A spec as it was kept before specs had files in them is still read, and is what it was.
func TestAFormerSpecIsRead(t *testing.T) {
	var s delivery.Spec
	require.NoError(t, json.Unmarshal([]byte(`{"name":"Old","description":"d","outputs":["A","B"],"pairs":[[1,2]],"sample_rate":48000,"coding":"s24","dither":true,"packings":["poly","mono"],"pattern":"{production}_{number}"}`), &s))
	require.NoError(t, s.Check())
	assert.Equal(t, []string{"A", "B"}, s.Outputs)
	assert.True(t, s.Dither)
	p, ok := s.Packing("mono")
	require.True(t, ok)
	assert.Equal(t, delivery.FileRule{Each: delivery.EachOutput, Container: "wav", Name: "{production}_{number}"}, p.Files[0])
}

func TestSpecsThatCantBe(t *testing.T) {
	base := delivery.ThreeStereoStems
	for says, change := range map[string]func(s *delivery.Spec){
		"of format 1":         func(s *delivery.Spec) { s.Format = 1 },
		"needs a name":        func(s *delivery.Spec) { s.Name = " " },
		"version is 0":        func(s *delivery.Spec) { s.Version = 0 },
		"sample rate of 10":   func(s *delivery.Spec) { s.SampleRate = 10 },
		"1 to 20 packings":    func(s *delivery.Spec) { s.Packings = nil },
		"an ID of its own":    func(s *delivery.Spec) { s.Packings[1].ID = "poly" },
		`container "tape"`:    func(s *delivery.Spec) { s.Packings[0].Files[0].Container = "tape" },
		"samples in flac are": func(s *delivery.Spec) { s.Coding, s.Packings[0].Files[0].Container = "f32", "flac" },
		"for each \"moon\"":   func(s *delivery.Spec) { s.Packings[0].Files[0].Each = "moon" },
		"takes no groups":     func(s *delivery.Spec) { s.Packings[1].Files[0].Groups = []delivery.Group{{Layout: "mono", Bus: "DX"}} },
		"has 2 channels, and 1": func(s *delivery.Spec) {
			s.Packings[0].Files[0].Groups = []delivery.Group{{Layout: "stereo", Outputs: []string{"DX L"}}}
		},
		"outputs by their names, or": func(s *delivery.Spec) { s.Packings[0].Files[0].Groups = []delivery.Group{{Layout: "stereo"}} },
		"there is no film order of 4": func(s *delivery.Spec) {
			s.Packings[0].Files[0].Order, s.Packings[0].Files[0].Groups = "film", []delivery.Group{{Layout: "quad", Bus: "DX"}}
		},
		"{moon} is not known":           func(s *delivery.Spec) { s.Packings[0].Files[0].Name = "{moon}" },
		"length of what is":             func(s *delivery.Spec) { s.Programme.Length = "" },
		"silence, slate, black or tone": func(s *delivery.Spec) { s.Programme.Before = []delivery.Segment{{What: "noise", Seconds: 1}} },
		"a pop lies two seconds":        func(s *delivery.Spec) { s.Programme.Pop = &delivery.Pop{LevelDBFS: -20} },
		"a tail pop lies": func(s *delivery.Spec) {
			s.Programme.Before = []delivery.Segment{{What: "silence", Seconds: 2}}
			s.Programme.Pop = &delivery.Pop{LevelDBFS: -20, Tail: true}
		},
		"is no timecode":    func(s *delivery.Spec) { s.Programme.Start = "noon" },
		"limits say what":   func(s *delivery.Spec) { s.Limits = []delivery.Asked{{Limits: loudness.Known()["r128"]}} },
		"papers are":        func(s *delivery.Spec) { s.Papers = []string{"fax"} },
		"letters of names":  func(s *delivery.Spec) { s.Names.Letters = "runes" },
		"{output} is not":   func(s *delivery.Spec) { s.Folder = "{production}/{output}" },
		"layout \"square\"": func(s *delivery.Spec) { s.Packings[1].Files[0].Layout = "square" },
		"pop: a tone of 5 H": func(s *delivery.Spec) {
			s.Programme.Before, s.Programme.Pop = []delivery.Segment{{What: "silence", Seconds: 2}}, &delivery.Pop{LevelDBFS: -20, Hz: 5}
		},
	} {
		s := base()
		change(&s)
		assert.ErrorContains(t, s.Check(), says)
	}
	_, err := delivery.ParseSpec([]byte(`{"format":2,"name":"x","colour":"red"}`))
	assert.ErrorContains(t, err, "colour")
}

// surround gives a fixture a 5.1 mix of two stems in 5.1 and a stereo fold-down, and sends its tracks there.
func (f *fixture) surround() {
	w := weave.Weave{Sends: map[string][]weave.Send{}}
	w.Buses = []weave.Bus{
		{ID: "DX", Name: "DX", Role: weave.Stem, Kind: "DX", Layout: "5.1"}, {ID: "MX", Name: "MX", Role: weave.Stem, Kind: "MX", Layout: "5.1"},
		{ID: "FM", Name: "Full mix", Role: weave.Mix, Layout: "5.1"}, {ID: "ST", Name: "Full mix stereo", Role: weave.Mix, Layout: "stereo"},
		{ID: "Ines", Name: "Ines", Role: weave.Part, Of: "DX", Layout: "5.1"},
	}
	w.Sends["DX"], w.Sends["MX"] = []weave.Send{{To: "FM"}}, []weave.Send{{To: "FM"}}
	w.Sends["Ines"] = []weave.Send{{To: "DX"}}
	w.Sends["FM"] = []weave.Send{{To: "ST", Patch: weave.Patch{Preset: weave.Folded}}}
	at := func(to string, row int, gain float64) []weave.Send {
		m := make(audio.Matrix, 6)
		for i := range m {
			m[i] = []float64{0}
		}
		m[row][0] = 1
		return []weave.Send{{To: to, GainDB: gain, Patch: weave.Patch{Preset: weave.Custom, Matrix: m}}}
	}
	for i, t := range f.reel.Tracks {
		w.Sends[t.ID] = at([]string{"Ines", "MX"}[i%2], i%6, 0)
	}
	for c, s := range []string{"L", "R", "C", "LFE", "Ls", "Rs"} {
		w.Outputs = append(w.Outputs, weave.Output{Name: "Mix " + s, Bus: "FM", Channel: c, Group: "g"})
	}
	w.Groups = []weave.Group{{ID: "g", Layout: "5.1"}}
	f.reel.Weave = w
}

// made makes a plan of a spec, writes it and proves it.
func (f *fixture) made(t *testing.T, o delivery.Order) (delivery.Plan, string, delivery.Proof) {
	t.Helper()
	o.Titles, o.Date, o.Time = delivery.Titles{Production: "Lantern Ferry", Episode: "Ep 2", Reel: "Reel 1"}, "2026-03-14", "10:00:00"
	plan, err := delivery.Make(o, f.reel, pal, 48000)
	require.NoError(t, err)
	for _, p := range plan.Problems {
		require.False(t, p.Stops, p.Message)
	}
	dir := t.TempDir()
	_, err = delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	proof, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	return plan, dir, proof
}

func custom(rules ...delivery.FileRule) delivery.Spec {
	s := delivery.ThreeStereoStems()
	s.Name, s.Outputs, s.Packings = "Custom", nil, []delivery.Packing{{ID: "files", Says: "files", Files: rules}}
	return s
}

// What is in film order stands in film order, in the files and by name; the mix is its stems, bit for bit.
func TestOrdersAndSums(t *testing.T) {
	f := newFixture(t, 0.1)
	f.surround()
	group := func(bus string) []delivery.Group { return []delivery.Group{{Layout: "5.1", Bus: bus}} }
	s := custom(
		delivery.FileRule{Groups: group("Full mix"), Order: "film", Container: "wav", Name: "mix"},
		delivery.FileRule{Each: delivery.EachStem, Container: "wav", Name: "{stem}"},
		delivery.FileRule{Groups: group("Full mix"), Order: "film", Split: true, Container: "wav", Name: "mix.{speaker}"},
		delivery.FileRule{Groups: []delivery.Group{{Layout: "stereo", Bus: "Full mix stereo"}}, Container: "wav", Name: "stereo"},
	)
	plan, dir, proof := f.made(t, delivery.Order{Spec: s})
	assert.True(t, proof.Passed, proof.Failures())
	_, film := read(t, filepath.Join(dir, "mix.wav"))
	_, dx := read(t, filepath.Join(dir, "DX.wav"))
	_, mx := read(t, filepath.Join(dir, "MX.wav"))
	for i, k := range []int{0, 2, 1, 4, 5, 3} { // L C R Ls Rs LFE
		_, alone := read(t, filepath.Join(dir, "mix."+[]string{"L", "C", "R", "Ls", "Rs", "LFE"}[i]+".wav"))
		assert.Equal(t, film[i], alone[0])
		for n := range film[i] {
			require.Equal(t, dx[k][n]+mx[k][n], film[i][n])
		}
	}
	assert.Equal(t, "Full mix C", plan.Files[0].Channels[1].Name)
	require.Len(t, proof.Sums, 2)
	assert.Equal(t, "Full mix is DX + MX, bit for bit", proof.Sums[0].Says)
	assert.True(t, proof.Sums[1].OK, "%+v", proof.Sums[1])
	assert.Positive(t, proof.Sums[1].Peak, "a fold-down is rounded")

	// One step more in one sample of the mix is found, as a sample and as a sum.
	path := filepath.Join(dir, "mix.wav")
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	b[len(b)-18*500] += 3
	require.NoError(t, os.WriteFile(path, b, 0o600))
	again, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.False(t, again.Passed)
	assert.False(t, again.Sums[0].OK)
	assert.Contains(t, strings.Join(again.Failures(), "\n"), "mix.wav: channel 1 (Full mix L): 1 samples differ")
}

// Tone, pops and silence stand to the sample where timecode says, whatever the rate counts; and a proof notices when they
// do not.
func TestBeforeAndAfterProgramme(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	s := custom(delivery.FileRule{Container: "wav", Name: "all"})
	s.Programme = delivery.Programme{
		Length: "reel", WholeFrames: true, Before: []delivery.Segment{{What: "tone", Seconds: 2, LevelDBFS: -18}, {What: "slate", Seconds: 1}, {What: "black", Seconds: 2}},
		Pop: &delivery.Pop{LevelDBFS: -20, Tail: true}, After: []delivery.Segment{{What: "silence", Seconds: 4}},
	}
	plan, dir, proof := f.made(t, delivery.Order{Spec: s})
	require.True(t, proof.Passed, proof.Failures())
	assert.EqualValues(t, start-5*48000, plan.Start)
	_, got := read(t, filepath.Join(dir, "all.wav"))
	frame := 1920
	sounding := func(from, to int) (first, last int, peak float64) {
		first, last = -1, -1
		for i, v := range got[5][from:to] {
			if v != 0 {
				if first < 0 {
					first = from + i
				}
				last = from + i
				peak = max(peak, math.Abs(float64(v))/(1<<23))
			}
		}
		return first, last, audio.Decibels(peak)
	}
	first, last, peak := sounding(0, 2*48000)
	assert.Equal(t, []int{1, 2*48000 - 1}, []int{first, last}, "a sine begins with nothing")
	assert.InDelta(t, -18, peak, 0.01)
	first, last, peak = sounding(2*48000, 5*48000)
	assert.Equal(t, []int{3*48000 + 1, 3*48000 + frame - 1}, []int{first, last})
	assert.InDelta(t, -20, peak, 0.01)
	// 60018 samples of programme are 31.26 frames, 32 as a whole; the last of them is number 31.
	assert.EqualValues(t, 32*frame, plan.Frames-plan.Lead-plan.Tail)
	end := 5*48000 + 32*frame
	first, last, _ = sounding(end, len(got[0]))
	assert.Equal(t, []int{5*48000 + (31+50)*frame + 1, 5*48000 + (31+51)*frame - 1}, []int{first, last})

	path := filepath.Join(dir, "all.wav")
	whole, err := os.ReadFile(path)
	require.NoError(t, err)
	head := len(whole) - int(plan.Frames)*18
	for says, change := range map[string]func(b []byte){
		"2-pop at": func(b []byte) { clear(b[head+3*48000*18 : head+(3*48000+frame)*18]) },
		"tone at":  func(b []byte) { clear(b[head : head+48000*18]) },
		"tail pop at": func(b []byte) {
			copy(b[head+(end+100)*18:], b[head+3*48000*18:head+(3*48000+frame)*18])
			clear(b[head+(5*48000+81*frame)*18:])
		},
	} {
		b := slices.Clone(whole)
		change(b)
		require.NoError(t, os.WriteFile(path, b, 0o600))
		p, err := delivery.Prove(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
		require.NoError(t, err)
		assert.Contains(t, strings.Join(p.Failures(), "\n"), says)
	}

	// At 23.976 and 29.97 drop frame seconds of timecode are no whole seconds: everything keeps to frames.
	for _, rate := range []timecode.Rate{{Num: 24000, Den: 1001}, {Num: 30000, Den: 1001, Drop: true}} {
		plan, err := delivery.Make(delivery.Order{Spec: s}, f.reel, rate, 48000)
		require.NoError(t, err)
		programme := plan.Start + plan.Lead
		at := rate.FrameAt(programme, 48000)
		off := programme - rate.SampleAt(at, 48000)
		assert.Equal(t, rate.SampleAt(at-5*rate.Base(), 48000)+off, plan.Start, rate)
		for _, tone := range plan.Tones {
			if tone.Says == "2-pop" {
				assert.Equal(t, rate.SampleAt(at-2*rate.Base(), 48000)+off, plan.Start+tone.From, rate)
			}
		}
	}
}

// Every container holds the same samples, and says of itself what it can.
func TestContainers(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("1/1", "MX", -3, weave.Left)
	var rules []delivery.FileRule
	for _, c := range slices.Sorted(maps.Keys(delivery.Containers)) {
		for _, coding := range delivery.Containers[c].Codings {
			if delivery.Containers[c].Picture || c == "flac" { // which can't say that six channels are three pairs
				continue
			}
			rules = append(rules, delivery.FileRule{Container: c, Coding: coding, Name: c + "_" + coding})
		}
	}
	s := custom(rules...)
	s.Dither = true
	plan, dir, proof := f.made(t, delivery.Order{Spec: s})
	require.True(t, proof.Passed, proof.Failures())
	assert.Empty(t, proof.Notes, "ffprobe looked at them too")
	byCoding := map[string][]string{}
	for i, fp := range proof.Files {
		var hashes []string
		for _, c := range fp.Channels {
			hashes = append(hashes, c.Hash)
		}
		if before, there := byCoding[plan.Files[i].Coding]; there {
			assert.Equal(t, before, hashes, fp.Name)
		}
		byCoding[plan.Files[i].Coding] = hashes
		src, err := source.Open(filepath.Join(dir, fp.Name))
		require.NoError(t, err)
		want := map[string]string{"wav": "RIFF", "rf64": "RF64", "bw64": "BW64", "w64": "W64", "aiff": "AIFF-C"}[plan.Files[i].Container]
		assert.Equal(t, want, src.Container)
		require.NoError(t, src.Close())
	}
}

// Streams of a file without a picture are grouped as they are ordered, each with its name.
func TestStreams(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("1/1", "MX", 0, weave.Left)
	groups := []delivery.Group{{Layout: "stereo", Outputs: []string{"DX L", "DX R"}}, {Layout: "mono", Outputs: []string{"MX L"}, Name: "Music left"}, {Layout: "mono", Outputs: []string{"MX R"}}, {Layout: "stereo", Outputs: []string{"FX L", "FX R"}}}
	s := custom(delivery.FileRule{Container: "mov", Name: "streams", Groups: groups}, delivery.FileRule{Container: "mp4", Coding: "aac", Name: "small", Groups: groups[:1]})
	s.Programme.WholeFrames = true
	plan, dir, proof := f.made(t, delivery.Order{Spec: s})
	require.True(t, proof.Passed, proof.Failures())
	info, err := picture.Probe(context.Background(), filepath.Join(dir, "streams.mov"))
	require.NoError(t, err)
	assert.Equal(t, []int{2, 1, 1, 2}, info.Groups())
	assert.Equal(t, []string{"DX", "Music left", "MX R", "FX"}, []string{info.Sound[0].Title, info.Sound[1].Title, info.Sound[2].Title, info.Sound[3].Title})
	require.NotNil(t, proof.Files[1].Channels[0].Alike, "compressed sound is compared by how alike it is")
	assert.Greater(t, *proof.Files[1].Channels[0].Alike, 0.99)

	// The streams in another order are not what was ordered.
	swapped := plan
	swapped.Files = slices.Clone(plan.Files)
	swapped.Files[0].Groups = []delivery.FileGroup{plan.Files[0].Groups[1], plan.Files[0].Groups[0], plan.Files[0].Groups[2], plan.Files[0].Groups[3]}
	p, err := delivery.Prove(context.Background(), swapped, dir, delivery.Options{Sources: f.resolve})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(p.Failures(), "\n"), "sound streams: 2+1+1+2 instead of 1+2+1+2")
}

// At another rate the files are what an independent conversion of the reel's own is.
func TestAnotherRate(t *testing.T) {
	f := newFixture(t, 0.2)
	f.route("0/0", "DX", 0, weave.Both)
	s := custom(delivery.FileRule{Container: "wav", Coding: "f32", Name: "all"})
	for _, rate := range []int{44100, 96000} {
		s.SampleRate = rate
		plan, dir, proof := f.made(t, delivery.Order{Spec: s})
		require.True(t, proof.Passed, proof.Failures())
		c, err := resample.New(48000, rate)
		require.NoError(t, err)
		x := make([]float64, 60018)
		for i, v := range f.sound["0/0"] {
			x[100+i] = float64(v) / (1 << 23)
		}
		require.Equal(t, c.Frames(60018), plan.Frames)
		want := make([]float64, plan.Frames)
		from, to := c.Needs(0, len(want))
		in := make([]float64, to-from)
		copy(in[-from:], x)
		c.Convert(want, in, 0)
		src, err := source.Open(filepath.Join(dir, "all.wav"))
		require.NoError(t, err)
		raw := make([]byte, plan.Frames*int64(src.Format.FrameBytes()))
		require.NoError(t, src.ReadFull(raw, 0))
		require.NoError(t, src.Close())
		got := make([]float64, plan.Frames)
		audio.DecodeChannel(got, raw, audio.F32, 6, 1)
		for i := range want {
			require.Equal(t, float32(want[i]), float32(got[i]), "%d Hz, %d", rate, i)
		}
		assert.EqualValues(t, start/48000*int64(rate), plan.Start)
	}
}

// A span is delivered with everything else alike, has it in its names, and has the samples that the whole has there.
func TestATestSpan(t *testing.T) {
	f := newFixture(t, 0.2)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("1/1", "FX", -3, weave.BothMinus)
	s := custom(delivery.FileRule{Container: "wav", Name: "{production}"})
	_, dir, _ := f.made(t, delivery.Order{Spec: s})
	plan, testDir, proof := f.made(t, delivery.Order{Spec: s, Span: &delivery.Span{From: start + 19000, To: start + 29000}})
	require.True(t, proof.Passed, proof.Failures())
	assert.True(t, plan.Test())
	_, whole := read(t, filepath.Join(dir, "Lantern Ferry.wav"))
	_, part := read(t, filepath.Join(testDir, "Lantern Ferry_TEST.wav"))
	for c := range whole {
		assert.Equal(t, whole[c][19000:29000], part[c])
	}
	_, err := delivery.Make(delivery.Order{Spec: s, Span: &delivery.Span{From: 0, To: 5}}, f.reel, pal, 48000)
	assert.Equal(t, "empty_span", snag.Of(err).Code)
}

// Loudness is measured of the files, put into them where the spec wants it, and held against the limits.
func TestLimitsOfFiles(t *testing.T) {
	f := newFixture(t, 0.05)
	f.surround()
	low, high := -70.0, -10.0
	s := custom(delivery.FileRule{Groups: []delivery.Group{{Layout: "stereo", Bus: "Full mix stereo"}}, Container: "wav", Name: "mix"})
	s.Metadata.Loudness = true
	s.Limits = []delivery.Asked{{Of: "mixes", Limits: loudness.Limits{Name: "peaks", TruePeak: &high}}}
	_, dir, proof := f.made(t, delivery.Order{Spec: s})
	require.True(t, proof.Passed, proof.Failures())
	require.Len(t, proof.Measures, 1)
	src, err := source.Open(filepath.Join(dir, "mix.wav"))
	require.NoError(t, err)
	defer src.Close()
	assert.EqualValues(t, 2, src.Bext.Version)
	assert.InDelta(t, *proof.Measures[0].Integrated*100, float64(src.Bext.Loudness[0]), 0.51)
	assert.InDelta(t, *proof.Measures[0].TruePeak*100, float64(src.Bext.Loudness[2]), 0.51)

	s.Limits[0].TruePeak = &low
	_, _, proof = f.made(t, delivery.Order{Spec: s})
	assert.False(t, proof.Passed)
	assert.Contains(t, proof.Failures()[0], "Full mix stereo: true peak:")
}

// Whatever a spec asks for of a reel: files alike in start and length, each sample proven, sums that hold, no name twice and
// nothing overwritten.
func TestRandomSpecs(t *testing.T) {
	seed := uint64(20261125)
	rnd := rand.New(rand.NewPCG(seed, 15))
	f := newFixture(t, 0.08)
	containers := []string{"wav", "wav", "rf64", "bw64", "w64", "aiff"}
	names := []string{"{production}_{number}", "{reel}_{bus}_{number}", "{number}", "{stem}{part}{output}_{number}_{speaker}", "{version}-{number}-{layout}"}
	made, proven := 0, atomic.Int64{}
	var plans []func(t *testing.T)
	specs := testmedia.Sized(24, 200)
	for n := range specs {
		if n%4 == 0 {
			f.surround()
		} else {
			f.reel.Weave = weave.Default()
			for _, track := range f.reel.Tracks {
				if rnd.IntN(4) > 0 {
					f.route(track.ID, []string{"DX", "MX", "FX", "VO"}[rnd.IntN(4)], math.Round(rnd.Float64()*-120)/10, []weave.Preset{weave.Both, weave.Left, weave.BothMinus}[rnd.IntN(3)])
				}
			}
			f.reel.Weave.Buses = append(f.reel.Weave.Buses, weave.Bus{ID: "FM", Name: "Full mix", Role: weave.Mix, Layout: "stereo"})
			for _, from := range []string{"DX", "MX", "FX", "VO"} {
				f.reel.Weave.Sends[from] = []weave.Send{{To: "FM"}}
			}
		}
		var rules []delivery.FileRule
		for k := range 1 + rnd.IntN(3) {
			r := delivery.FileRule{Container: containers[rnd.IntN(len(containers))], Name: fmt.Sprint(k, "_", names[rnd.IntN(len(names))]), Split: rnd.IntN(4) == 0}
			r.Coding = []string{"", "s16", "s32", "f32"}[rnd.IntN(4)]
			switch rnd.IntN(6) {
			case 0:
				r.Each = delivery.EachOutput
			case 1:
				r.Each = delivery.EachStem
			case 2:
				r.Each = delivery.EachMix
			case 3:
				r.Each = delivery.EachTrack
			case 4:
				r.Each = delivery.EachGroup
			}
			rules = append(rules, r)
		}
		s := custom(rules...)
		s.Dither = rnd.IntN(2) == 0
		s.Metadata.ADM = slices.ContainsFunc(rules, func(r delivery.FileRule) bool { return r.Container == "bw64" }) && rnd.IntN(2) == 0
		s.Metadata.Loudness = rnd.IntN(4) == 0
		s.SampleRate = []int{48000, 48000, 48000, 44100}[rnd.IntN(4)]
		s.Programme.WholeFrames = rnd.IntN(2) == 0
		if rnd.IntN(2) == 0 {
			s.Names = delivery.Names{Letters: "plain"}
		}
		if rnd.IntN(4) == 0 {
			s.Programme.Before = []delivery.Segment{{What: "silence", Seconds: 2 + rnd.Float64()}}
			s.Programme.Pop = &delivery.Pop{LevelDBFS: -18}
		}
		o := delivery.Order{Spec: s, Titles: delivery.Titles{Production: "Lantérn/Ferry", Reel: "Reel: 1"}, Date: "2026-03-14", Time: "10:00:00"}
		if n%8 != 0 { // a short test, and now and then the whole
			from := start + rnd.Int64N(40000)
			o.Span = &delivery.Span{From: from, To: from + 1 + rnd.Int64N(9000)}
		}
		plan, err := delivery.Make(o, f.reel, pal, 48000)
		if err != nil {
			require.Equal(t, "names_clash", snag.Of(err).Code, "spec %d: %v", n, err)
			continue
		}
		made++
		// Beside each other: most of it is waiting for the disk.
		plans = append(plans, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			written, err := delivery.Write(context.Background(), plan, dir, delivery.Options{Sources: f.resolve})
			require.NoError(t, err, "spec %d", n)
			entries, err := os.ReadDir(dir)
			require.NoError(t, err)
			require.Len(t, entries, len(plan.Files), "spec %d", n)
			for _, file := range plan.Files {
				src, err := source.Open(filepath.Join(dir, file.Name))
				require.NoError(t, err)
				require.Equal(t, plan.Frames, src.Frames, "spec %d", n)
				require.Equal(t, plan.Start, src.Gather("").Start, "spec %d, %s", n, file.Name)
				require.NoError(t, src.Close())
			}
			prove := func(o delivery.Options) delivery.Proof {
				o.Sources, o.OwnReader = f.resolve, n%20 != 0
				proof, err := delivery.Prove(context.Background(), plan, dir, o)
				require.NoError(t, err)
				return proof
			}
			proof := prove(delivery.Options{Hashes: written.Hashes})
			require.True(t, proof.Passed, "spec %d: %v", n, proof.Failures())
			proven.Add(1)
			if n%5 != 0 {
				return
			}
			// By the hashes of what was rendered, or rendered anew: the same is found, and so is a single bit that is another.
			require.Equal(t, prove(delivery.Options{}), proof, "spec %d", n)
			path := filepath.Join(dir, plan.Files[0].Name)
			b, err := os.ReadFile(path)
			require.NoError(t, err)
			b[len(b)-9-len(b)/3] ^= 1
			require.NoError(t, os.WriteFile(path, b, 0o600))
			proof = prove(delivery.Options{Hashes: written.Hashes})
			require.False(t, proof.Passed, "spec %d", n)
			require.Equal(t, prove(delivery.Options{}), proof, "spec %d", n)
		})
	}
	t.Run("each", func(t *testing.T) {
		for n, fn := range plans {
			t.Run(fmt.Sprint(n), fn)
		}
	})
	assert.Greater(t, proven.Load(), int64(specs/2))
	t.Logf("%d plans, %d written and proven", made, proven.Load())
}

// A delivery is a function of its plan: made again, its files have the same bytes, dithered ones too.
func TestADeliveryIsItsPlan(t *testing.T) {
	f := newFixture(t, 0.1)
	f.surround()
	s := custom(delivery.FileRule{Each: delivery.EachStem, Container: "wav", Coding: "s16", Name: "{stem}"})
	s.Dither = true
	_, a, _ := f.made(t, delivery.Order{Spec: s})
	_, b, _ := f.made(t, delivery.Order{Spec: s})
	for _, name := range []string{"DX.wav", "MX.wav"} {
		x, err := os.ReadFile(filepath.Join(a, name))
		require.NoError(t, err)
		y, err := os.ReadFile(filepath.Join(b, name))
		require.NoError(t, err)
		assert.Equal(t, x, y)
	}
}

// For any channel and any time it is said which recordings it holds, through which clips and gains: those alone, and all of them.
func TestOrigins(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", -4, weave.Both)
	f.route("1/1", "DX", 0, weave.Left)
	f.route("2/0", "MX", 0, weave.Right)
	f.reel.Tracks[1].Clips[0].GainDB = -1
	f.reel.Tracks[0].GainDB = -2
	f.reel.Tracks[0].Clips[0].GainDB = 1
	s := custom(delivery.FileRule{Container: "wav", Name: "all"}, delivery.FileRule{Each: delivery.EachStem, Container: "wav", Name: "{stem}"}, delivery.FileRule{Each: delivery.EachTrack, Container: "wav", Name: "track {number}"})
	plan, err := delivery.Make(delivery.Order{Spec: s}, f.reel, pal, 48000)
	require.NoError(t, err)
	plan.Sources = map[string]delivery.Source{}
	for id := range f.sound {
		var n, ch int
		_, err := fmt.Sscanf(id, "%d/%d", &n, &ch)
		require.NoError(t, err)
		plan.Sources[id] = delivery.Source{Name: fmt.Sprint("take", n, ".wav"), Hash: "h", Channel: ch}
	}
	says := func(file, channel int) (out []string) {
		for _, o := range plan.Origins(file, channel) {
			out = append(out, fmt.Sprintf("%d-%d %s:%d %.1f", o.From, o.To, o.File, o.Channel, *o.GainDB))
		}
		return out
	}
	assert.Equal(t, []string{"100-30100 take0.wav:1 -5.0", "20000-45000 take1.wav:2 0.0"}, says(0, 0))
	assert.Equal(t, []string{"100-30100 take0.wav:1 -5.0"}, says(0, 1))
	assert.Empty(t, says(0, 2), "MX L")
	assert.Equal(t, []string{"60001-60018 take2.wav:1 0.0"}, says(0, 3))
	assert.Equal(t, says(0, 0), says(1, 0), "the stem by itself is what its output is")
	track := plan.Origins(len(plan.Files)-9, 0)
	require.Len(t, track, 1)
	assert.Equal(t, "take0.wav", track[0].File)
	assert.Equal(t, "DX, mono on both sides, 0 dB, -4.0 dB", plan.Origins(0, 1)[0].Ways)
	assert.Equal(t, pal.FormatSamples(start+20000, 48000), plan.Origins(0, 0)[1].FromTimecode)

	// Of a reel, at a moment: to the sample.
	begin, _ := f.reel.Span()
	for at, want := range map[int64][]string{99: nil, 100: {"take0.wav"}, 19999: {"take0.wav"}, 20000: {"take0.wav", "take1.wav"}, 30099: {"take0.wav", "take1.wav"}, 30100: {"take1.wav"}, 45000: nil} {
		var got []string
		for _, o := range delivery.OriginsAt(f.reel, pal, 48000, plan.Sources, delivery.Channel{Output: 0}, begin+at) {
			got = append(got, o.File)
		}
		assert.Equal(t, want, got, "%d", at)
	}
}

// Six channels are a 5.1 where they are named as its speakers, in their order, and several things beside each other otherwise: nothing is
// measured as what it is not, nor asked for what no file of several has.
func TestSixChannelsAreVerifiedAsWhatTheyAre(t *testing.T) {
	f := newFixture(t, 0.2)
	f.surround()
	for _, of := range []struct {
		outputs []string
		sets    int
	}{
		{[]string{"A L", "A R", "B L", "B R", "C L", "C R"}, 0},
		{[]string{"Mix L", "Mix R", "Mix C", "Mix LFE", "Mix Ls", "Mix Rs"}, 1},
		{[]string{"Mix L", "Mix C", "Mix R", "Mix Ls", "Mix Rs", "Mix LFE"}, 0}, // in an order that nobody has spoken of
	} {
		w := &f.reel.Weave
		w.Groups, w.Outputs = nil, nil
		for i, name := range of.outputs {
			w.Outputs = append(w.Outputs, weave.Output{Name: name, Bus: "FULL", Channel: i})
		}
		if i := slices.IndexFunc(w.Buses, func(b weave.Bus) bool { return b.Name == "Full mix" }); i >= 0 {
			for k := range w.Outputs {
				w.Outputs[k].Bus = w.Buses[i].ID
			}
		}
		s := custom(delivery.FileRule{Container: "wav", Name: "{production}_all"})
		s.Outputs, s.Metadata.Loudness = of.outputs, true
		_, dir, proof := f.made(t, delivery.Order{Spec: s})
		require.True(t, proof.Passed, proof.Failures())
		c, err := delivery.Verify(t.Context(), []string{filepath.Join(dir, "Lantern Ferry_all.wav")}, delivery.Checking{Spec: s, Rate: pal, Dir: dir})
		require.NoError(t, err)
		assert.Len(t, c.Measures, of.sets, "%v", of.outputs)
		if of.sets == 0 {
			assert.True(t, c.Passed, c.Failures())
		}
	}
}

// A test is compared with a whole delivery over its own span: what is the same is said to be, and what was changed is.
func TestATestIsComparedOverItsOwnSpan(t *testing.T) {
	f := newFixture(t, 1)
	f.route("0/0", "DX", 0, weave.Both)
	f.route("1/1", "MX", -3, weave.Left)
	s := delivery.ThreeStereoStems()
	whole, dir, proof := f.made(t, delivery.Order{Spec: s})
	was := delivery.Made{Plan: whole, Proof: proof}
	f.route("0/0", "DX", -4, weave.Left)
	test, _, tested := f.made(t, delivery.Order{Spec: s, Span: &delivery.Span{From: start + 9600, To: start + 19200}})
	over, fits, err := was.Over(test, func(i int) (string, *source.Known, error) {
		return filepath.Join(dir, whole.Files[i].Name), nil, nil
	})
	require.NoError(t, err)
	require.True(t, fits)
	said := strings.Join(delivery.Differences(over, delivery.Made{Plan: test, Proof: tested}), "\n")
	assert.Contains(t, said, "other samples in: DX L, DX R")
	assert.Contains(t, said, "the same, sample by sample: FX L, FX R, MX L, MX R")
	assert.NotContains(t, said, "length")
	test.Start += 480000
	_, fits, err = was.Over(test, nil)
	require.NoError(t, err)
	assert.False(t, fits, "it is beyond what there is")
}
