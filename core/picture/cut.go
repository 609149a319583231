package picture

import (
	"context"
	"fmt"
	"math/big"
	"strconv"
	"strings"

	"zestyloom/core/snag"
)

// Cut is a stretch of a picture, in frames of it.
type Cut struct {
	First  int64 `json:"first"` // from 0, in the order in which they are seen
	Frames int64 `json:"frames"`
}

// Edges is how a cut falls on the frames that a picture's coder took anew (key frames).
type Edges struct {
	// Copies is whether its packets can be copied as they lie: it begins with a key frame, no frame of it is coded by one outside, and
	// none from outside lies between its own.
	Copies bool
	// Before and After are the key frames next to the first frame: Before may be that frame. -1 where there is none within reach.
	Before, After int64
	// Open says that the first frame is a key frame, and that frames which are seen before it are coded after it, by it.
	Open bool
	// EndBefore and EndAfter are where a copy could end instead, where it can begin and can't end as it should: the frames after its
	// last. -1 where there is none within reach.
	EndBefore, EndAfter int64
}

// reach is how far around an edge is looked for key frames.
const reach = 20 // seconds

// packet is a packet of a picture: which frame of it, and whether nothing before it is needed to show it.
type packet struct {
	frame int64
	key   bool
}

// within refuses a cut that a picture does not have, or one whose frames can't be counted.
func (i *Info) within(c Cut) error {
	if i.Picture == nil || i.Picture.start == nil {
		return snag.Refuse("no_picture", "the file has no picture")
	}
	if i.Picture.uneven {
		return uncounted(c.First, "its frames last longer and shorter than the rate that it says")
	}
	if n := i.Picture.Frames(); c.First < 0 || c.Frames < 1 || c.First > n-c.Frames {
		return snag.Refuse("picture_short", "frames %d to %d of a picture that has %d can't be cut out", c.First, c.First+c.Frames-1, n)
	}
	return nil
}

// at is where a frame lies on the file's clock, in seconds; near says a part of a frame earlier (-) or later.
func (p *Picture) at(frame int64, near *big.Rat) *big.Rat {
	t := new(big.Rat).SetInt64(frame)
	t.Add(t, near)
	t.Mul(t, big.NewRat(p.RateDen, p.RateNum))
	return t.Add(t, p.start)
}

// Edges looks where the edges of a cut fall.
func (i *Info) Edges(ctx context.Context, path string, c Cut) (Edges, error) {
	e := Edges{Before: -1, After: -1, EndBefore: -1, EndAfter: -1}
	if err := i.within(c); err != nil {
		return e, err
	}
	end := c.First + c.Frames
	head, err := i.packets(ctx, path, c.First)
	if err != nil {
		return e, err
	}
	began, clean := -1, true
	for n, p := range head {
		switch {
		case p.key && p.frame <= c.First:
			e.Before = max(e.Before, p.frame)
			if p.frame == c.First {
				began = n
			}
		case p.key && (e.After < 0 || p.frame < e.After):
			e.After = p.frame
		}
		// Frames that are seen before the first and coded after it lie between those that would be copied.
		if began >= 0 && n > began && p.frame < c.First {
			clean = false
		}
	}
	if began < 0 || !clean {
		e.Open = began >= 0
		return e, nil
	}
	tail, err := i.packets(ctx, path, end-1)
	if err != nil {
		return e, err
	}
	// A copy ends where all that is coded before is seen before all that is coded after.
	next := make([]int64, len(tail)+1) // the first to be seen of those from here on
	next[len(tail)] = i.Picture.Frames()
	for k := len(tail) - 1; k >= 0; k-- {
		next[k] = min(next[k+1], tail[k].frame)
	}
	seen := int64(-1)
	for k, p := range tail {
		if seen = max(seen, p.frame); seen >= next[k+1] {
			continue
		}
		switch n := seen + 1; {
		case n == end:
			e.Copies = true
		case n < end && n > c.First:
			e.EndBefore = n
		case n > end && e.EndAfter < 0:
			e.EndAfter = n
		}
	}
	return e, nil
}

// packets lists the packets around a frame in the order of the file: from a key frame before it, or the frame itself, on.
func (i *Info) packets(ctx context.Context, path string, around int64) ([]packet, error) {
	from := i.Picture.at(around, big.NewRat(1, 4))
	until := new(big.Rat).Add(from, big.NewRat(reach, 1))
	c := call{program: "ffprobe", in: path, wall: probeTime, before: []string{
		"-select_streams", strconv.Itoa(i.Picture.index), "-show_entries", "packet=pts,flags", "-of", "csv=p=0",
		"-read_intervals", from.FloatString(6) + "%" + until.FloatString(6),
	}}
	out, err := c.run(ctx)
	if err != nil {
		return nil, err
	}
	var list []packet
	for _, line := range strings.Fields(string(out)) {
		stamp, flags, _ := strings.Cut(line, ",")
		pts, err := strconv.ParseInt(stamp, 10, 64)
		if err != nil {
			return nil, uncounted(around, "a packet does not say when it is seen")
		}
		frame, ok := i.Picture.frameOf(pts)
		if !ok {
			return nil, uncounted(around, "its frames do not follow each other at the one rate that it says")
		}
		list = append(list, packet{frame, strings.HasPrefix(flags, "K")})
	}
	return list, nil
}

