package picture

import (
	"context"
	"fmt"
	"image/jpeg"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/wholefile"
)

// WriteSound decodes every channel of every sound stream, in order, into one WAV file: PCM bit for
// bit in a coding that holds the samples of all streams, anything else as ffmpeg decodes it. Each stream
// lies where it starts beside the picture; before a later one and after a shorter one there is silence,
// which the snags say. tmp is a folder for what is needed on the way. The file gets its name when it is
// whole. Its facts are what the container says: the start of its timecode track and the titles of its
// streams.
func (i *Info) WriteSound(ctx context.Context, path, out, tmp string) (snags []snag.Snag, err error) {
	return i.writeSound(ctx, path, out, tmp, true)
}

func (i *Info) writeSound(ctx context.Context, path, out, tmp string, force bool) (snags []snag.Snag, err error) {
	if len(i.Sound) == 0 {
		return nil, snag.Refuse("no_sound", "the file has a picture and no sound")
	}
	rate := i.Sound[0].SampleRate
	for _, s := range i.Sound {
		if s.SampleRate != rate {
			return nil, snag.Refuse("rate_differs", "its sound streams are at %d Hz and %d Hz: they can't be brought together", rate, s.SampleRate)
		}
	}
	parts, opened, done, err := i.streams(ctx, path, tmp, func(Stream) audio.Coding { return common(i.Sound) })
	defer done()
	if err != nil {
		return nil, err
	}
	facts := i.Facts()
	var strands []poly.Strand
	leads := map[string]int64{}
	for n, s := range i.Sound {
		leads[parts[n]] = s.Offset + i.Lead()
		for c := range s.Channels {
			t := facts.Tracks[len(strands)]
			strands = append(strands, poly.Strand{Path: parts[n], Channel: c + 1, Label: t.Label, Track: t.RecorderTrack})
		}
	}
	made, err := poly.Write(ctx, []poly.Out{{Path: out, Strands: strands}}, poly.Said{Facts: facts, Bare: facts.Start < 0}, poly.WriteOptions{Force: force, Pad: true, Leads: leads, Opened: opened}, nil)
	if err != nil {
		return nil, err
	}
	snags = append(snags, i.Snags...)
	for n, part := range parts {
		src := opened[part]
		if src == nil {
			if src, err = source.Open(part); err != nil {
				return nil, err
			}
			defer src.Close()
		}
		short := made.Frames - leads[part] - src.Frames
		// Compressed sound ends with its coder's last block: under that it says nothing.
		if short > 0 && (short > take.LengthTolerance && !i.Sound[n].Lossy || short > 2048) {
			snags = append(snags, snag.New("stream_short", "sound stream %d ends %d samples (%.3f s) before the longest; silence follows it", n+1, short, float64(short)/float64(rate)))
		}
	}
	return snags, nil
}

// streams gives each sound stream in a coding: open where its samples lie, where they lie there as they are, else decoded into files in
// tmp. parts are their names; done is to be called in the end.
func (i *Info) streams(ctx context.Context, path, tmp string, coding func(Stream) audio.Coding) (parts []string, opened map[string]*source.Source, done func(), err error) {
	opened = map[string]*source.Source{}
	if !slices.ContainsFunc(i.Sound, func(s Stream) bool { return s.Coding() != coding(s) }) {
		for n, src := range i.direct(path) {
			parts = append(parts, fmt.Sprintf("%s, sound stream %d", path, n+1))
			opened[parts[n]] = src
		}
	}
	if len(parts) > 0 {
		return parts, opened, func() {
			for _, src := range opened {
				src.Close()
			}
		}, nil
	}
	parts, err = i.decode(ctx, path, tmp, coding)
	return parts, opened, func() { remove(parts) }, err
}

// decode writes each sound stream into a WAV of its own in tmp.
func (i *Info) decode(ctx context.Context, path, tmp string, coding func(Stream) audio.Coding) (parts []string, err error) {
	c := call{program: "ffmpeg", in: path, before: []string{"-nostdin", "-y"}, wall: decodeTime}
	for n, s := range i.Sound {
		part := filepath.Join(tmp, fmt.Sprintf("stream-%d.wav", n))
		parts = append(parts, part)
		c.after = append(c.after, "-map", "0:"+strconv.Itoa(s.Index), "-c:a", "pcm_"+coding(s).String()+"le", "-rf64", "auto", "-bitexact", "-f", "wav", "file:"+part)
	}
	_, err = c.run(ctx)
	return parts, err
}

