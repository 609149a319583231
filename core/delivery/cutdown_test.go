package delivery_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/picture"
	"zestyloom/core/picture/picturetest"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// cutFixture is a reel with a sound field, a pair, further stems and a picture of numbered frames that begins a second before it.
func cutFixture(t *testing.T, order int) (fixture, string) {
	t.Helper()
	f := newFixture(t, 0.1)
	l, err := audio.AmbisonicLayout(order, audio.SN3D)
	require.NoError(t, err)
	w := &f.reel.Weave
	w.Buses = append(w.Buses, weave.Bus{ID: "AMB", Name: "Field", Role: weave.Stem, Kind: "FX", Layout: l.Name}, weave.Bus{ID: "HL", Name: "Head-locked", Role: weave.Stem, Kind: "DX", Layout: "stereo"})
	f.route("1/1", "HL", -3, weave.Both)
	f.route("1/2", "MX", 0, weave.Both)
	w.Sends["0/0"] = []weave.Send{{To: "AMB", Patch: weave.Patch{Preset: weave.Placed, Places: []weave.Place{{}}}}}
	path := picturetest.Numbered(t, filepath.Join(f.dir, "picture.mov"), 125, "25", "-c:v", "libx264", "-g", "9", "-bf", "2", "-x264opts", "open-gop=0:scenecut=0:b-adapt=0", "-pix_fmt", "yuv420p", "-timecode", "22:09:59:00")
	return f, path
}

// cutSpec is one to cut down to, together or apart.
func cutSpec(order int, codec string) delivery.Spec {
	s := custom(delivery.FileRule{Container: "mov", Name: "all_{from}-{to}", Groups: []delivery.Group{
		{Layout: fmt.Sprintf("ambisonic %d SN3D", order), Bus: "Field"}, {Layout: "stereo", Bus: "Head-locked", HeadLocked: true}, {Each: delivery.EachStem},
	}})
	s.Packings = append(s.Packings,
		delivery.Packing{ID: "stems", Says: "stems", Files: []delivery.FileRule{{Each: delivery.EachStem, Container: "wav", Name: "{stem}"}, {Container: "mov", Picture: delivery.PictureAlone, Name: "picture"}}},
		delivery.Packing{ID: "tracks", Says: "tracks", Files: []delivery.FileRule{{Each: delivery.EachTrack, Container: "wav", Name: "{track}"}, {Container: "mov", Picture: delivery.PictureAlone, Name: "picture"}, {Container: "mov", Name: "sound", Picture: delivery.PictureNone}}})
	s.Recode.Codec = codec
	return s
}

// cut makes a cut-down and proves it.
func (f *fixture) cut(t *testing.T, path string, o delivery.Order) (delivery.Plan, string, delivery.Proof) {
	t.Helper()
	plan := f.cutPlan(t, path, o)
	for _, p := range plan.Problems {
		require.False(t, p.Stops, p.Message)
	}
	dir, proof := f.proven(t, plan, path)
	return plan, dir, proof
}

// proven writes a plan with a picture into a folder of its own, and proves it.
func (f *fixture) proven(t *testing.T, plan delivery.Plan, path string) (dir string, proof delivery.Proof) {
	t.Helper()
	dir = t.TempDir()
	options := delivery.Options{Sources: f.resolve, Picture: path}
	written, err := delivery.Write(context.Background(), plan, dir, options)
	require.NoError(t, err)
	options.Hashes = written.Hashes
	proof, err = delivery.Prove(context.Background(), plan, dir, options)
	require.NoError(t, err)
	return dir, proof
}

func (f *fixture) cutPlan(t *testing.T, path string, o delivery.Order) delivery.Plan {
	t.Helper()
	o.Cut = true
	pic, info, err := delivery.PictureOf(t.Context(), path, "file", filepath.Base(path), f.reel, 48000, o.Span)
	require.NoError(t, err)
	o.Picture = pic
	plan, err := delivery.Make(o, f.reel, pal, 48000)
	require.NoError(t, err)
	require.NoError(t, plan.FitPicture(t.Context(), path, info))
	return plan
}