func uncounted(around int64, why string) error {
	return snag.Refuse("picture_uncounted", "the picture can't be cut to the frame around frame %d: %s; have it made anew at a constant frame rate", around, why)
}

// frameOf is which frame is seen at a time of its stream, which a container may have rounded.
func (p *Picture) frameOf(pts int64) (frame int64, ok bool) {
	t := new(big.Rat).Mul(big.NewRat(pts, 1), p.base)
	t.Sub(t, p.start)
	t.Mul(t, big.NewRat(p.RateNum, p.RateDen))
	near, off := nearest(t)
	return near, off.Cmp(big.NewRat(1, 8)) <= 0
}

// nearest is the whole number next to another, and how far it is.
func nearest(x *big.Rat) (int64, *big.Rat) {
	half := new(big.Rat).Add(x, big.NewRat(1, 2))
	n := new(big.Int).Div(half.Num(), half.Denom()) // Euclid's, which for a denominator above 0 rounds down
	off := new(big.Rat).Sub(x, new(big.Rat).SetInt(n))
	return n.Int64(), off.Abs(off)
}

// Coder is a coding that a picture can be coded anew in.
type Coder struct {
	Name       string   // of its standard
	Containers []string // that hold it
	encoder    []string // of ffmpeg, and what it is told besides
	quality    []string // where no rate is asked for
	fields     bool     // it keeps interlaced pictures as such
}

// Coders are those, by the names that specs call them by. Each is told how many threads it has, as what it writes depends on that.
var Coders = map[string]Coder{
	"h264": {"H.264", []string{"mov", "mp4"}, []string{"libx264", "-preset", "medium"}, []string{"-crf", "14"}, true},
	// One thread alone: with more, what it makes of a limited rate depends on which of them is first. It names its settings nowhere in
	// the file.
	"h265":  {"H.265", []string{"mov", "mp4"}, []string{"libx265", "-preset", "medium", "-tag:v", "hvc1", "-x265-params", "log-level=none:info=0:pools=none:frame-threads=1:wpp=0"}, []string{"-crf", "14"}, false},
	"mpeg2": {"MPEG-2 (H.262)", []string{"mov", "mxf"}, []string{"mpeg2video", "-bf", "2"}, []string{"-qscale:v", "2"}, true},
	"vc3":   {"VC-3 (SMPTE ST 2019-1)", []string{"mov"}, []string{"dnxhd", "-profile:v", "dnxhr_hq", "-pix_fmt", "yuv422p"}, nil, false},
	"mjpeg": {"Motion JPEG", []string{"mov"}, []string{"mjpeg", "-threads:v", "1"}, []string{"-qscale:v", "2"}, false},
	"ffv1":  {"FFV1 (RFC 9043)", []string{"mov"}, []string{"ffv1", "-level", "3"}, nil, false},
}

// CoderNames are the names of Coders, in the order in which they are listed.
var CoderNames = []string{"h264", "h265", "mpeg2", "vc3", "mjpeg", "ffv1"}

// coderThreads is how many threads a coder has, on every machine. Motion JPEG is the same again with one alone.
const coderThreads = 4

// arguments is what ffmpeg is told to code with.
func (c Coder) arguments(megabits float64, interlaced bool) []string {
	out := append([]string{"-c:v", c.encoder[0], "-threads:v", strconv.Itoa(coderThreads)}, c.encoder[1:]...)
	switch {
	case megabits > 0 && c.quality != nil:
		bits := strconv.FormatInt(int64(megabits*1e6), 10)
		out = append(out, "-b:v", bits, "-maxrate", bits, "-bufsize", strconv.FormatInt(int64(megabits*2e6), 10))
	default:
		out = append(out, c.quality...)
	}
	if interlaced && c.fields {
		out = append(out, "-flags", "+ildct+ilme")
	}
	return out
}

// Rated reports whether a coder can be held to a bit rate.
func (c Coder) Rated() bool { return c.quality != nil }

