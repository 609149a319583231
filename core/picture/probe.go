// Package picture reads files with pictures — MOV, MP4, MKV, MXF — through ffprobe and ffmpeg, which
// it runs as separate programs: what streams they have, the sound of all of them as one working
// copy, and a small picture to go with it.
package picture

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"strconv"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
)

// Info is what a file with pictures holds.
type Info struct {
	Container string // MOV, MP4, MKV, MXF or what ffprobe calls it
	Sound     []Stream
	Picture   *Picture // nil when there is none
	Timecode  string   // of the first timecode track, as it is written there; empty without one
	Snags     []snag.Snag
	// TimecodeRate is what the timecode counts in; zero when nothing tells.
	TimecodeRate timecode.Rate
}

// Stream is one sound stream, in the order of the file.
type Stream struct {
	Index      int    `json:"index"` // among all streams
	Codec      string `json:"codec"`
	Lossy      bool   `json:"lossy"` // its samples are not those that were recorded
	Channels   int    `json:"channels"`
	SampleRate int    `json:"sample_rate"`
	Bits       int    `json:"bits"` // 0 when it has no fixed word length
	Float      bool   `json:"float"`
	Title      string `json:"title"`
	Frames     int64  `json:"frames"` // as the container says, 0 where it does not
	// Offset is where its first sample lies on the file's clock, in samples: 0 where the picture, or
	// without one the timecode track, begins.
	Offset int64 `json:"offset"`
	// Field is there where the stream is marked as a sound field.
	Field *Field `json:"field,omitempty"`
	// Layout is what ffprobe calls the layout that the stream is tagged with; empty where it is tagged with none.
	Layout string `json:"layout,omitempty"`
	start  *big.Rat
}

// Picture is the picture of a file.
type Picture struct {
	Codec   string  `json:"codec"`
	Width   int     `json:"width"`
	Height  int     `json:"height"`
	RateNum int64   `json:"rate_num"`
	RateDen int64   `json:"rate_den"`
	Seconds float64 `json:"seconds"`
	// Headset is how it is seen with a headset; nil where nothing says so.
	Headset *Headset `json:"headset,omitempty"`

	index      int      // among all streams
	base       *big.Rat // seconds that its times count
	start      *big.Rat // of its first frame, in seconds
	interlaced bool
	uneven     bool // its frames do not all last alike
}

// Rate is the picture's frame rate, not knowing whether its timecode drops frames.
func (p Picture) Rate() timecode.Rate { return timecode.Rate{Num: p.RateNum, Den: p.RateDen} }

// String is it in words.
func (p Picture) String() string {
	s := fmt.Sprintf("%d×%d at %s, %s", p.Width, p.Height, p.Rate(), p.Codec)
	if p.Headset != nil {
		s += "; " + p.Headset.String()
	}
	return s
}

// Frames is how many frames it has, by its length.
func (p Picture) Frames() int64 {
	return int64(math.Round(p.Seconds * float64(p.RateNum) / float64(p.RateDen)))
}

// Samples is how long the picture lasts at a sample rate, by the number of its frames.
func (p Picture) Samples(sampleRate int) int64 {
	length := new(big.Rat).Mul(big.NewRat(p.Frames()*int64(sampleRate), 1), big.NewRat(p.RateDen, p.RateNum))
	return new(big.Int).Quo(length.Num(), length.Denom()).Int64()
}

// Bounds of what is read: more than any recorder or camera writes.
const (
	maxProbe    = 4 << 20 // bytes of a probe's answer
	maxStreams  = 128     // of sound
	maxChannels = 1024    // of all streams
)

// Probe finds out what a file holds.
func Probe(ctx context.Context, path string) (*Info, error) {
	out, err := call{program: "ffprobe", in: path, before: []string{"-of", "json", "-show_streams", "-show_format"}, wall: probeTime}.run(ctx)
	if err != nil {
		return nil, err
	}
	info, err := parse(out)
	if err != nil {
		return nil, err
	}
	if info.Container == "MXF" && info.Timecode != "" && info.TimecodeRate.Zero() {
		info.TimecodeRate, _ = mxfRate(path)
	}
	if info.Container == "MOV" || info.Container == "MP4" {
		// What else is wrong with its boxes ffprobe has found no fault in.
		if err := info.marks(path); err != nil && snag.Of(err).Code == "bad_field" {
			return nil, err
		}
		if info.Picture != nil {
			h, err := ReadHeadset(path)
			if err != nil && snag.Of(err).Code == "bad_headset" {
				info.Snags = append(info.Snags, snag.New("bad_headset", "%s", err))
			}
			info.Picture.Headset = h
		}
	}
	for n, s := range info.Sound {
		if s.Codec != "aac" || info.Container == "MKV" { // Matroska's times allow for the run-in
			continue
		}
		marked, err := runInMarked(ctx, path, s.Index)
		if err != nil {
			return nil, err
		}
		if !marked {
			info.Snags = append(info.Snags, snag.New("run_in_unmarked", "sound stream %d is AAC and the file does not say how much its coder ran in (no edit list): its sound most likely lies 1024 samples late, %.0f ms", n+1, 1024e3/float64(s.SampleRate)))
		}
	}
	return info, nil
}

