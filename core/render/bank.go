// Package render turns a reel and its weave into sound: blocks of its outputs, computed from the
// strands' files as they are asked for. Nothing is held but one block of each file in use, so
// memory depends on how much sounds at once and never on length.
package render

import (
	"errors"
	"fmt"
	"io"

	"zestyloom/core/audio"
	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/treat"
)

// Place is where a strand's sound is, and what is done to it wherever it is used.
type Place struct {
	Path    string
	Channel int // from 0
	Treat   treat.Treatment
	// Drift is by how many parts in a million the recorder's clock ran fast: corrected as the sound is
	// read. 0 for none.
	Drift float64
	// With is a second strand that is added, times Sign: the side of a mid-side pair. nil for none.
	With *Place
	Sign float64
}

// Resolve finds the file of a strand.
type Resolve func(strand string) (Place, error)

// bank reads strands at one sample rate. Strands of one file, read at the same position one after
// another as they are in a reel, cost one read of that file.
type bank struct {
	resolve Resolve
	rate    int
	voices  map[string]*voice
	files   map[string]*file
	convert map[clock]*resample.Converter
}

type file struct {
	src    *source.Source
	raw    []byte
	at     int64 // frame of raw[0]
	frames int   // in raw
}

// voice is a strand in use.
type voice struct {
	place Place
	gain  float64
	pass  *treat.HighPass
	next  int64 // the frame that pass stands before
	with  *voice
	whole []float64 // room for what a conversion needs
	side  []float64 // room for with
}

// clock is what a file's samples were counted by.
type clock struct {
	rate  int
	drift float64
}

// maxOpen bounds the files held open: a long reel uses many, a few at a time.
const maxOpen = 64

func newBank(resolve Resolve, rate int) *bank {
	return &bank{resolve: resolve, rate: rate, voices: map[string]*voice{}, files: map[string]*file{}, convert: map[clock]*resample.Converter{}}
}

func (b *bank) close() {
	for _, f := range b.files {
		f.src.Close()
	}
	clear(b.files)
}

func (b *bank) voice(strand string) (*voice, error) {
	v, ok := b.voices[strand]
	if !ok {
		p, err := b.resolve(strand)
		if err != nil {
			return nil, err
		}
		if v, err = b.newVoice(p); err != nil {
			return nil, err
		}
		b.voices[strand] = v
	}
	return v, nil
}

func (b *bank) newVoice(p Place) (*voice, error) {
	if err := p.Treat.Check(); err != nil {
		return nil, fmt.Errorf("%s: %w", p.Path, err)
	}
	v := &voice{place: p, gain: p.Treat.Gain(), next: -1}
	if p.Treat.HighPass != 0 {
		v.pass = treat.NewHighPass(p.Treat.HighPass, b.rate)
	}
	if p.With != nil {
		var err error
		if v.with, err = b.newVoice(*p.With); err != nil {
			return nil, err
		}
	}
	return v, nil
}

func (b *bank) open(p Place) (*file, error) {
	f, ok := b.files[p.Path]
	if !ok {
		if len(b.files) >= maxOpen {
			b.close()
		}
		src, err := source.Open(p.Path)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p.Path, err)
		}
		f = &file{src: src}
		b.files[p.Path] = f
	}
	if p.Channel >= f.src.Format.Channels {
		return nil, snag.Refuse("no_such_channel", "%s has %d channels, not %d", p.Path, f.src.Format.Channels, p.Channel+1)
	}
	return f, nil
}

// read fills dst with a strand's sound from a frame, at the bank's rate. A file that holds less is
// an error: a clip promises its length.
func (b *bank) read(strand string, dst []float64, frame int64) error {
	v, err := b.voice(strand)
	if err != nil {
		return err
	}
	return b.sound(v, dst, frame)
}