// A span over a field, its pair, further stems and the picture, in one file and apart: all of the same edges, which are frames of the
// picture, bit for bit what the whole delivery has there, and the picture frame for frame.
func TestASpanIsCutDownWithItsPicture(t *testing.T) {
	t.Parallel()
	for _, order := range testmedia.Some([]int{1, 3}, 0) {
		f, path := cutFixture(t, order)
		s := cutSpec(order, "h264")
		// The whole, to compare with.
		_, whole, proof := f.made(t, delivery.Order{Spec: custom(delivery.FileRule{Each: delivery.EachTrack, Container: "wav", Name: "{track}"})})
		require.True(t, proof.Passed, proof.Failures())
		_, track := read(t, filepath.Join(whole, "0-0.wav"))
		type cut struct {
			from, to      int64
			first, frames int64
			says          string
		}
		for _, of := range testmedia.Some([]cut{
			{start + 5000, start + 42001, 27, 20, "coded anew as H.264: frames within it are coded by one after its end; it could be copied where it ended at 22:10:00:21 and at 22:10:00:24"},
			{start + 3840, start + 3840 + 18*1920, 27, 18, "copied"},
			{start + 5760, start + 40000, 28, 18, "coded anew as H.264: it does not begin with a key frame; there are such at 22:10:00:02 and at 22:10:00:11"},
		}, 0) {
			span := delivery.Span{From: of.from, To: of.to}
			plan, dir, proof := f.cut(t, path, delivery.Order{Spec: s, Span: &span})
			require.True(t, proof.Passed, proof.Failures())
			assert.False(t, plan.Test())
			assert.True(t, plan.CutDown())
			assert.Contains(t, plan.CutSays, of.says)
			assert.Equal(t, start+(of.first-25)*1920, plan.Start)
			assert.Equal(t, of.frames*1920, plan.Frames)
			frames := []int{}
			for k := range of.frames {
				frames = append(frames, int(of.first+k))
			}
			name := plan.Files[0].Name
			assert.Regexp(t, `^all_22100002-221000\d\d\.mov$`, strings.Replace(name, "22100003", "22100002", 1))
			assert.Equal(t, frames, picturetest.Numbers(t, filepath.Join(dir, name)))
			info, err := picture.Probe(t.Context(), filepath.Join(dir, name))
			require.NoError(t, err)
			l, _ := audio.AmbisonicLayout(order, audio.SN3D)
			want := []int{l.Count + 2}
			for _, b := range f.reel.Weave.Buses {
				if b.Role == weave.Stem && b.ID != "AMB" && b.ID != "HL" {
					want = append(want, b.Channels().Count)
				}
			}
			assert.Equal(t, want, info.Groups())
			assert.Equal(t, picture.Field{Order: order, HeadLocked: true}, *info.Sound[0].Field)
			for _, s := range info.Sound {
				assert.Equal(t, plan.Frames, s.Frames)
				assert.Zero(t, s.Offset)
			}
			if order > 1 {
				break
			}
			// Apart, and of one track alone.
			apart, dir, proof := f.cut(t, path, delivery.Order{Spec: s, Packing: "tracks", Span: &span, Only: []string{"0/0"}})
			require.True(t, proof.Passed, proof.Failures())
			names := []string{apart.Files[0].Name, apart.Files[1].Name, apart.Files[2].Name}
			for i, base := range []string{"0-0", "picture", "sound"} {
				assert.Regexp(t, "^"+base+`_CUT_2210000[23]\.`, names[i], "a cut-down is named as one")
			}
			assert.Equal(t, frames, picturetest.Numbers(t, filepath.Join(dir, names[1])))
			info, err = picture.Probe(t.Context(), filepath.Join(dir, names[2]))
			require.NoError(t, err)
			assert.Nil(t, info.Picture)
			_, got := read(t, filepath.Join(dir, names[0]))
			assert.Equal(t, track[0][(of.first-25)*1920:(of.first-25+of.frames)*1920], got[0])
			// As it is kept, and ordered once more.
			b, err := json.Marshal(apart)
			require.NoError(t, err)
			var kept delivery.Plan
			require.NoError(t, json.Unmarshal(b, &kept))
			assert.Equal(t, apart.Files, kept.Files)
			assert.Equal(t, apart.Order.Picture, kept.Order.Picture)
			stems, _, proof := f.cut(t, path, delivery.Order{Spec: s, Packing: "stems", Span: &span, Only: []string{"AMB", "HL", "MX"}})
			require.True(t, proof.Passed, proof.Failures())
			assert.Len(t, stems.Files, 4)
		}
	}
}

