package picture

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/snag"
)

// Likeness is what a picture that was cut out has in common with the stretch that was ordered, frame by frame as they are decoded.
type Likeness struct {
	Frames  int64 // that were made
	Same    int64 // of them that are, point by point, those that were ordered
	Differs int64 // the first that is not, from 0; -1 where there is none
	// Least is the least peak signal-to-noise ratio of a frame, in dB over all points of its three planes; +Inf where all are the same,
	// or where it was not asked for.
	Least   float64
	LeastAt int64
	Black   int64 // frames of black, where such were made
}

// mostFrames bounds what is said of frames, in bytes.
const mostFrames = 128 << 20

// Compare decodes a cut that was made, and the same stretch of what it was cut out of, and says how alike they are. weigh
// asks for Least, for a picture that was coded anew.
func Compare(ctx context.Context, original string, c Cut, made string, weigh bool) (Likeness, error) {
	return Cutting{Cut: c}.Compare(ctx, original, made, weigh)
}

// Compare does so for what was made with black at its edges, which it looks at, too. Frames are counted from the black on.
func (c Cutting) Compare(ctx context.Context, original, made string, weigh bool) (Likeness, error) {
	l := Likeness{Differs: -1, Least: math.Inf(1), LeastAt: -1}
	was, err := Probe(ctx, original)
	if err != nil {
		return l, err
	}
	if err := was.within(c.Cut); err != nil {
		return l, err
	}
	is, err := Probe(ctx, made)
	if err != nil {
		return l, err
	}
	if is.Picture == nil {
		return l, snag.Refuse("no_picture", "%s has no picture", made)
	}
	want, err := was.frameHashes(ctx, original, &c.Cut)
	if err != nil {
		return l, err
	}
	got, err := is.frameHashes(ctx, made, nil)
	if err != nil {
		return l, err
	}
	l.Frames = int64(len(got))
	for k, h := range got {
		switch k -= int(c.Before); {
		case k < 0 || int64(k) >= c.Frames && int64(k) < c.Frames+c.After:
		case k < len(want) && want[k] == h:
			l.Same++
		case l.Differs < 0:
			l.Differs = int64(k) + c.Before
		}
	}
	if weigh && l.Same != c.Frames && l.Frames == c.Length() {
		err = was.weigh(ctx, original, c, is, made, &l)
	}
	if err == nil && c.Before+c.After > 0 {
		l.Black, err = is.black(ctx, made, c)
	}
	return l, err
}

// frameHashes are those of a picture's frames as they are decoded, or of a stretch of it: MD5, and how many bytes each has.
func (i *Info) frameHashes(ctx context.Context, path string, c *Cut) ([]string, error) {
	run := call{program: "ffmpeg", in: path, wall: decodeTime, most: mostFrames, before: []string{"-nostdin"}}
	run.after = []string{"-map", "0:" + strconv.Itoa(i.Picture.index), "-fps_mode", "passthrough"}
	if c != nil {
		before, filters := i.Picture.taken(*c)
		run.before, run.after = append(run.before, before...), append(run.after, "-vf", filters)
	}
	run.after = append(run.after, "-f", "framehash", "-hash", "md5", "-")
	out, err := run.run(ctx)
	if err != nil {
		return nil, err
	}
	var hashes []string
	for line := range strings.Lines(string(out)) {
		if f := strings.Split(strings.TrimSpace(line), ","); !strings.HasPrefix(line, "#") && len(f) == 6 {
			hashes = append(hashes, strings.TrimSpace(f[4])+" "+strings.TrimSpace(f[5]))
		}
	}
	return hashes, nil
}

// weigh finds the frame that is least like the one that was ordered.
func (i *Info) weigh(ctx context.Context, path string, c Cutting, is *Info, made string, l *Likeness) error {
	kind := map[string]string{"MOV": "mov", "MP4": "mov", "MKV": "matroska", "MXF": "mxf"}[is.Container]
	before, filters := i.Picture.taken(c.Cut)
	run := call{program: "ffmpeg", in: path, wall: decodeTime, most: mostFrames, before: append([]string{"-nostdin"}, before...)}
	side := func(from string, p *Picture, first string) string {
		return fmt.Sprintf("[%s:%d]%ssettb=1/1000000,setpts=N*1000,format=yuv444p", from, p.index, first)
	}
	run.after = []string{"-f", kind, "-i", "file:" + made, "-lavfi", side("0", i.Picture, filters+",") + "[a];" + side("1", is.Picture, fmt.Sprintf("trim=start_frame=%d:end_frame=%d,", c.Before, c.Before+c.Frames)) + "[b];[b][a]psnr=stats_file=-", "-f", "null", "-"}
	out, err := run.run(ctx)
	if err != nil {
		return err
	}
	weighed := int64(0)
	for line := range strings.Lines(string(out)) {
		n, avg := int64(-1), ""
		for _, word := range strings.Fields(line) {
			if v, ok := strings.CutPrefix(word, "n:"); ok {
				n, _ = strconv.ParseInt(v, 10, 64)
			}
			if v, ok := strings.CutPrefix(word, "psnr_avg:"); ok {
				avg = v
			}
		}
		v, err := strconv.ParseFloat(avg, 64)
		if err != nil {
			continue
		}
		if weighed++; v < l.Least {
			l.Least, l.LeastAt = v, n-1+c.Before
		}
	}
	if weighed != c.Frames {
		return snag.Refuse("picture_unreadable", "%d frames were compared with the original, and %d were expected", weighed, c.Frames)
	}
	return nil
}

// darkest is what a point of black may be at most, of 255: coders round.
const darkest = 3

// black counts the frames at the edges that hold nothing but black, as they are decoded and seen small.
func (i *Info) black(ctx context.Context, path string, c Cutting) (n int64, err error) {
	const wide, high = 32, 18
	run := call{program: "ffmpeg", in: path, wall: decodeTime, most: wide*high*int(c.Before+c.After) + 1, before: []string{"-nostdin"}}
	run.after = []string{"-map", "0:" + strconv.Itoa(i.Picture.index), "-fps_mode", "passthrough", "-vf",
		fmt.Sprintf("select='lt(n,%d)+gte(n,%d)',scale=%d:%d:flags=area:out_range=pc,format=gray", c.Before, c.Before+c.Frames, wide, high), "-f", "rawvideo", "-"}
	out, err := run.run(ctx)
	if err != nil {
		return 0, err
	}
	for ; len(out) >= wide*high; out = out[wide*high:] {
		if slices.Max(out[:wide*high]) <= darkest {
			n++
		}
	}
	return n, nil
}