// marks takes over which streams are marked as sound fields.
func (i *Info) marks(path string) error {
	list, err := readFields(path)
	if err != nil || len(list) != len(i.Sound) { // tracks that are none of sound, or can't be told apart
		return err
	}
	for n, f := range list {
		if f != nil {
			if err := f.Check(i.Sound[n].Channels); err != nil {
				return err
			}
		}
		i.Sound[n].Field = f
	}
	return nil
}

// runInMarked reports whether the first packet of a stream says how many samples to leave out.
func runInMarked(ctx context.Context, path string, stream int) (bool, error) {
	out, err := call{program: "ffprobe", in: path, before: []string{"-of", "json", "-select_streams", strconv.Itoa(stream), "-read_intervals", "%+#1", "-show_packets"}, wall: probeTime}.run(ctx)
	if err != nil {
		return false, err
	}
	var p struct {
		Packets []struct {
			SideData []struct {
				Type string `json:"side_data_type"`
			} `json:"side_data_list"`
		} `json:"packets"`
	}
	if err := json.Unmarshal(out, &p); err != nil {
		return false, fmt.Errorf("ffprobe's answer is not understood: %w", err)
	}
	for _, k := range p.Packets {
		for _, d := range k.SideData {
			if d.Type == "Skip Samples" {
				return true, nil
			}
		}
	}
	return len(p.Packets) == 0, nil
}

// handlers matches names that writers give to the kind of a track, where people give names to tracks.
var handlers = regexp.MustCompile(`(?i)handler|media|audio|sound|^.{61,}$`)

