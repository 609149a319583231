// Package monitor is what is heard: any number of channels on one clock, from any moment, once or over
// and over, at any of a few speeds, in blocks that carry what the meters read of them. It is apart from
// routing, and nothing of it is ever delivered.
package monitor

import (
	"context"
	"io"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/mix"
	"zestyloom/core/snag"
	"zestyloom/core/stretch"
)

// BlockFrames is the size of a block: small, so that the first sound leaves at once and meters move.
const BlockFrames = 1024

// Sound is one channel of anything that can be heard; *mix.Strand is one. Its frames are counted from its own beginning.
type Sound interface {
	Frames() int64
	Read(dst []float64, frame int64) error
	Close()
}

// Input is one channel to be heard.
type Input struct {
	// Open opens its sound at a sample rate.
	Open func(rate int) (Sound, error)
	// At is where its first sample lies on the common clock, in samples of that; it need not be a whole
	// one, and is then rounded.
	At float64
	// Gain is a factor, such as the one that matches loudness; 0 counts as 1.
	Gain float64
}

// Strands is an input of strands that are heard as one.
func Strands(parts ...mix.Part) Input {
	return Input{Open: func(rate int) (Sound, error) { return mix.OpenSum(parts, rate) }}
}

// Order says what is to be played.
type Order struct {
	Rate     int   // Hz: of the common clock and of what is played
	From, To int64 // on the common clock; To of 0 is the end of what is there
	Loop     bool  // over and over
	// Fold is how what is played is folded down to two sides: at its own speed the loudness of that is measured. Nil for none.
	Fold [][2]float64
	// Speed is 0.5, 1 or 2. At another than 1 the pitch follows unless it is kept.
	Speed     float64
	KeepPitch bool
}

// Block is a stretch of what is played, and what the meters read of it: at another speed than 1 that is not
// quite what was recorded. It is valid until the next one.
type Block struct {
	At     int64       // on the common clock: of its first frame
	Sound  audio.Block // a channel an input
	Meters []meter.Reading
	// Loudness is that of what was played so far, folded down; nil where it is not measured.
	Loudness *loudness.Readings
}

// Stream plays inputs. It is not safe for concurrent use.
type Stream struct {
	order   Order
	inputs  []input
	meters  []*meter.Channel
	at, end int64 // at the rate the strands are read at
	from    int64
	sound   audio.Block
	pitch   *stretch.Stretcher
	live    *loudness.Live
	sides   audio.Block // what live measures
}

type input struct {
	sound Sound
	at    int64 // at the rate the strands are read at
	gain  float64
}

// edge is how long sound fades where it is taken up or left off in a loop: short enough to be no part
// of what is heard, long enough that nothing clicks.
const edge = 3e-3

// Open opens all inputs. Close the stream when done.
func Open(inputs []Input, o Order) (*Stream, error) {
	if o.Speed == 0 {
		o.Speed = 1
	}
	if o.Speed != 0.5 && o.Speed != 1 && o.Speed != 2 {
		return nil, snag.Refuse("bad_speed", "sound can be heard at half, whole and double speed, not at %g times", o.Speed)
	}
	if len(inputs) == 0 {
		return nil, snag.Refuse("nothing_to_hear", "there is nothing to hear: name at least one strand")
	}
	if o.To != 0 && o.To <= o.From {
		return nil, snag.Refuse("bad_range", "the range ends at %d, before it begins at %d", o.To, o.From)
	}
	// Read at another rate and played at this one, sound is faster or slower and its pitch follows.
	rate := o.Rate
	if !o.KeepPitch {
		rate = int(math.Round(float64(o.Rate) / o.Speed))
	}
	scale := float64(rate) / float64(o.Rate)
	s := &Stream{order: o, sound: audio.NewBlock(len(inputs), BlockFrames)}
	for _, v := range inputs {
		st, err := v.Open(rate)
		if err != nil {
			s.Close()
			return nil, err
		}
		at := int64(math.Round(v.At * scale))
		if v.Gain == 0 {
			v.Gain = 1
		}
		s.inputs = append(s.inputs, input{st, at, v.Gain})
		s.meters = append(s.meters, meter.NewChannel(o.Rate))
		s.end = max(s.end, at+st.Frames())
	}
	if o.To > 0 {
		s.end = min(s.end, int64(float64(o.To)*scale))
	}
	s.from = int64(float64(o.From) * scale)
	s.at = s.from
	if s.end <= s.from {
		s.Close()
		return nil, snag.Refuse("nothing_to_hear", "there is nothing to hear from there on: the sound ends at sample %d", int64(float64(s.end)/scale))
	}
	if o.KeepPitch && o.Speed != 1 {
		s.stretched()
	}
	if o.Speed == 1 && len(o.Fold) == len(inputs) {
		stereo, err := audio.ParseLayout("stereo")
		if err == nil {
			s.live, err = loudness.NewLive(stereo, o.Rate)
		}
		if err != nil {
			s.Close()
			return nil, err
		}
		s.sides = audio.NewBlock(2, BlockFrames)
	}
	return s, nil
}

