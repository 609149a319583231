package picture

import (
	"cmp"
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// ParseGroups reads how channels are grouped in streams: "2+1+1+2", or "6x1+2" for six streams of one channel and one of two.
func ParseGroups(text string) ([]int, error) {
	var out []int
	for _, part := range strings.Split(text, "+") {
		times, width := "1", strings.TrimSpace(part)
		if a, b, ok := strings.Cut(strings.ReplaceAll(strings.ToLower(width), "×", "x"), "x"); ok {
			times, width = strings.TrimSpace(a), strings.TrimSpace(b)
		}
		n, err1 := strconv.Atoi(times)
		w, err2 := strconv.Atoi(width)
		if err1 != nil || err2 != nil || n < 1 || w < 1 || w > audio.MaxChannels || len(out)+n > audio.MaxChannels {
			return nil, fmt.Errorf("groups %q: %q is not understood: widths with + between them are expected, such as 2+1+1+2 or 6x1+2", text, part)
		}
		for range n {
			out = append(out, w)
		}
	}
	return out, nil
}

// Wrapped is what Wrap made, as it was read back.
type Wrapped struct {
	Path      string          `json:"path"`
	Container string          `json:"container"`
	Streams   []WrappedStream `json:"streams"`
	Picture   string          `json:"picture_md5"` // of the packets, the same in the original
	Timecode  string          `json:"timecode"`
	Frames    int64           `json:"frames"`
	Headset   *Headset        `json:"headset,omitempty"` // how the picture is marked to be seen
	Snags     []snag.Snag     `json:"snags"`
}

// WrappedStream is one sound stream: which channels of the sound it holds, from 1.
type WrappedStream struct {
	Channels []int    `json:"channels"`
	Labels   []string `json:"labels"`
	Codec    string   `json:"codec"`
	Field    *Field   `json:"field,omitempty"` // the sound field that it is marked as
}

// WrapOptions is what Wrap makes of what.
type WrapOptions struct {
	Picture, Sound string   // files
	Groups         []int    // how wide each stream is, in order
	Field          *Field   // that the first stream is marked as, nil for none
	Headset        *Headset // that the picture is marked as, where it is not; nil for as it is
	Out, Tmp       string   // the file, and a folder for what is needed on the way
	Force          bool     // overwrite
	Pad            bool     // fill a sound that is shorter than the picture by more than a frame
	Dry            bool     // write nothing
}

// Wrap writes a file with the picture of another, its packets untouched, and the channels of a sound file in streams, each
// as wide as the groups say, in order. It is read back: the streams, every sample, the picture.
//
// An MXF ends all of its streams with the shortest: a sound that is shorter than the picture by less than a frame is filled with
// silence, and Pad says that one may be by more.
func Wrap(ctx context.Context, o WrapOptions) (*Wrapped, error) {
	picture, sound, groups, field, out, tmp := o.Picture, o.Sound, o.Groups, o.Field, o.Out, o.Tmp
	kind := map[string]string{".mov": "mov", ".mxf": "mxf", ".mkv": "matroska"}[strings.ToLower(filepath.Ext(out))]
	if kind == "" {
		return nil, snag.Refuse("bad_name", "%s: sound as it is goes into .mov, .mxf and .mkv", out)
	}
	if field != nil {
		if kind != "mov" {
			return nil, snag.Refuse("bad_field", "%s: a sound field is marked in .mov and .mp4", out)
		}
		if err := field.Check(groups[0]); err != nil {
			return nil, err
		}
	}
	info, err := Probe(ctx, picture)
	if err != nil {
		return nil, err
	}
	if info.Picture == nil {
		return nil, snag.Refuse("no_picture", "%s has no picture", picture)
	}
	src, err := source.Open(sound)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	w := &Wrapped{Path: out, Frames: src.Frames, Snags: append([]snag.Snag{}, src.Snags...)}
	total := 0
	for _, g := range groups {
		total += g
	}
	if total != src.Format.Channels {
		return nil, snag.Refuse("bad_channels", "the groups take %d channels, and %s has %d", total, filepath.Base(sound), src.Format.Channels)
	}
	if err := w.headset(info, kind, o.Headset); err != nil {
		return nil, err
	}
	codec, err := pcmCodec(src.Format.Coding, kind)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", filepath.Base(sound), err)
	}
	facts := src.Gather(filepath.Base(sound))
	// A file for each group, by bytes, and then one stream of each.
	var parts []string
	defer func() { remove(parts) }()
	pack := Pack{Kind: kind, Picture: picture, Coding: src.Format.Coding, Fields: []*Field{field}, Headset: w.Headset}
	first := 0
	for i, g := range groups {
		s := WrappedStream{Codec: codec}
		part := poly.Out{Path: filepath.Join(tmp, fmt.Sprintf("group_%d.wav", i+1))}
		for c := first; c < first+g; c++ {
			label := facts.Tracks[c].Label
			s.Channels, s.Labels = append(s.Channels, c+1), append(s.Labels, label)
			part.Strands = append(part.Strands, poly.Strand{Path: sound, Channel: c + 1, Label: label})
		}
		first += g
		if !o.Dry {
			if _, err := poly.Write(ctx, []poly.Out{part}, poly.Said{Facts: source.Facts{Start: -1}, Bare: true}, poly.WriteOptions{Force: true}, nil); err != nil {
				return nil, err
			}
			parts = append(parts, part.Path)
		}
		w.Streams = append(w.Streams, s)
		pack.Titles = append(pack.Titles, strings.TrimSpace(strings.Join(s.Labels, " ")))
	}
	if err := w.fill(info, kind, parts, src.Format.SampleRate, o.Pad); err != nil {
		return nil, err
	}
	var counted timecode.Rate
	if facts.Start >= 0 {
		rate := info.counted(facts.Rate)
		counted = rate
		if frame := rate.FrameAt(facts.Start, int64(src.Format.SampleRate)); rate.SampleAt(frame, int64(src.Format.SampleRate)) != facts.Start {
			w.Snags = append(w.Snags, snag.New("start_disagrees", "the sound starts at sample %d, which is within a frame: the timecode says the frame", facts.Start))
		}
		pack.Start = rate.FormatSamples(facts.Start, int64(src.Format.SampleRate))
	}
	if o.Dry {
		w.Streams[0].Field, w.Timecode, w.Container = field, pack.Start, strings.ToUpper(strings.TrimPrefix(filepath.Ext(out), "."))
		return w, wholefile.Free(out, o.Force)
	}
	// It is written where it will lie, and gets its name once it is proven.
	file, err := wholefile.Create(out, o.Force)
	if err != nil {
		return nil, err
	}
	defer file.Abort()
	made := file.Name()
	pack.Sounds, pack.Out = parts, made
	if err := pack.Write(ctx); err != nil {
		return nil, err
	}
	w.Streams[0].Field = field
	if err := w.prove(ctx, picture, made, parts, groups, tmp); err != nil {
		return nil, err
	}
	if pack.Start != "" {
		if err := w.clock(made, out, counted, facts.Start, src.Format.SampleRate); err != nil {
			return nil, err
		}
	}
	return w, file.Commit()
}