// What is not the picture that was ordered does not pass: a frame late, one frame less, another picture, the same one at other levels.
func TestCutsThatAreNotWhatWasOrdered(t *testing.T) {
	t.Parallel()
	f, path := cutFixture(t, 1)
	for _, codec := range testmedia.Some([]string{"", "h264"}, 1) {
		from := int64(start + 3840)
		if codec != "" {
			from += 1920
		}
		span := delivery.Span{From: from, To: from + 18*1920}
		if codec != "" {
			span.To -= 1920
		}
		plan, dir, proof := f.cut(t, path, delivery.Order{Spec: cutSpec(1, codec), Packing: "stems", Span: &span})
		require.True(t, proof.Passed, proof.Failures())
		right := plan.Order.Picture.Cut
		out := filepath.Join(dir, plan.Files[len(plan.Files)-1].Name)
		pale := picturetest.Numbered(t, filepath.Join(t.TempDir(), "pale.mov"), 60, "25", "-vf", "lutyuv=y=val/2+60", "-c:v", "libx264", "-g", "1", "-pix_fmt", "yuv420p")
		other := picturetest.Numbered(t, filepath.Join(t.TempDir(), "other.mov"), 60, "25", "-vf", "negate", "-c:v", "libx264", "-g", "1", "-pix_fmt", "yuv420p")
		for says, wrong := range map[string]picture.Pack{
			"a frame late":    {Picture: path, Cut: &picture.Cutting{Cut: picture.Cut{First: right.First + 1, Frames: right.Frames}, Codec: "h264"}},
			"one frame less":  {Picture: path, Cut: &picture.Cutting{Cut: picture.Cut{First: right.First, Frames: right.Frames - 1}, Codec: "h264"}},
			"another picture": {Picture: other, Cut: &picture.Cutting{Cut: picture.Cut{First: 0, Frames: right.Frames}, Codec: "h264"}},
			"a pale one":      {Picture: pale, Cut: &picture.Cutting{Cut: picture.Cut{First: right.First, Frames: right.Frames}, Codec: "h264"}},
		} {
			wrong.Kind, wrong.Out, wrong.Start = "mov", out, pal.FormatSamples(plan.Start, 48000)
			require.NoError(t, wrong.Write(t.Context()), says)
			proof, err := delivery.Prove(t.Context(), plan, dir, delivery.Options{Sources: f.resolve, Picture: path})
			require.NoError(t, err)
			assert.False(t, proof.Passed, says)
			assert.Contains(t, strings.Join(proof.Failures(), "\n"), "picture", says)
		}
	}
}

// Held against its specification by anybody, a cut-down is what it asks for, together and apart; files that have a picture or sound that
// they are not to have are not.
func TestACutDownIsVerified(t *testing.T) {
	t.Parallel()
	f, path := cutFixture(t, 1)
	span := delivery.Span{From: start + 3840, To: start + 3840 + 18*1920}
	s := cutSpec(1, "h264")
	for _, packing := range []string{"files", "tracks"} {
		plan, dir, proof := f.cut(t, path, delivery.Order{Spec: s, Packing: packing, Span: &span})
		require.True(t, proof.Passed, proof.Failures())
		check := func() delivery.Checked {
			var paths []string
			for _, f := range plan.Files {
				paths = append(paths, filepath.Join(dir, f.Name))
			}
			c, err := delivery.Verify(t.Context(), paths, delivery.Checking{Spec: s, Packing: packing, Rate: pal, Dir: dir})
			require.NoError(t, err)
			return c
		}
		c := check()
		assert.True(t, c.Passed, c.Failures())
		if packing == "files" {
			// The pair in a stream of its own, after the field's.
			plan.Files[0].Groups[1].HeadLocked = false
			_, err := delivery.Write(t.Context(), plan, dir, delivery.Options{Sources: f.resolve, Picture: path})
			require.NoError(t, err)
			assert.Contains(t, strings.Join(check().Failures(), "\n"), "first sound streams: 4 instead of 6")
			continue
		}
		alone, sound := filepath.Join(dir, plan.Files[len(plan.Files)-2].Name), filepath.Join(dir, plan.Files[len(plan.Files)-1].Name)
		other := filepath.Join(t.TempDir(), "other.mov")
		b, err := exec.Command("ffmpeg", "-v", "error", "-i", alone, "-i", sound, "-map", "0:v", "-map", "1:a", "-c", "copy", other).CombinedOutput()
		require.NoError(t, err, "%s", b)
		for says, path := range map[string]string{"sound: there instead of none": alone, "picture: there instead of none": sound} {
			require.NoError(t, os.Rename(path, path+".kept"))
			require.NoError(t, os.Link(other, path))
			assert.Contains(t, strings.Join(check().Failures(), "\n"), says)
			require.NoError(t, os.Remove(path))
			require.NoError(t, os.Rename(path+".kept", path))
		}
		require.NoError(t, os.Rename(sound, filepath.Join(dir, "kept.mov")))
		require.NoError(t, os.Link(alone, sound))
		assert.Contains(t, strings.Join(check().Failures(), "\n"), "sound: none instead of there")
	}
}