func parse(out []byte) (*Info, error) {
	var p struct {
		Streams []struct {
			Index        int               `json:"index"`
			Type         string            `json:"codec_type"`
			Codec        string            `json:"codec_name"`
			SampleFormat string            `json:"sample_fmt"`
			SampleRate   string            `json:"sample_rate"`
			Channels     int               `json:"channels"`
			Layout       string            `json:"channel_layout"`
			Bits         int               `json:"bits_per_sample"`
			BitsRaw      string            `json:"bits_per_raw_sample"`
			Width        int               `json:"width"`
			Height       int               `json:"height"`
			FrameRate    string            `json:"r_frame_rate"`
			Average      string            `json:"avg_frame_rate"`
			FieldOrder   string            `json:"field_order"`
			Tag          string            `json:"codec_tag_string"`
			TimeBase     string            `json:"time_base"`
			Start        int64             `json:"start_pts"`
			DurationTS   int64             `json:"duration_ts"`
			Duration     string            `json:"duration"`
			Tags         map[string]string `json:"tags"`
			Disposition  map[string]int    `json:"disposition"`
		} `json:"streams"`
		Format struct {
			Name     string            `json:"format_name"`
			Duration string            `json:"duration"`
			Tags     map[string]string `json:"tags"`
		} `json:"format"`
	}
	if err := json.Unmarshal(out, &p); err != nil {
		return nil, fmt.Errorf("ffprobe's answer is not understood: %w", err)
	}
	// Matroska has its tags in capitals.
	lower := func(tags map[string]string) map[string]string {
		out := map[string]string{}
		for k, v := range tags {
			out[strings.ToLower(k)] = v
		}
		return out
	}
	p.Format.Tags = lower(p.Format.Tags)
	for i := range p.Streams {
		p.Streams[i].Tags = lower(p.Streams[i].Tags)
	}
	info := &Info{Container: containerName(p.Format.Name, p.Format.Tags["major_brand"]), Timecode: p.Format.Tags["timecode"]}
	var pictureStart, timecodeStart *big.Rat
	for _, s := range p.Streams {
		start := new(big.Rat).Mul(big.NewRat(s.Start, 1), rational(s.TimeBase))
		if s.Tag == "tmcd" && timecodeStart == nil {
			timecodeStart = start
			if r := rational(s.Average); r.Sign() > 0 {
				info.TimecodeRate = timecode.Rate{Num: r.Num().Int64(), Den: r.Denom().Int64()}
			}
		}
		if tc := s.Tags["timecode"]; tc != "" && (info.Timecode == "" || s.Type == "video") {
			info.Timecode = tc
		}
		switch s.Type {
		case "audio":
			a := Stream{Index: s.Index, Codec: s.Codec, Channels: s.Channels, Bits: s.Bits, Float: strings.HasPrefix(s.SampleFormat, "flt") || strings.HasPrefix(s.SampleFormat, "dbl"), Title: s.Tags["title"]}
			if name := s.Tags["handler_name"]; a.Title == "" && !handlers.MatchString(name) {
				a.Title = name // the place of a QuickTime track for its name
			}
			if a.Layout = s.Layout; a.Layout == "unknown" || strings.HasSuffix(a.Layout, " channels") {
				a.Layout = ""
			}
			a.SampleRate, _ = strconv.Atoi(s.SampleRate)
			if n, err := strconv.Atoi(s.BitsRaw); err == nil && a.Bits == 0 {
				a.Bits = n
			}
			a.start = start
			length := new(big.Rat).Mul(big.NewRat(s.DurationTS, 1), rational(s.TimeBase))
			length.Mul(length, big.NewRat(int64(a.SampleRate), 1))
			if n := new(big.Int).Quo(length.Num(), length.Denom()); n.IsInt64() {
				a.Frames = n.Int64()
			}
			a.Lossy = !strings.HasPrefix(s.Codec, "pcm_") && s.Codec != "flac" && s.Codec != "alac"
			if a.Channels < 1 || a.Channels > 256 || a.SampleRate < 1000 || a.SampleRate > 768000 {
				return nil, snag.Refuse("bad_stream", "sound stream %d claims %d channels at %d Hz", s.Index, a.Channels, a.SampleRate)
			}
			if info.Sound = append(info.Sound, a); len(info.Sound) > maxStreams || info.Format().Channels > maxChannels {
				return nil, snag.Refuse("bad_stream", "it claims more than %d sound streams or %d channels: it is damaged, or no recording", maxStreams, maxChannels)
			}
		case "video":
			if info.Picture != nil || s.Disposition["attached_pic"] == 1 {
				continue
			}
			v := &Picture{Codec: s.Codec, Width: s.Width, Height: s.Height, index: s.Index, base: rational(s.TimeBase), start: start}
			v.interlaced = s.FieldOrder != "" && s.FieldOrder != "progressive" && s.FieldOrder != "unknown"
			if r := rational(s.FrameRate); r.Sign() > 0 && r.Num().IsInt64() && r.Denom().IsInt64() {
				v.RateNum, v.RateDen = r.Num().Int64(), r.Denom().Int64()
				v.uneven = offBy(rational(s.Average), r) > 0.01
			}
			if v.Seconds, _ = strconv.ParseFloat(s.Duration, 64); v.Seconds == 0 {
				v.Seconds, _ = strconv.ParseFloat(p.Format.Duration, 64)
			}
			if v.RateNum > 0 && v.RateDen > 0 && v.Width > 0 && v.Height > 0 {
				info.Picture, pictureStart = v, start
			}
		}
	}
	info.offsets(pictureStart, timecodeStart)
	return info, nil
}

// offBy is by how much of b another rate is off it; nothing where it is not known.
func offBy(a, b *big.Rat) float64 {
	if a.Sign() <= 0 {
		return 0
	}
	off, _ := new(big.Rat).Quo(new(big.Rat).Sub(a, b), b).Float64()
	return math.Abs(off)
}

