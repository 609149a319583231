// Package convert writes a sound file anew in another container, coding or sample rate, with what it says of itself, and reads back
// what it wrote. Where only the container changes, or the coding becomes wider, every sample is the same.
package convert

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/aiff"
	"zestyloom/core/audio"
	"zestyloom/core/delivery"
	"zestyloom/core/picture"
	"zestyloom/core/poly"
	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// Containers are those that sound alone is written in, by the names of delivery.Containers.
var Containers = delivery.Sounds()

// Options is what a file becomes. Nothing is what it is already.
type Options struct {
	Container string
	Coding    audio.Coding
	Rate      int // Hz
	// Plain leaves out the dither (TPDF) of samples that fall between the steps of the coding.
	Plain bool
	Force bool
}

// Conversion is a file that is to be converted.
type Conversion struct {
	Container string      `json:"container"`
	Coding    string      `json:"coding"`
	Rate      int         `json:"sample_rate"`
	Channels  int         `json:"channels"`
	Frames    int64       `json:"frames"`
	Start     int64       `json:"start_samples"` // since midnight, -1 when not known
	Exact     bool        `json:"exact"`         // every sample is the same
	Clipped   []int64     `json:"clipped"`       // samples that are held at full scale, by channel
	Snags     []snag.Snag `json:"snags"`
	src       *source.Source
	o         Options
	write     wave.Options
	rates     *resample.Converter // nil where the rate stays
}

// Plan says what a file would become. It keeps the source, which stays the caller's to close.
func Plan(src *source.Source, name string, o Options) (*Conversion, error) {
	was := src.Format
	format := was
	if o.Coding != audio.Unknown {
		format.Coding = o.Coding
		format.ValidBits = 0
	}
	if o.Rate != 0 {
		format.SampleRate = o.Rate
	}
	if o.Container == "" {
		o.Container = containerOf(src.Container)
	}
	kind, known := delivery.Containers[o.Container]
	if !known || !slices.Contains(Containers, o.Container) {
		return nil, snag.Refuse("bad_container", "%q is no container that sound alone is written in: expected one of %s", o.Container, strings.Join(Containers, ", "))
	}
	if !slices.Contains(kind.Codings, format.Coding.String()) && !(kind.Mask && was.Coding == format.Coding) { // a WAV keeps what it has
		return nil, snag.Refuse("bad_coding", "%s are not written into %s: expected one of %s", format.Coding, kind.Names[0], strings.Join(kind.Codings, ", "))
	}
	if kind.Channels > 0 && format.Channels > kind.Channels {
		return nil, snag.Refuse("too_many_channels", "%d channels do not go into %s, which holds %d: split the file, or take another container", format.Channels, kind.Names[0], kind.Channels)
	}
	c := &Conversion{Container: kind.Names[0], Coding: format.Coding.String(), Rate: format.SampleRate, Channels: format.Channels, Frames: src.Frames,
		Exact: true, Clipped: make([]int64, format.Channels), src: src, o: o}
	facts := src.Gather(name)
	c.Start = facts.Start
	if format.SampleRate != was.SampleRate {
		var err error
		if c.rates, err = resample.New(was.SampleRate, format.SampleRate); err != nil {
			return nil, err
		}
		c.Exact, c.Frames = false, c.rates.Frames(src.Frames)
		if c.Start >= 0 {
			clock, err := resample.NewClock(was.SampleRate, format.SampleRate, 0)
			if err != nil {
				return nil, err
			}
			c.Start = clock.Start(&facts.Start)
			if c.Start*int64(was.SampleRate) != facts.Start*int64(format.SampleRate) {
				c.Snags = append(c.Snags, snag.New("start_rounded", "it starts at sample %d of %d Hz, which is no whole sample of %d Hz: %d is the nearest", facts.Start, was.SampleRate, format.SampleRate, c.Start))
			}
		}
	}
	if narrower(was.Coding, format.Coding) {
		c.Exact = false
	}
	var snags []snag.Snag
	c.write, snags = poly.Carried(src, name, format, c.Start)
	c.write.Container = strings.ToUpper(o.Container)
	if c.Start < 0 && src.Bext == nil {
		c.write.Bext = nil
	}
	c.Snags = append(append(append([]snag.Snag{}, src.Snags...), c.Snags...), snags...)
	c.leave(kind)
	if o.Container == "aiff" && c.Frames*int64(format.FrameBytes()) > aiff.Largest {
		return nil, snag.Refuse("too_large", "an AIFF holds 4 GB, and this would be more: take w64 or rf64")
	}
	return c, nil
}