// What stands in the way of a cut-down is said before it is ordered.
func TestWhatStandsInTheWayOfACutDown(t *testing.T) {
	t.Parallel()
	f, path := cutFixture(t, 1)
	codes := func(p delivery.Plan) (out []string) {
		for _, o := range p.Problems {
			out = append(out, fmt.Sprint(o.Code, " ", o.Stops))
		}
		return out
	}
	span := delivery.Span{From: start + 5000, To: start + 42001}
	plan := f.cutPlan(t, path, delivery.Order{Spec: cutSpec(1, ""), Span: &span})
	assert.Equal(t, []string{"no_key_frame true"}, codes(plan))
	assert.Contains(t, plan.Problems[0].Message, "22:10:00:21")
	lead := cutSpec(1, "h264")
	lead.Programme.Before = []delivery.Segment{{What: "silence", Seconds: 4}}
	assert.Equal(t, []string{"no_lead true"}, codes(f.cutPlan(t, path, delivery.Order{Spec: lead, Span: &span})))

	// Where another picture is seen, and where this one is laid off the frames of the timecode.
	f.reel.Pictures = []reel.Picture{{ID: "p", File: "file", Name: "picture.mov", At: start - 47000, In: 0, Length: 60000}}
	plan = f.cutPlan(t, path, delivery.Order{Spec: cutSpec(1, "h264"), Span: &span})
	assert.Equal(t, []string{"within_frame false", "picture_differs false"}, codes(plan))
	assert.EqualValues(t, start-47000+27*1920, plan.Start)
	f.reel.Pictures = []reel.Picture{{ID: "p", File: "file", Name: "picture.mov", At: start, In: 48000, Length: 60000}}
	assert.Empty(t, codes(f.cutPlan(t, path, delivery.Order{Spec: cutSpec(1, "h264"), Span: &span})))
	laid, _, proof := f.cut(t, path, delivery.Order{Spec: cutSpec(1, "h264"), Packing: "stems", Span: &span, Only: []string{"HL"}})
	require.True(t, proof.Passed, proof.Failures())
	assert.EqualValues(t, start+3840, laid.Start)
	f.reel.Pictures = nil

	// Beyond the picture, without one, and with none that is to stand alone.
	short := picturetest.Numbered(t, filepath.Join(f.dir, "short.mov"), 30, "25", "-c:v", "libx264", "-pix_fmt", "yuv420p", "-timecode", "22:09:59:00")
	pic, _, err := delivery.PictureOf(t.Context(), short, "file", "short.mov", f.reel, 48000, &span)
	require.NoError(t, err)
	_, err = delivery.Make(delivery.Order{Spec: cutSpec(1, ""), Span: &span, Cut: true, Picture: pic}, f.reel, pal, 48000)
	assert.Equal(t, "picture_short", snag.Of(err).Code)
	plan, err = delivery.Make(delivery.Order{Spec: cutSpec(1, ""), Packing: "stems", Span: &span, Cut: true}, f.reel, pal, 48000)
	require.NoError(t, err)
	assert.Equal(t, []string{"no_picture true"}, codes(plan))
	assert.EqualValues(t, 37001, plan.Frames, "no picture, no frames to keep to")
	plan, err = delivery.Make(delivery.Order{Spec: cutSpec(1, ""), Packing: "stems", Span: &span, Picture: pic}, f.reel, pal, 48000)
	require.NoError(t, err)
	assert.Equal(t, []string{"no_picture false"}, codes(plan), "a test")
}