func remove(paths []string) {
	for _, p := range paths {
		os.Remove(p)
	}
}

// ExtractedFile is a file that sound of a file with pictures was written to.
type ExtractedFile struct {
	Path     string `json:"path"`
	Streams  []int  `json:"streams"` // among the sound streams, from 1
	Channels int    `json:"channels"`
	Frames   int64  `json:"frames"`
	Start    int64  `json:"start_samples"` // since midnight, -1 when not known
}

// Planned is what Extract, or ExtractOne, would write beside a file, base: of lengths that the file itself says.
func (i *Info) Planned(base string, one bool) (files []ExtractedFile) {
	all := i.Facts()
	if one {
		f := ExtractedFile{Path: base + ".wav", Channels: i.Format().Channels, Frames: i.Frames(), Start: all.Start}
		for n := range i.Sound {
			f.Streams = append(f.Streams, n+1)
		}
		return []ExtractedFile{f}
	}
	for n, s := range i.Sound {
		f := ExtractedFile{Path: streamFile(base, n), Streams: []int{n + 1}, Channels: s.Channels, Frames: s.Frames, Start: -1}
		if all.Start >= 0 {
			f.Start = all.Start + i.Lead() + s.Offset
		}
		files = append(files, f)
	}
	return files
}

// streamFile is the file that a stream, from 0, is written to.
func streamFile(base string, n int) string { return fmt.Sprintf("%s_%d.wav", base, n+1) }

// ExtractOne is WriteSound for people: it says what it wrote, and overwrites only with force.
func (i *Info) ExtractOne(ctx context.Context, path, out, tmp string, force bool) ([]ExtractedFile, []snag.Snag, error) {
	snags, err := i.writeSound(ctx, path, out, tmp, force)
	if err != nil {
		return nil, nil, err
	}
	f := ExtractedFile{Path: out}
	for n := range i.Sound {
		f.Streams = append(f.Streams, n+1)
	}
	files := []ExtractedFile{f}
	return files, snags, measureAll(files)
}

// Extract writes each sound stream into a WAV of its own in the coding it has, base_1.wav and so on, which starts
// where the stream does. All appear, or none. tmp is a folder for what is needed on the way.
func (i *Info) Extract(ctx context.Context, path, base, tmp string, force bool) (files []ExtractedFile, snags []snag.Snag, err error) {
	if len(i.Sound) == 0 {
		return nil, nil, snag.Refuse("no_sound", "the file has a picture and no sound")
	}
	defer func() {
		if err != nil {
			for _, f := range files {
				os.Remove(f.Path)
			}
		}
	}()
	parts, opened, done, err := i.streams(ctx, path, tmp, Stream.Coding)
	defer done()
	if err != nil {
		return nil, nil, err
	}
	all := i.Facts()
	at := 0
	for n, s := range i.Sound {
		out := streamFile(base, n)
		var strands []poly.Strand
		for c := range s.Channels {
			t := all.Tracks[at+c]
			strands = append(strands, poly.Strand{Path: parts[n], Channel: c + 1, Label: t.Label, Track: t.RecorderTrack})
		}
		at += s.Channels
		facts := source.Facts{Start: -1, Rate: all.Rate}
		if all.Start >= 0 {
			facts.Start = all.Start + i.Lead() + s.Offset
		}
		if _, err := poly.Write(ctx, []poly.Out{{Path: out, Strands: strands}}, poly.Said{Facts: facts, Bare: facts.Start < 0}, poly.WriteOptions{Force: force, Opened: opened}, nil); err != nil {
			return files, nil, err
		}
		files = append(files, ExtractedFile{Path: out, Streams: []int{n + 1}})
	}
	return files, i.Snags, measureAll(files)
}

// measureAll fills in what is in files that were written.
func measureAll(files []ExtractedFile) error {
	for n := range files {
		src, err := source.Open(files[n].Path)
		if err != nil {
			return err
		}
		files[n].Channels, files[n].Frames, files[n].Start = src.Format.Channels, src.Frames, src.Gather(files[n].Path).Start
		src.Close()
	}
	return nil
}

