package demo

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"sync"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

const rate = 48000

// Rate is the timecode rate of the production.
var Rate = timecode.Rate{Num: 25, Den: 1}

// at is a timecode of the night in samples since midnight.
func at(tc string) int64 {
	f, err := Rate.Parse(tc)
	if err != nil {
		panic(err) // a constant of this package is wrong
	}
	return Rate.SampleAt(f, rate)
}

// recording is one file to be made.
type recording struct {
	name     string
	coding   audio.Coding
	start    int64 // -1: the file says nothing of itself
	mask     uint32
	scene    string
	take     string
	roll     string
	note     string
	circled  bool
	noGood   bool
	labels   []string
	tracks   []int // recorder tracks; the channel numbers when nil
	family   string
	set      [2]int // index and total of the file set
	channels [][]float64
	keep     int64 // bytes of the file that are kept, for one cut short; 0 for all
}

func (r recording) options() wave.Options {
	o := wave.Options{Format: wave.Format{Coding: r.coding, SampleRate: rate, Channels: len(r.channels), Mask: r.mask}}
	if r.start < 0 {
		return o
	}
	x := wave.NewIXML()
	for _, v := range [][2]string{{"PROJECT", "Lantern Ferry"}, {"SCENE", r.scene}, {"TAKE", r.take}, {"TAPE", r.roll}, {"NOTE", r.note}} {
		x.Set(v[0], v[1])
	}
	if r.circled {
		x.Set("CIRCLED", "TRUE")
	}
	if r.noGood {
		x.Set("NO_GOOD", "TRUE")
	}
	x.SetSpeed(rate, r.coding.Bits(), r.start, Rate)
	var list []wave.IXMLTrack
	for i, l := range r.labels {
		n := i + 1
		if r.tracks != nil {
			n = r.tracks[i]
		}
		list = append(list, wave.IXMLTrack{Recorder: n, Interleave: i + 1, Name: l})
	}
	if list != nil {
		x.SetTracks(list)
	}
	if r.family != "" {
		x.SetFileSet(r.family, r.scene+"-"+r.take, r.set[1], r.set[0])
	}
	o.IXML = x
	o.Bext = &wave.Bext{
		Originator: "Lantern Ferry", OriginationDate: "2026-03-14", OriginationTime: Rate.FormatSamples(r.start, rate)[:8],
		TimeReference: uint64(r.start), Version: 1,
		Description: fmt.Sprintf("sSCENE=%s\r\nsTAKE=%s\r\nsTAPE=%s\r\n", r.scene, r.take, r.roll),
	}
	return o
}

func (r recording) write(dir string) error {
	path := filepath.Join(dir, r.name)
	f, err := wholefile.Create(path, true)
	if err != nil {
		return err
	}
	defer f.Abort()
	w, err := wave.NewWriter(f, r.options())
	if err != nil {
		return err
	}
	enc := audio.Encoder{Coding: r.coding}
	frames := len(r.channels[0])
	var raw []byte
	for from := 0; from < frames; from += 1 << 16 {
		to := min(from+1<<16, frames)
		b := make(audio.Block, len(r.channels))
		for c := range b {
			b[c] = r.channels[c][from:to]
		}
		raw = enc.Encode(raw[:0], b, int64(from))
		if _, err := w.Write(raw); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	if r.keep > 0 {
		if err := f.Truncate(r.keep); err != nil {
			return err
		}
	}
	return f.Commit()
}

// Synthesise makes the files of the demonstration in a folder. A folder that has them all is left
// as it is.
func Synthesise(dir string, say func(string)) error {
	done := filepath.Join(dir, ".complete")
	if _, err := os.Stat(done); err == nil {
		return nil
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	say("Making the sounds of Lantern Ferry (once).")
	groups := []func() []recording{location, secondRecorder, longTake, rest, mixHouse}
	errs := make([]error, len(groups))
	var running sync.WaitGroup
	for i, group := range groups {
		running.Go(func() {
			for _, r := range group() {
				if err := r.write(dir); err != nil {
					errs[i] = errors.Join(errs[i], fmt.Errorf("%s: %w", r.name, err))
				}
			}
		})
	}
	filmed := make([]error, len(clips))
	running.Go(func() {
		for i, c := range clips {
			filmed[i] = c.write(dir)
		}
	})
	running.Wait()
	errs = append(errs, filmed...)
	if err := errors.Join(errs...); err != nil {
		return err
	}
	return os.WriteFile(done, nil, 0o644)
}

// clip is a camera's file.
type clip struct {
	name, timecode string
	sound          func() [][]float64
	sky, sea       string // colours
	pace           int    // of the lantern, pixels a second
}

// clips: the first camera films take 21A-3 by a clock that is two hours and eleven seconds behind the
// recorder's, and something that no recorder heard; the second runs through three takes.
var clips = []clip{
	{"CAM_A_0031.mov", "20:10:21:10", scratch, "0x10141f", "0x0a2233", 30},
	{"CAM_A_0032.mov", "20:25:40:00", elsewhere, "0x1f1420", "0x221022", 45},
	{"CAM_B_0007.mov", "22:10:00:00", through, "0x0f1a14", "0x0a2a22", 7},
}

// write makes a clip: a lantern that crosses the night.
func (c clip) write(dir string) error {
	r := recording{name: "." + c.name + ".wav", coding: audio.S16, start: -1, channels: c.sound()}
	if err := r.write(dir); err != nil {
		return err
	}
	sound, out := filepath.Join(dir, r.name), filepath.Join(dir, "."+c.name)
	defer os.Remove(sound)
	seconds := float64(len(r.channels[0])) / rate
	picture := fmt.Sprintf("color=c=%[1]s:size=640x360:rate=25:duration=%[2]g,drawbox=x=0:y=250:w=640:h=110:color=%[3]s:t=fill[night];"+
		"color=c=0x6b5a2a:size=14x60:rate=25[shine];[night][shine]overlay=x='46+%[4]d*t':y=252:shortest=1[lit];"+
		"color=c=0xf2b84b:size=26x34:rate=25[lantern];[lit][lantern]overlay=x='40+%[4]d*t':y='150+6*sin(2*t)':shortest=1[out]",
		c.sky, seconds, c.sea, c.pace)
	cmd := exec.Command("ffmpeg", "-v", "error", "-nostdin", "-y", "-i", sound, "-filter_complex", picture, "-map", "[out]", "-map", "0:a", "-shortest",
		"-c:v", "libx264", "-preset", "veryfast", "-crf", "28", "-pix_fmt", "yuv420p", "-c:a", "copy", "-timecode", c.timecode, "-bitexact", "-f", "mov", out)
	if says, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("the camera's file %s can't be made (is ffmpeg installed?): %w: %s", c.name, err, says)
	}
	return os.Rename(out, filepath.Join(dir, c.name))
}