// At rates whose frames are no whole number of samples, sound and picture stay as long as each other, and begin with a frame of the
// timecode, wherever the span lies and at whatever rate the files are.
func TestCutsAtAnyRate(t *testing.T) {
	f := newFixture(t, 0.1)
	long := int64(start + 4000*48000)
	f.reel.Length = &long
	rnd := rand.New(rand.NewPCG(29, 97))
	for _, rate := range []timecode.Rate{{Num: 24000, Den: 1001}, {Num: 30000, Den: 1001}, {Num: 30000, Den: 1001, Drop: true}, {Num: 60000, Den: 1001}, {Num: 24, Den: 1}, {Num: 25, Den: 1}} {
		for range 300 {
			first := rate.FrameAt(start-rnd.Int64N(48000*30), 48000)
			frames := (200 + rnd.Int64N(2000)) * rate.Num / rate.Den
			pic := delivery.Picture{File: "p", Name: "p", Rate: timecode.Rate{Num: rate.Num, Den: rate.Den}, Span: delivery.Span{From: rate.SampleAt(first, 48000)}}
			pic.Span.To = pic.Span.From + frames*48000*rate.Den/rate.Num
			span := delivery.Span{From: start + rnd.Int64N(48000*60)}
			span.To = span.From + rnd.Int64N(48000*60) + 1
			s := cutSpec(1, "h264")
			s.Programme.WholeFrames, s.SampleRate = true, []int{48000, 96000}[rnd.IntN(2)]
			plan, err := delivery.Make(delivery.Order{Spec: s, Packing: "stems", Span: &span, Cut: true, Picture: &pic}, f.reel, rate, 48000)
			require.NoError(t, err)
			assert.Empty(t, plan.Problems, "%s", rate)
			cut := plan.Order.Picture.Cut
			times := int64(s.SampleRate / 48000)
			assert.Equal(t, times*rate.SampleAt(first+cut.First, 48000), plan.Start, "%s", rate)
			exact := cut.Frames * int64(s.SampleRate) * rate.Den / rate.Num
			assert.InDelta(t, exact, plan.Frames, float64(times), "%s", rate)
			assert.LessOrEqual(t, plan.From, span.From)
			assert.GreaterOrEqual(t, plan.To, span.To)
			assert.Less(t, plan.To-plan.From, span.To-span.From+2*48000*rate.Den/rate.Num+2)
		}
	}
}

// A cut-down in drop-frame timecode is written and proven like any other.
func TestACutDownInDropFrame(t *testing.T) {
	t.Parallel()
	f, _ := cutFixture(t, 1)
	rate := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	path := picturetest.Numbered(t, filepath.Join(f.dir, "drop.mov"), 150, "30000/1001", "-c:v", "libx264", "-g", "10", "-bf", "2", "-pix_fmt", "yuv420p", "-timecode", "22:09:59;00")
	for _, from := range testmedia.Some([]int64{start + 5000, start + 9001}, 0) {
		span := delivery.Span{From: from, To: from + 40001}
		pic, info, err := delivery.PictureOf(t.Context(), path, "p", "drop.mov", f.reel, 48000, &span)
		require.NoError(t, err)
		plan, err := delivery.Make(delivery.Order{Spec: cutSpec(1, "h264"), Span: &span, Cut: true, Picture: pic}, f.reel, rate, 48000)
		require.NoError(t, err)
		require.NoError(t, plan.FitPicture(t.Context(), path, info))
		dir := t.TempDir()
		options := delivery.Options{Sources: f.resolve, Picture: path}
		_, err = delivery.Write(t.Context(), plan, dir, options)
		require.NoError(t, err)
		proof, err := delivery.Prove(t.Context(), plan, dir, options)
		require.NoError(t, err)
		assert.True(t, proof.Passed, proof.Failures())
		seen := picturetest.Numbers(t, filepath.Join(dir, plan.Files[0].Name))
		assert.EqualValues(t, plan.Order.Picture.Cut.First, seen[0])
		assert.Len(t, seen, int(plan.Order.Picture.Cut.Frames))
	}
}