// Cutting is a cut, and how it is made.
type Cutting struct {
	Cut
	// Codec is the one of Coders that it is coded anew with; empty where its packets are copied.
	Codec    string  `json:"codec,omitempty"`
	Megabits float64 `json:"megabits,omitempty"` // a second, at most; 0 for a quality that is hard to tell from the original
	// Before and After are frames of black that are made at its edges, of its size and rate: it is coded anew then.
	Before int64 `json:"before,omitempty"`
	After  int64 `json:"after,omitempty"`
}

// Length is how many frames it has with its black.
func (c Cutting) Length() int64 { return c.Before + c.Frames + c.After }

// CoderOf is the coder that makes what a picture is coded as, by its name in Coders; empty where there is none.
func (i *Info) CoderOf() string {
	return map[string]string{"h264": "h264", "hevc": "h265", "mpeg2video": "mpeg2", "dnxhd": "vc3", "mjpeg": "mjpeg", "ffv1": "ffv1"}[i.Picture.Codec]
}

// lead is how many frames before a cut a file is taken up: more than coders reorder, so that what is found there does not lie behind
// the first frame in the order of the file, and before it as it is seen.
const lead = 50

// seek is what has ffmpeg take a file up before a frame, and when that is, in seconds of the file's clock; its times stay those of
// the file.
func (p *Picture) seek(frame int64) (args []string, at *big.Rat) {
	if frame -= lead; frame <= 0 {
		return nil, p.start
	}
	at, _ = new(big.Rat).SetString(p.at(frame, new(big.Rat)).FloatString(6))
	return []string{"-seek_timestamp", "1", "-noaccurate_seek", "-ss", at.FloatString(6)}, at
}

// taken is what ffmpeg is told for a stretch to be decoded, its first frame at 0: before the file, and as filters.
func (p *Picture) taken(c Cut) (before []string, filters string) {
	before, _ = p.seek(c.First)
	edge := func(frame int64) string { return p.at(frame, big.NewRat(-1, 2)).FloatString(6) }
	return append(before, "-copyts"), fmt.Sprintf("trim=start=%s:end=%s,setpts=N*%d/(%d*TB)", edge(c.First), edge(c.First+c.Frames), p.RateDen, p.RateNum)
}

// write writes a cut by itself, its first frame at 0: picture only, as a MOV.
func (c Cutting) write(ctx context.Context, picture, out string) error {
	info, err := Probe(ctx, picture)
	if err == nil {
		err = info.within(c.Cut)
	}
	if err != nil {
		return err
	}
	p := info.Picture
	run := call{program: "ffmpeg", in: picture, wall: decodeTime, before: []string{"-nostdin", "-y"}, after: []string{"-map", "0:" + strconv.Itoa(p.index)}}
	coder, known := Coders[c.Codec]
	switch {
	case c.Codec == "":
		before, at := p.seek(c.First)
		// Packets are let go of by when they are seen, from half a frame before the first to half a frame before what follows: ffmpeg's
		// own limits go by when they are coded. It is told when to stop reading alone, with room for what is coded later. Times are
		// counted in parts of a frame, and those that a container has rounded are put where they belong.
		each, scale := p.RateDen, p.RateNum
		for scale < 10000 {
			each, scale = 2*each, 2*scale
		}
		edge := func(frame int64) string {
			return new(big.Rat).Mul(p.at(frame, big.NewRat(-1, 2)), big.NewRat(scale, 1)).FloatString(3)
		}
		long := new(big.Rat).Sub(p.at(c.First+c.Frames+lead, new(big.Rat)), at)
		run.before = append(append(run.before, before...), "-copyts", "-t", long.FloatString(6))
		run.after = append(run.after, "-c:v", "copy", "-video_track_timescale", strconv.FormatInt(scale, 10), "-bsf:v", fmt.Sprintf(
			"noise=amount=0:drop='lt(pts,%s)+gte(pts,%s)',setts=pts=round((PTS-STARTPTS)/%[3]d)*%[3]d:dts=round((DTS-STARTPTS)/%[3]d)*%[3]d", edge(c.First), edge(c.First+c.Frames), each))
	case known:
		before, filters := p.taken(c.Cut)
		if c.Before > 0 || c.After > 0 {
			filters += fmt.Sprintf(",tpad=start=%d:stop=%d:color=black,setpts=N*%d/(%d*TB)", c.Before, c.After, p.RateDen, p.RateNum)
		}
		run.before = append(run.before, before...)
		run.after = append(append(run.after, "-vf", filters, "-fps_mode", "passthrough"), coder.arguments(c.Megabits, p.interlaced)...)
	default:
		return snag.Refuse("bad_spec", "a picture is coded anew as %s, not as %q", strings.Join(CoderNames, ", "), c.Codec)
	}
	run.after = append(run.after, "-map_metadata", "-1", "-write_tmcd", "0", "-bitexact", "-f", "mov", "file:"+out)
	_, err = run.run(ctx)
	return err
}