func (s *Stream) stretched() {
	s.pitch = stretch.New(s.read, len(s.inputs), s.order.Rate, s.order.Speed, s.at)
	s.sound = audio.NewBlock(len(s.inputs), s.pitch.Step())
}

// Frames is how many frames will be played, -1 when it goes on for ever.
func (s *Stream) Frames() int64 {
	switch {
	case s.order.Loop:
		return -1
	case s.pitch != nil:
		return int64(float64(s.end-s.at) / s.order.Speed)
	}
	return s.end - s.at
}

// Next gives the next block, and io.EOF after the last.
func (s *Stream) Next(ctx context.Context) (Block, error) {
	if err := ctx.Err(); err != nil {
		return Block{}, err
	}
	if s.at >= s.end {
		if !s.order.Loop {
			return Block{}, io.EOF
		}
		if s.at = s.from; s.pitch != nil {
			s.stretched()
		}
	}
	b := Block{At: s.at}
	if s.pitch != nil {
		if _, err := s.pitch.Next(s.sound); err != nil {
			return b, err
		}
		b.Sound = s.sound
		s.at += int64(float64(s.pitch.Step()) * s.order.Speed)
	} else {
		n := min(int64(BlockFrames), s.end-s.at)
		b.Sound = make(audio.Block, len(s.sound))
		for c := range b.Sound {
			b.Sound[c] = s.sound[c][:n]
		}
		if err := s.read(b.Sound, s.at); err != nil {
			return b, err
		}
		b.At = int64(float64(s.at) * s.order.Speed)
		s.at += n
	}
	if s.order.Loop {
		s.fade(b)
	}
	for c, x := range b.Sound {
		b.Meters = append(b.Meters, s.meters[c].Add(x))
	}
	if s.live != nil {
		r := s.live.Add(s.folded(b.Sound))
		b.Loudness = &r
	}
	return b, nil
}

// folded is a block as it is heard on two sides.
func (s *Stream) folded(b audio.Block) audio.Block {
	out := audio.Block{s.sides[0][:b.Frames()], s.sides[1][:b.Frames()]}
	for side, dst := range out {
		clear(dst)
		for c, x := range b {
			if f := s.order.Fold[c][side]; f != 0 {
				for i, v := range x {
					dst[i] += f * v
				}
			}
		}
	}
	return out
}

// fade takes sound up and off softly at both ends of a loop.
func (s *Stream) fade(b Block) {
	frames := edge * float64(s.order.Rate)
	speed := 1.0
	begin := s.at - int64(b.Sound.Frames())
	if s.pitch != nil {
		speed, begin = s.order.Speed, b.At
	}
	for i := range b.Sound[0] {
		at := float64(begin) + float64(i)*speed
		if g := max(0, min((at-float64(s.from)+0.5)/frames, (float64(s.end)-at-0.5)/frames)); g < 1 {
			for c := range b.Sound {
				b.Sound[c][i] *= g
			}
		}
	}
}

// read fills a block with all inputs from a frame on, silence around each.
func (s *Stream) read(b audio.Block, frame int64) error {
	for c, v := range s.inputs {
		dst := b[c]
		from, to := max(0, frame-v.at), min(frame-v.at+int64(len(dst)), v.sound.Frames())
		if from >= to {
			clear(dst)
			continue
		}
		lead := from - (frame - v.at)
		clear(dst[:lead])
		clear(dst[lead+to-from:])
		part := dst[lead : lead+to-from]
		if err := v.sound.Read(part, from); err != nil {
			return err
		}
		if v.gain != 1 {
			for i := range part {
				part[i] *= v.gain
			}
		}
	}
	return nil
}

// Close closes the files.
func (s *Stream) Close() {
	for _, v := range s.inputs {
		v.sound.Close()
	}
}