// Specs that ask for what can't be done with pictures are refused.
func TestPicturesInSpecsThatCantBe(t *testing.T) {
	for says, change := range map[string]func(s *delivery.Spec){
		"coded anew as h264, h265, mpeg2": func(s *delivery.Spec) { s.Recode.Codec = "film" },
		"a rate of their own":             func(s *delivery.Spec) { s.Recode = delivery.Recode{Codec: "ffv1", Megabits: 3} },
		"has pictures in mxf": func(s *delivery.Spec) {
			s.Recode.Codec = "h264"
			s.Packings[0].Files[0] = delivery.FileRule{Container: "mxf", Name: "x"}
		},
		"can be without":        func(s *delivery.Spec) { s.Packings[1].Files[0].Picture = delivery.PictureAlone },
		"\"alone\" or \"none\"": func(s *delivery.Spec) { s.Packings[0].Files[0].Picture = "some" },
		"is one file":           func(s *delivery.Spec) { s.Packings[0].Files[0].Picture = delivery.PictureAlone },
		"of which a file has one": func(s *delivery.Spec) {
			s.Packings[0].Files[0].Groups = append(s.Packings[0].Files[0].Groups, delivery.Group{Each: delivery.EachStem})
		},
		"not for each \"output\"":       func(s *delivery.Spec) { s.Packings[0].Files[0].Groups[2].Each = delivery.EachOutput },
		"has its own layout":            func(s *delivery.Spec) { s.Packings[0].Files[0].Groups[2].Layout = "mono" },
		"which is done in BW64, and no": func(s *delivery.Spec) { s.Metadata.ADM = true },
	} {
		s := cutSpec(1, "")
		s.Packings = slices.Clone(s.Packings)
		change(&s)
		err := s.Check()
		if assert.Error(t, err, says) {
			assert.Contains(t, err.Error(), says)
		}
	}
}

// An MP4 with compressed sound is cut down, too: field and pair in one stream, marked, every channel in its place, and every stream
// begins with the picture. Fields that AAC has no room for are refused before.
func TestACutDownAsMP4(t *testing.T) {
	t.Parallel()
	type kind struct {
		order int
		pair  bool
	}
	for _, of := range testmedia.Some([]kind{{1, true}, {1, false}, {3, false}, {2, false}, {3, true}}, 0, 4) {
		f, path := cutFixture(t, of.order)
		// Each channel of the field is heard, and is another; of tones, as compressing noise leaves little of it.
		tones := filepath.Join(f.dir, "tones.wav")
		b, err := exec.Command("ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "aevalsrc=0.1*sin(2*PI*440*t)|0.1*sin(2*PI*700*t)|0.1*sin(2*PI*1130*t):d=2:s=48000", "-c:a", "pcm_s24le", tones).CombinedOutput()
		require.NoError(t, err, "%s", b)
		f.resolve = func(s string) (mix.Source, error) {
			return mix.Source{Path: tones, Channel: int(s[len(s)-1] - '0')}, nil
		}
		for k := range 3 {
			id := fmt.Sprint("0/", k)
			f.reel.Weave.Sends[id] = []weave.Send{{To: "AMB", Patch: weave.Patch{Preset: weave.Placed, Places: []weave.Place{{Position: spatial.Position{Azimuth: float64(100*k) - 70, Elevation: float64(25*k) - 20}}}}}}
		}
		s := cutSpec(of.order, "h264")
		s.Coding = "aac"
		s.Packings = s.Packings[:1]
		rule := &s.Packings[0].Files[0]
		rule.Container = "mp4"
		if rule.Groups = rule.Groups[:2]; !of.pair {
			rule.Groups = rule.Groups[:1]
		}
		span := delivery.Span{From: start + 5000, To: start + 30001}
		if of.order == 2 || of.pair && of.order == 3 {
			plan := f.cutPlan(t, path, delivery.Order{Spec: s, Span: &span})
			require.Len(t, plan.Problems, 1)
			assert.Equal(t, "bad_field", plan.Problems[0].Code)
			continue
		}
		plan, dir, proof := f.cut(t, path, delivery.Order{Spec: s, Span: &span})
		require.True(t, proof.Passed, proof.Failures())
		info, err := picture.Probe(t.Context(), filepath.Join(dir, plan.Files[0].Name))
		require.NoError(t, err)
		want := picture.Field{Order: of.order, HeadLocked: of.pair}
		assert.Equal(t, want, *info.Sound[0].Field)
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=codec_name,channels", "-of", "csv=p=0", filepath.Join(dir, plan.Files[0].Name)).Output()
		require.NoError(t, err)
		assert.Contains(t, string(out), fmt.Sprint("aac,", want.Channels()))
		left, err := filepath.Glob(filepath.Join(dir, "*"))
		require.NoError(t, err)
		assert.Len(t, left, 1)
	}
}
