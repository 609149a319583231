package picture

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// WriteSound decodes every channel of every sound stream, in order, into one WAV file: PCM bit for
// bit in the widest word length of the streams, anything else as ffmpeg decodes it. tmp is a folder
// for what is needed on the way. The file gets its name when it is whole. Its facts are what the
// container says: the start of its timecode track and the titles of its streams.
func (i *Info) WriteSound(ctx context.Context, path, out, tmp string) (snags []snag.Snag, err error) {
	if len(i.Sound) == 0 {
		return nil, snag.Refuse("no_sound", "the file has a picture and no sound")
	}
	rate := i.Sound[0].SampleRate
	coding := "pcm_s16le"
	for _, s := range i.Sound {
		if s.SampleRate != rate {
			return nil, snag.Refuse("rate_differs", "its sound streams are at %d Hz and %d Hz: they can't be brought together", rate, s.SampleRate)
		}
		switch c := s.coding(); {
		case c == "pcm_f32le", c == "pcm_s32le" && coding != "pcm_f32le", c == "pcm_s24le" && coding == "pcm_s16le":
			coding = c
		}
	}
	args := []string{"-v", "error", "-nostdin", "-y", "-i", "file:" + path}
	var strands []poly.Strand
	channel := 0
	for n, s := range i.Sound {
		part := filepath.Join(tmp, fmt.Sprintf("stream-%d.wav", n))
		defer os.Remove(part)
		args = append(args, "-map", "0:"+strconv.Itoa(s.Index), "-c:a", coding, "-rf64", "auto", "-bitexact", "-f", "wav", "file:"+part)
		if d := s.start - i.Sound[0].start; d > 0.0005 || d < -0.0005 {
			snags = append(snags, snag.New("stream_offset", "sound stream %d starts %.3f s after the first: it is laid from its first sample all the same", n+1, d))
		}
		for c := range s.Channels {
			channel++
			label := s.Title
			if label != "" && s.Channels > 1 {
				label = fmt.Sprintf("%s %d", label, c+1)
			}
			strands = append(strands, poly.Strand{Path: part, Channel: c + 1, Label: label, Track: channel})
		}
	}
	if _, err := run(ctx, "ffmpeg", args...); err != nil {
		return nil, err
	}
	// Streams may end a few samples apart.
	facts := source.Facts{Start: -1}
	if start, tc, ok := i.Start(rate); ok {
		facts.Start, facts.Rate = start, tc
	}
	_, err = poly.Write(ctx, []poly.Out{{Path: out, Strands: strands}}, poly.Said{Facts: facts, Bare: facts.Start < 0}, poly.WriteOptions{Force: true, Pad: true}, nil)
	return snags, err
}

// coding is the PCM that holds a stream's samples.
func (s Stream) coding() string {
	switch {
	case s.Float, s.Lossy:
		return "pcm_f32le"
	case s.Bits == 0 || s.Bits > 24:
		return "pcm_s32le"
	case s.Bits > 16:
		return "pcm_s24le"
	}
	return "pcm_s16le"
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

// WriteProxy makes a small MP4 without sound, and a strip of stills beside it as JPEG.
func (i *Info) WriteProxy(ctx context.Context, path, proxy, strip string) (Strip, error) {
	if i.Picture == nil {
		return Strip{}, snag.Refuse("no_picture", "the file has no picture")
	}
	seconds := max(i.Picture.Seconds, 0.04)
	s := Strip{Count: stripCount, Width: stripWidth, Height: max(2, stripWidth*i.Picture.Height/i.Picture.Width/2*2)}
	if n := int(seconds * float64(i.Picture.RateNum) / float64(i.Picture.RateDen)); n < s.Count {
		s.Count = max(1, n)
	}
	filter := fmt.Sprintf("[0:v:0]split=2[a][b];[a]scale=%d:-2[small];[b]fps=%d/%s:round=down,scale=%d:%d,tile=%dx1[row]",
		proxyWidth, s.Count, strconv.FormatFloat(seconds, 'f', 6, 64), s.Width, s.Height, s.Count)
	ctx, cancel := context.WithTimeout(ctx, 6*time.Hour)
	defer cancel()
	_, err := run(ctx, "ffmpeg", "-v", "error", "-nostdin", "-y", "-i", "file:"+path, "-filter_complex", filter,
		"-map", "[small]", "-c:v", "libx264", "-preset", "veryfast", "-crf", "30", "-pix_fmt", "yuv420p", "-g", strconv.Itoa(stepFrames), "-bf", "0", "-movflags", "+faststart", "-an", "-bitexact", "-f", "mp4", "file:"+proxy,
		"-map", "[row]", "-frames:v", "1", "-q:v", "5", "-update", "1", "-f", "image2", "file:"+strip)
	return s, err
}