// leave takes out what the container has no place for, and what counts in samples of another rate, and says so.
func (c *Conversion) leave(kind delivery.Container) {
	var left []string
	keep := c.write.Extra[:0:0]
	for _, x := range c.write.Extra {
		positions := slices.Contains([]string{"cue ", "smpl", "plst", "levl", "PEAK"}, x.ID)
		if kind.Broadcast && !(positions && c.rates != nil) {
			keep = append(keep, x)
			continue
		}
		left = append(left, strings.TrimSpace(x.ID))
	}
	c.write.Extra = keep
	if kind.Bare {
		if c.write.Bext != nil {
			left = append(left, "bext")
		}
		if c.write.IXML != nil {
			left = append(left, "iXML")
		}
	}
	if len(left) > 0 {
		c.Snags = append(c.Snags, snag.New("metadata_left", "not carried on: %s", strings.Join(left, ", ")))
	}
}

// narrower reports whether samples of one coding may not all have a place in another.
func narrower(was, is audio.Coding) bool {
	// Bits that a sample needs, and whether it has them anywhere between full scale and nothing.
	size := map[audio.Coding]int{audio.U8: 8, audio.S16: 16, audio.S24: 24, audio.S32: 32, audio.F32: 24, audio.F64: 53}
	float := func(c audio.Coding) bool { return c == audio.F32 || c == audio.F64 }
	return size[is] < size[was] || float(was) && !float(is)
}

func containerOf(said string) string {
	for _, name := range Containers {
		if slices.Contains(delivery.Containers[name].Names, said) {
			return name
		}
	}
	return "wav"
}

// ByEnding is the container that a name's ending stands for, the first of several; nothing where it stands for none.
func ByEnding(name string) string {
	ending := strings.ToLower(filepath.Ext(name))
	if ending == ".aiff" {
		ending = ".aif"
	}
	for _, c := range Containers {
		if delivery.Containers[c].Extension == ending {
			return c
		}
	}
	return ""
}

// Extension is the ending of the files of a container, with its point.
func (c *Conversion) Extension() string { return delivery.Containers[c.o.Container].Extension }

// blockBytes is how much is read at a time.
const blockBytes = 1 << 20

// Run writes the file, and reads it back: its format, its length, and every sample as it was written. progress, if not nil, is told the
// frames of the original that are done.
func (c *Conversion) Run(ctx context.Context, out string, progress func(done int64)) error {
	file, err := wholefile.Create(out, c.o.Force)
	if err != nil {
		return err
	}
	defer file.Abort()
	var w delivery.Frames
	if kind := delivery.Containers[c.o.Container]; kind.Writer != nil {
		w, err = kind.Writer(file, c.write)
	} else {
		beside, made := os.Create(file.Name() + ".wav")
		if made != nil {
			return made
		}
		defer os.Remove(beside.Name())
		defer beside.Close()
		w, err = wave.NewWriter(beside, wave.Options{Format: c.write.Format})
	}
	if err != nil {
		return err
	}
	wrote := xxhash.New()
	if err := c.samples(ctx, progress, func(raw []byte) error {
		_, _ = wrote.Write(raw)
		_, err := w.Write(raw)
		return err
	}); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	if delivery.Containers[c.o.Container].Writer == nil {
		if err := picture.WriteFLAC(ctx, file.Name()+".wav", file.Name()); err != nil {
			return err
		}
	}
	if err := c.prove(ctx, file.Name(), filepath.Base(out), wrote.Sum64()); err != nil {
		return err
	}
	for i, n := range c.Clipped {
		if n > 0 {
			c.Snags = append(c.Snags, snag.New("clipped", "channel %d: %d samples were beyond full scale and are held there", i+1, n))
		}
	}
	return file.Commit()
}