// headset settles how the picture is marked to be seen with a headset: as it is marked, or as is asked where it is not. Other
// containers than MOV lose the mark.
func (w *Wrapped) headset(info *Info, kind string, asked *Headset) error {
	is := info.Picture.Headset
	switch {
	case asked != nil && kind != "mov":
		return snag.Refuse("bad_headset", "%s: a picture is marked for headsets in .mov and .mp4", w.Path)
	case asked != nil && is != nil && !is.Same(*asked):
		return snag.Refuse("bad_headset", "the picture is marked already, and as something else: %s", is)
	case is != nil && kind != "mov":
		w.Snags = append(w.Snags, snag.New("headset_lost", "the picture says how it is seen with a headset (%s), which only a MOV keeps", is))
	case is != nil:
		w.Headset = is
	default:
		w.Headset = asked
	}
	return nil
}

// counted is the rate at which a wrapped file counts its timecode: that of the picture, with frames dropped where the sound, or the
// picture's own timecode, drops them. A rate of 30000/1001 alone does not say it.
func (i *Info) counted(sound timecode.Rate) timecode.Rate {
	rate := i.TimecodeRate
	if rate.Zero() {
		rate = i.Picture.Rate()
	}
	rate.Drop = strings.ContainsAny(i.Timecode, ";.")
	if !sound.Zero() && sound.Num*rate.Den == rate.Num*sound.Den {
		rate.Drop = sound.Drop
	}
	return rate
}

// fill fills the sounds of an MXF up to the length of the picture.
func (w *Wrapped) fill(info *Info, kind string, parts []string, sampleRate int, pad bool) error {
	length, frame := info.Picture.Samples(sampleRate), info.Picture.Rate().SampleAt(1, int64(sampleRate))
	missing := length - w.Frames
	if kind != "mxf" || missing <= 0 {
		return nil
	}
	if missing > frame && !pad {
		return snag.Refuse("length_differs", "the sound is %d samples shorter than the picture (%d frames), and an MXF ends with the shorter: say that it is to be filled with silence (option --pad), or cut the picture", missing, missing/frame)
	}
	for _, part := range parts {
		if err := lengthen(part, missing); err != nil {
			return err
		}
	}
	w.Snags = append(w.Snags, snag.New("padded", "the sound is %d samples shorter than the picture: silence fills its end", missing))
	w.Frames = length
	return nil
}

// lengthen writes a WAV of ours again with silence at its end.
func lengthen(path string, frames int64) error {
	src, err := source.Open(path)
	if err != nil {
		return err
	}
	defer src.Close()
	file, err := wholefile.Create(path, true)
	if err != nil {
		return err
	}
	defer file.Abort()
	out, err := wave.NewWriter(file, wave.Options{Format: src.Format})
	if err != nil {
		return err
	}
	err = src.EachBlock(context.Background(), 1<<20, func(raw []byte, _ int64) error {
		_, err := out.Write(raw)
		return err
	})
	if err != nil {
		return err
	}
	silence := make([]byte, src.Format.FrameBytes()*4096)
	for frames > 0 {
		n := min(frames, 4096)
		if _, err := out.Write(silence[:int(n)*src.Format.FrameBytes()]); err != nil {
			return err
		}
		frames -= n
	}
	if err := out.Close(); err != nil {
		return err
	}
	return file.Commit()
}

