// Package picture reads files with pictures — MOV, MP4, MKV, MXF — through ffprobe and ffmpeg, which
// it runs as separate programs: what streams they have, the sound of all of them as one working
// copy, and a small picture to go with it.
package picture

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os/exec"
	"strconv"
	"strings"

	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Info is what a file with pictures holds.
type Info struct {
	Container string // MOV, MP4, MKV, MXF or what ffprobe calls it
	Sound     []Stream
	Picture   *Picture // nil when there is none
	Timecode  string   // of the first timecode track, as it is written there; empty without one
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
	start      float64
}

// Picture is the picture of a file.
type Picture struct {
	Codec   string  `json:"codec"`
	Width   int     `json:"width"`
	Height  int     `json:"height"`
	RateNum int64   `json:"rate_num"`
	RateDen int64   `json:"rate_den"`
	Seconds float64 `json:"seconds"`
}

// Rate is the picture's frame rate, not knowing whether its timecode drops frames.
func (p Picture) Rate() timecode.Rate { return timecode.Rate{Num: p.RateNum, Den: p.RateDen} }

// Sniff reports whether a file that begins so is one that this package reads.
func Sniff(head []byte) bool {
	n := len(head)
	switch {
	case n >= 12 && (string(head[4:8]) == "ftyp" || string(head[4:8]) == "moov" || string(head[4:8]) == "wide" || string(head[4:8]) == "mdat" || string(head[4:8]) == "free"):
		return true // ISO base media and QuickTime
	case n >= 4 && string(head[:4]) == "\x1A\x45\xDF\xA3":
		return true // EBML: Matroska
	case n >= 4 && string(head[:4]) == "\x06\x0E\x2B\x34":
		return true // a SMPTE 336 key: MXF
	}
	return false
}

// maxProbe bounds what is read of a probe's answer.
const maxProbe = 4 << 20

// Probe finds out what a file holds.
func Probe(ctx context.Context, path string) (*Info, error) {
	out, err := run(ctx, "ffprobe", "-v", "error", "-of", "json", "-show_streams", "-show_format", "-i", "file:"+path)
	if err != nil {
		return nil, err
	}
	return parse(out)
}

func parse(out []byte) (*Info, error) {
	var p struct {
		Streams []struct {
			Index        int               `json:"index"`
			Type         string            `json:"codec_type"`
			Codec        string            `json:"codec_name"`
			SampleFormat string            `json:"sample_fmt"`
			SampleRate   string            `json:"sample_rate"`
			Channels     int               `json:"channels"`
			Bits         int               `json:"bits_per_sample"`
			BitsRaw      string            `json:"bits_per_raw_sample"`
			Width        int               `json:"width"`
			Height       int               `json:"height"`
			FrameRate    string            `json:"r_frame_rate"`
			Start        string            `json:"start_time"`
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
	info := &Info{Container: containerName(p.Format.Name, p.Format.Tags["major_brand"]), Timecode: p.Format.Tags["timecode"]}
	for _, s := range p.Streams {
		if tc := s.Tags["timecode"]; tc != "" && (info.Timecode == "" || s.Type == "video") {
			info.Timecode = tc
		}
		switch s.Type {
		case "audio":
			a := Stream{Index: s.Index, Codec: s.Codec, Channels: s.Channels, Bits: s.Bits, Float: strings.HasPrefix(s.SampleFormat, "flt") || strings.HasPrefix(s.SampleFormat, "dbl"), Title: s.Tags["title"]}
			a.SampleRate, _ = strconv.Atoi(s.SampleRate)
			if n, err := strconv.Atoi(s.BitsRaw); err == nil && a.Bits == 0 {
				a.Bits = n
			}
			a.start, _ = strconv.ParseFloat(s.Start, 64)
			a.Lossy = !strings.HasPrefix(s.Codec, "pcm_") && s.Codec != "flac" && s.Codec != "alac"
			if a.Channels < 1 || a.Channels > 256 || a.SampleRate < 1000 || a.SampleRate > 768000 {
				return nil, snag.Refuse("bad_stream", "sound stream %d claims %d channels at %d Hz", s.Index, a.Channels, a.SampleRate)
			}
			info.Sound = append(info.Sound, a)
		case "video":
			if info.Picture != nil || s.Disposition["attached_pic"] == 1 {
				continue
			}
			v := &Picture{Codec: s.Codec, Width: s.Width, Height: s.Height}
			num, den, _ := strings.Cut(s.FrameRate, "/")
			v.RateNum, _ = strconv.ParseInt(num, 10, 64)
			v.RateDen, _ = strconv.ParseInt(den, 10, 64)
			if v.Seconds, _ = strconv.ParseFloat(s.Duration, 64); v.Seconds == 0 {
				v.Seconds, _ = strconv.ParseFloat(p.Format.Duration, 64)
			}
			if v.RateNum > 0 && v.RateDen > 0 && v.Width > 0 && v.Height > 0 {
				info.Picture = v
			}
		}
	}
	return info, nil
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

// Start is the file's start by its timecode track, in samples since midnight at a sample rate. ok is
// false when there is none, or none that can be counted at the picture's rate.
func (i *Info) Start(sampleRate int) (start int64, rate timecode.Rate, ok bool) {
	if i.Timecode == "" || i.Picture == nil {
		return 0, rate, false
	}
	rate = i.Picture.Rate()
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

// run runs a program and returns what it prints; what it says on its error output becomes the
// error.
func run(ctx context.Context, name string, args ...string) ([]byte, error) {
	cmd := exec.CommandContext(ctx, name, args...)
	var out, says limited
	out.max, says.max = maxProbe, 64<<10
	cmd.Stdout, cmd.Stderr = &out, &says
	err := cmd.Run()
	switch {
	case errors.Is(err, exec.ErrNotFound):
		return nil, snag.Refuse("no_ffmpeg", "files with pictures are read through %s, which is not installed on the server: install Debian's ffmpeg", name)
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case err != nil:
		return nil, snag.Refuse("picture_unreadable", "%s can't read it: %s", name, lastLine(says.String(), err))
	}
	return out.Bytes(), nil
}

func lastLine(s string, err error) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	if last := strings.TrimSpace(lines[len(lines)-1]); last != "" {
		return last
	}
	return err.Error()
}

// limited keeps no more than max bytes of what is written to it.
type limited struct {
	bytes.Buffer
	max int
}

func (l *limited) Write(p []byte) (int, error) {
	if room := l.max - l.Len(); room > 0 {
		l.Buffer.Write(p[:min(room, len(p))])
	}
	return len(p), nil
}