func (b *bank) sound(v *voice, dst []float64, frame int64) error {
	if v.place.Treat.Off {
		clear(dst)
		return nil
	}
	f, err := b.open(v.place)
	if err != nil {
		return err
	}
	c, err := b.converter(clock{f.src.Format.SampleRate, v.place.Drift})
	if err != nil {
		return err
	}
	total := f.src.Frames
	if c != nil {
		total = c.Frames(total)
	}
	if end := frame + int64(len(dst)); end > total {
		return snag.Refuse("cut_short", "%s ends at frame %d, and frame %d is needed: has the file changed since intake?", v.place.Path, total, end)
	}
	at := frame - v.place.Treat.Delay
	if v.pass != nil && v.next != at {
		// The filter is brought into the state it would have, had it run from the beginning.
		*v.pass = *treat.NewHighPass(v.place.Treat.HighPass, b.rate)
		from := max(min(at, 0), at-treat.Settle(v.place.Treat.HighPass, b.rate))
		lead := make([]float64, at-from)
		if err := b.straight(v, f, c, lead, from, total); err != nil {
			return err
		}
		v.pass.Apply(lead)
	}
	if err := b.straight(v, f, c, dst, at, total); err != nil {
		return err
	}
	if v.pass != nil {
		v.pass.Apply(dst)
		v.next = at + int64(len(dst))
	}
	if v.gain != 1 {
		for i := range dst {
			dst[i] *= v.gain
		}
	}
	if v.with == nil {
		return nil
	}
	if cap(v.side) < len(dst) {
		v.side = make([]float64, len(dst))
	}
	side := v.side[:len(dst)]
	if err := b.sound(v.with, side, frame); err != nil {
		return err
	}
	add(dst, side, v.place.Sign)
	return nil
}

// converter is what brings a file's clock to the bank's, nil when there is nothing to bring.
func (b *bank) converter(from clock) (*resample.Converter, error) {
	if from == (clock{rate: b.rate}) {
		return nil, nil
	}
	c, ok := b.convert[from]
	if !ok {
		var err error
		if c, err = resample.NewDrift(from.rate, b.rate, from.drift); err != nil {
			return nil, snag.Refuse("rate_differs", "%w", err)
		}
		b.convert[from] = c
	}
	return c, nil
}

// straight reads a strand untreated, at the bank's rate. Before its beginning and after its end
// there is silence.
func (b *bank) straight(v *voice, f *file, c *resample.Converter, dst []float64, at, total int64) error {
	from, to := max(at, 0), min(at+int64(len(dst)), total)
	if from >= to {
		clear(dst)
		return nil
	}
	clear(dst[:from-at])
	clear(dst[to-at:])
	dst = dst[from-at : to-at]
	if c == nil {
		return f.decode(v.place, dst, from)
	}
	lo, hi := c.Needs(from, len(dst))
	if cap(v.whole) < int(hi-lo) {
		v.whole = make([]float64, hi-lo)
	}
	in := v.whole[:hi-lo]
	first, last := max(lo, 0), min(hi, f.src.Frames)
	clear(in[:first-lo])
	clear(in[last-lo:])
	if err := f.decode(v.place, in[first-lo:last-lo], first); err != nil {
		return err
	}
	c.Convert(dst, in, from)
	return nil
}

// decode fills dst with the file's samples from a frame.
func (f *file) decode(p Place, dst []float64, frame int64) error {
	size := f.src.Format.FrameBytes()
	if f.at != frame || f.frames < len(dst) {
		if need := len(dst) * size; cap(f.raw) < need {
			f.raw = make([]byte, need)
		}
		f.raw = f.raw[:len(dst)*size]
		f.at, f.frames = frame, 0
		for f.frames < len(dst) {
			n, err := f.src.ReadFrames(f.raw[f.frames*size:], frame+int64(f.frames))
			f.frames += n
			if errors.Is(err, io.EOF) || err == nil && n == 0 {
				return snag.Refuse("cut_short", "%s ends at frame %d, and frame %d is needed: has the file changed since intake?", p.Path, frame+int64(f.frames), frame+int64(len(dst)))
			}
			if err != nil {
				return fmt.Errorf("%s: %w", p.Path, err)
			}
		}
	}
	audio.DecodeChannel(dst, f.raw[:len(dst)*size], f.src.Format.Coding, f.src.Format.Channels, p.Channel)
	return nil
}