// offsets places the sound streams on the clock that begins with the picture, or with the timecode track
// where there is no picture, or with the first sound.
func (i *Info) offsets(picture, tc *big.Rat) {
	zero := picture
	if zero == nil {
		zero = tc
	}
	for _, s := range i.Sound {
		if zero == nil || picture == nil && tc == nil && s.start.Cmp(zero) < 0 {
			zero = s.start
		}
	}
	against := "the picture"
	if picture == nil {
		against = "the others or the timecode"
	}
	for n := range i.Sound {
		s := &i.Sound[n]
		d := new(big.Rat).Sub(s.start, zero)
		d.Mul(d, big.NewRat(int64(s.SampleRate), 1))
		twice := new(big.Int).Quo(new(big.Int).Mul(d.Num(), big.NewInt(2)), d.Denom()) // to the nearest sample
		if !twice.IsInt64() {
			continue
		}
		if s.Offset = (twice.Int64() + int64(twice.Sign())) / 2; s.Offset == 0 {
			continue
		}
		ms := 1000 * float64(s.Offset) / float64(s.SampleRate)
		if ms < 0 {
			i.Snags = append(i.Snags, snag.New("stream_offset", "sound stream %d starts %.3f ms before %s; it is laid there", n+1, -ms, against))
		} else {
			i.Snags = append(i.Snags, snag.New("stream_offset", "sound stream %d starts %.3f ms after %s; it is laid there, after silence", n+1, ms, against))
		}
	}
}

// Format is that of the sound of all streams, as one file holds it.
func (i *Info) Format() wave.Format {
	f := wave.Format{Coding: common(i.Sound)}
	for _, s := range i.Sound {
		f.SampleRate = s.SampleRate
		f.Channels += s.Channels
	}
	f.ValidBits = f.Coding.Bits()
	return f
}

// Frames is how long the sound is, from the first to the last of all streams, as the container says; 0 where it
// does not.
func (i *Info) Frames() int64 {
	frames := int64(0)
	for _, s := range i.Sound {
		frames = max(frames, i.Lead()+s.Offset+s.Frames)
	}
	return frames
}

// Facts is what the container says of its sound: start, titles of streams, and what is amiss.
func (i *Info) Facts() source.Facts {
	f := source.Facts{Start: -1, Snags: i.Snags}
	rate := i.Format().SampleRate
	if start, tc, ok := i.Start(rate); ok && rate > 0 {
		day := 86400 * int64(rate)
		f.Start, f.Rate = ((start-i.Lead())%day+day)%day, tc
	}
	for _, s := range i.Sound {
		for c := range s.Channels {
			label, from := s.Title, ""
			if label != "" {
				if from = "container"; s.Channels > 1 {
					label = fmt.Sprintf("%s %d", label, c+1)
				}
			}
			n := len(f.Tracks) + 1
			f.Tracks = append(f.Tracks, source.TrackFact{Channel: n, Label: label, LabelSource: from, RecorderTrack: n})
		}
	}
	return f
}

// Lead is how many samples of sound come before the picture begins, in the working copy: 0 unless a stream
// starts earlier.
func (i *Info) Lead() int64 {
	lead := int64(0)
	for _, s := range i.Sound {
		lead = max(lead, -s.Offset)
	}
	return lead
}

// rational reads a fraction as ffprobe writes it, 0 when it is none.
func rational(s string) *big.Rat {
	num, den, _ := strings.Cut(s, "/")
	a, err1 := strconv.ParseInt(num, 10, 64)
	b, err2 := strconv.ParseInt(den, 10, 64)
	if err1 != nil || err2 != nil || b == 0 {
		return new(big.Rat)
	}
	return big.NewRat(a, b)
}

func containerName(format, brand string) string {
	switch {
	case strings.Contains(format, "mov") && strings.HasPrefix(brand, "qt"), strings.Contains(format, "mov") && brand == "":
		return "MOV"
	case strings.Contains(format, "mp4"):
		return "MP4"
	case strings.Contains(format, "matroska"):
		return "MKV"
	case strings.HasPrefix(format, "mxf"):
		return "MXF"
	}
	name, _, _ := strings.Cut(format, ",")
	return strings.ToUpper(name)
}

// Start is where the picture, or without one the sound, begins by the timecode track, in samples since
// midnight at a sample rate. ok is false when there is no timecode, or nothing tells what it counts in.
func (i *Info) Start(sampleRate int) (start int64, rate timecode.Rate, ok bool) {
	if i.Timecode == "" {
		return 0, rate, false
	}
	if rate = i.TimecodeRate; i.Picture != nil {
		rate = i.Picture.Rate()
	}
	if rate.Zero() || sampleRate < 1 {
		return 0, rate, false
	}
	rate.Drop = strings.ContainsAny(i.Timecode, ";.")
	frame, err := rate.Parse(i.Timecode)
	if err != nil {
		return 0, rate, false
	}
	return rate.SampleAt(frame, int64(sampleRate)), rate, true
}

// Groups is how many channels each sound stream has.
func (i *Info) Groups() (g []int) {
	for _, s := range i.Sound {
		g = append(g, s.Channels)
	}
	return g
}