// clock holds the timecode of a file that was made against the start of its sound, by our own parser where the container is one that
// it reads, and by ffprobe.
func (w *Wrapped) clock(made, named string, rate timecode.Rate, start int64, sampleRate int) error {
	asked := rate.SampleAt(rate.FrameAt(start, int64(sampleRate)), int64(sampleRate))
	wrong := func(reader, found string) error {
		return snag.Refuse("proof_failed", "%s read back is not what it should be: it starts at %s by %s, and the sound at %s (sample %d)", w.Path, found, reader, rate.FormatSamples(start, int64(sampleRate)), start)
	}
	if ext := strings.ToLower(filepath.Ext(named)); ext == ".mov" || ext == ".mxf" {
		c, ok, err := readClock(made, ext)
		switch {
		case err != nil:
			return err
		case !ok:
			return wrong("its timecode track", "nothing")
		case c.Rate.Drop != rate.Drop || c.Rate.SampleAt(c.Frame, int64(sampleRate)) != asked:
			return wrong("its timecode track", c.String())
		}
	}
	info, err := Probe(context.Background(), made)
	if err != nil {
		return err
	}
	if found, as, ok := info.Start(sampleRate); !ok || found != asked || as.Drop != rate.Drop {
		return wrong("ffprobe", cmp.Or(info.Timecode, "nothing"))
	}
	return nil
}

// prove reads a wrapped file back and compares it with what went into it.
func (w *Wrapped) prove(ctx context.Context, picture, made string, parts []string, groups []int, tmp string) error {
	differs := func(format string, args ...any) error {
		return snag.Refuse("proof_failed", "%s read back is not what it should be: "+format, append([]any{w.Path}, args...)...)
	}
	info, err := Probe(ctx, made)
	if err != nil {
		return err
	}
	w.Container, w.Timecode = info.Container, info.Timecode
	if got := info.Groups(); !slices.Equal(got, groups) {
		return differs("its streams are %v channels wide, and %v was ordered", got, groups)
	}
	for i, s := range info.Sound {
		if want := w.Streams[i].Field; (want == nil) != (s.Field == nil) || want != nil && *want != *s.Field {
			return differs("stream %d is not marked as the sound field that it is", i+1)
		}
	}
	if is := info.Picture.Headset; (is == nil) != (w.Headset == nil) || is != nil && !is.Same(*w.Headset) {
		return differs("its picture is not marked as it is seen with a headset")
	}
	before, err := packets(ctx, picture)
	if err != nil {
		return err
	}
	after, err := packets(ctx, made)
	if err != nil {
		return err
	}
	if before != after {
		return differs("its picture is not the original's, packet by packet")
	}
	w.Picture = after
	back, err := info.decode(ctx, made, tmp, Stream.Coding)
	defer remove(back)
	if err != nil {
		return err
	}
	for i := range parts {
		if err := sameSound(parts[i], back[i]); err != nil {
			return differs("stream %d: %w", i+1, err)
		}
	}
	return nil
}

// packets is a hash of the picture's packets.
func packets(ctx context.Context, path string) (string, error) {
	out, err := call{program: "ffmpeg", in: path, before: []string{"-nostdin"}, after: []string{"-map", "0:v:0", "-c", "copy", "-f", "md5", "-"}, wall: decodeTime}.run(ctx)
	return strings.TrimPrefix(strings.TrimSpace(string(out)), "MD5="), err
}

// sameSound compares two sound files sample by sample.
func sameSound(a, b string) error {
	x, err := source.Open(a)
	if err != nil {
		return err
	}
	defer x.Close()
	y, err := source.Open(b)
	if err != nil {
		return err
	}
	defer y.Close()
	if x.Frames != y.Frames || x.Format.Channels != y.Format.Channels || x.Format.Coding != y.Format.Coding || x.Format.SampleRate != y.Format.SampleRate {
		return fmt.Errorf("%d frames of %d channels in %s at %d Hz, and not %d of %d in %s at %d Hz", y.Frames, y.Format.Channels, y.Format.Coding, y.Format.SampleRate, x.Frames, x.Format.Channels, x.Format.Coding, x.Format.SampleRate)
	}
	size := x.Format.FrameBytes()
	p, q := make([]byte, 1<<14*size), make([]byte, 1<<14*size)
	for at := int64(0); at < x.Frames; {
		n := min(1<<14, int(x.Frames-at))
		if err := x.ReadFull(p[:n*size], at); err != nil {
			return err
		}
		if err := y.ReadFull(q[:n*size], at); err != nil {
			return err
		}
		for k := range n * size {
			if p[k] != q[k] {
				return fmt.Errorf("the samples differ from frame %d on", at+int64(k/size))
			}
		}
		at += int64(n)
	}
	return nil
}