// samples gives the samples of the new file, interleaved, block by block.
func (c *Conversion) samples(ctx context.Context, progress func(done int64), fn func(raw []byte) error) error {
	was, is := c.src.Format, c.write.Format
	told := func(n int64) {
		if progress != nil {
			progress(n)
		}
	}
	if c.rates == nil && was.Coding == is.Coding {
		return c.src.EachBlock(ctx, blockBytes, func(raw []byte, at int64) error {
			told(at)
			return fn(raw)
		})
	}
	streams := make([]*resample.Stream, is.Channels)
	if c.rates != nil {
		for i := range streams {
			streams[i] = c.rates.Stream()
		}
	}
	enc := audio.Encoder{Coding: is.Coding, Dither: !c.o.Plain, Seed: 1, Clipped: c.Clipped}
	var made int64
	var out []byte
	block := make(audio.Block, is.Channels)
	give := func() error {
		out = enc.Encode(out[:0], block, made)
		made += int64(block.Frames())
		return fn(out)
	}
	var room []float64
	err := c.src.EachBlock(ctx, blockBytes, func(raw []byte, at int64) error {
		told(at)
		n := len(raw) / was.FrameBytes()
		room = slices.Grow(room[:0], n)[:n]
		for ch := range block {
			if c.rates == nil {
				block[ch] = slices.Grow(block[ch][:0], n)[:n]
				audio.DecodeChannel(block[ch], raw, was.Coding, was.Channels, ch)
			} else {
				audio.DecodeChannel(room, raw, was.Coding, was.Channels, ch)
				block[ch] = streams[ch].Add(block[ch][:0], room)
			}
			for i, v := range block[ch] {
				if math.IsNaN(v) || math.IsInf(v, 0) {
					return snag.Refuse("not_numbers", "channel %d holds no number near frame %d: what is none can't be converted; mend the file first", ch+1, at+int64(i))
				}
			}
		}
		return give()
	})
	if err == nil && c.rates != nil {
		for ch := range block {
			block[ch] = streams[ch].End(block[ch][:0])
		}
		err = give()
	}
	return err
}

// prove reads the file that was written as anybody would.
func (c *Conversion) prove(ctx context.Context, path, name string, wrote uint64) error {
	wrong := func(format string, args ...any) error {
		return snag.Refuse("proof_failed", "%s read back is not what was written: %s", name, fmt.Sprintf(format, args...))
	}
	src, err := source.Open(path)
	if err != nil {
		return err
	}
	defer src.Close()
	f := c.write.Format
	switch {
	case src.Format.Coding != f.Coding || src.Format.SampleRate != f.SampleRate || src.Format.Channels != f.Channels:
		return wrong("it is %s of %d channels at %d Hz", src.Format.Coding, src.Format.Channels, src.Format.SampleRate)
	case src.Frames != c.Frames:
		return wrong("it has %d frames, and not %d", src.Frames, c.Frames)
	case !delivery.Containers[c.o.Container].Bare && src.Gather(name).Start != c.Start:
		return wrong("it starts at %d, and not at %d", src.Gather(name).Start, c.Start)
	}
	read := xxhash.New()
	if err := src.EachBlock(ctx, blockBytes, func(raw []byte, _ int64) error {
		_, err := read.Write(raw)
		return err
	}); err != nil {
		return err
	}
	if read.Sum64() != wrote {
		return wrong("its samples are others")
	}
	return nil
}