// common is a coding that holds the samples of all streams as they are.
func common(streams []Stream) audio.Coding {
	bits, float := 0, 0
	for _, s := range streams {
		switch c := s.Coding(); c {
		case audio.F32, audio.F64:
			float = max(float, c.Bits())
		default:
			bits = max(bits, c.Bits())
		}
	}
	switch {
	case float == 64, float == 32 && bits == 32: // single precision holds 24 bits
		return audio.F64
	case float == 32:
		return audio.F32
	case bits == 32:
		return audio.S32
	case bits == 24:
		return audio.S24
	}
	return audio.S16
}

// Coding is the PCM that holds a stream's samples.
func (s Stream) Coding() audio.Coding {
	switch {
	case s.Float && s.Bits > 32:
		return audio.F64
	case s.Float, s.Lossy:
		return audio.F32
	case s.Bits == 0 || s.Bits > 24:
		return audio.S32
	case s.Bits > 16:
		return audio.S24
	}
	return audio.S16
}

// Strip is a row of small pictures taken at equal distances.
type Strip struct {
	Count  int `json:"count"`
	Width  int `json:"width"` // of one
	Height int `json:"height"`
}

const (
	proxyWidth = 320
	stripWidth = 96
	stripCount = 12
	stepFrames = 12 // between pictures that can be jumped to
)

// WriteProxy makes a small MP4 without sound, and a strip of stills as JPEG. Both are made in the folder tmp, looked at,
// and only then get their names.
func (i *Info) WriteProxy(ctx context.Context, path, proxy, strip, tmp string) (Strip, error) {
	if i.Picture == nil {
		return Strip{}, snag.Refuse("no_picture", "the file has no picture")
	}
	seconds := max(i.Picture.Seconds, 0.04)
	s := Strip{Count: stripCount, Width: stripWidth, Height: max(2, stripWidth*i.Picture.Height/i.Picture.Width/2*2)}
	if n := int(seconds * float64(i.Picture.RateNum) / float64(i.Picture.RateDen)); n < s.Count {
		s.Count = max(1, n)
	}
	// The proxy's clock is the working copy's: sound that comes first is shown over black.
	wait := ""
	if lead := i.Lead(); lead > 0 {
		if d := float64(lead) / float64(i.Sound[0].SampleRate); d*float64(i.Picture.RateNum) >= 0.5*float64(i.Picture.RateDen) {
			wait = fmt.Sprintf("tpad=start_duration=%.6f:color=black,", d)
		}
	}
	filter := fmt.Sprintf("[0:v:0]setpts=PTS-STARTPTS,"+wait+"split=2[a][b];[a]scale=%d:-2[small];[b]fps=%d/%s:round=down,scale=%d:%d,tile=%dx1[row]",
		proxyWidth, s.Count, strconv.FormatFloat(seconds, 'f', 6, 64), s.Width, s.Height, s.Count)
	small, row := filepath.Join(tmp, "proxy.mp4"), filepath.Join(tmp, "strip.jpg")
	_, err := call{program: "ffmpeg", in: path, before: []string{"-nostdin", "-y"}, after: []string{"-filter_complex", filter,
		"-map", "[small]", "-c:v", "libx264", "-threads", "4", "-preset", "veryfast", "-crf", "30", "-pix_fmt", "yuv420p", "-g", strconv.Itoa(stepFrames), "-bf", "0", "-movflags", "+faststart", "-an", "-bitexact", "-f", "mp4", "file:" + small,
		"-map", "[row]", "-frames:v", "1", "-q:v", "5", "-update", "1", "-f", "image2", "file:" + row}, wall: decodeTime}.run(ctx)
	if err != nil {
		return s, err
	}
	if err := shows(ctx, small, row); err != nil {
		return s, err
	}
	if err := wholefile.Move(small, proxy); err != nil {
		return s, err
	}
	return s, wholefile.Move(row, strip)
}

// shows looks whether a small picture and a strip can be shown.
func shows(ctx context.Context, proxy, strip string) error {
	made, err := Probe(ctx, proxy)
	if err != nil {
		return err
	}
	if made.Picture == nil || made.Picture.Seconds <= 0 {
		return snag.Refuse("no_picture", "the small picture that was made shows nothing")
	}
	f, err := os.Open(strip)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := jpeg.Decode(f); err != nil {
		return snag.Refuse("no_picture", "the strip of stills that was made can't be shown: %w", err)
	}
	return nil
}
