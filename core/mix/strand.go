package mix

import (
	"fmt"

	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/core/treat"
)

// reader reads a strand as it is heard: at a rate, with its treatment. It is not safe for concurrent use; readers of one
// pool may be used at the same time.
type reader struct {
	pool   *pool
	src    Source
	rate   int
	gain   float64
	pass   *pass
	chain  *treat.Processor    // nil for none
	conv   *resample.Converter // nil when there is nothing to convert
	frames int64               // at rate
	own    int64               // of the file
	whole  []float64           // room for what a conversion needs
}

// newReader opens a strand's file to see what it is; 0 is the file's own rate.
func newReader(p *pool, src Source, rate int) (*reader, error) {
	if err := src.Treat.Check(); err != nil {
		return nil, fmt.Errorf("%s: %w", src.Path, err)
	}
	f, err := p.open(src)
	if err != nil {
		return nil, err
	}
	defer p.release(f)
	format := f.src.Format
	if src.Channel < 0 || src.Channel >= format.Channels {
		return nil, snag.Refuse("no_such_channel", "%s has %d channels, not %d", src.Path, format.Channels, src.Channel+1)
	}
	if rate == 0 {
		rate = format.SampleRate
	}
	r := &reader{pool: p, src: src, rate: rate, gain: src.Treat.Gain(), frames: f.src.Frames, own: f.src.Frames}
	if format.SampleRate != rate || src.Drift != 0 {
		if r.conv, err = resample.NewDrift(format.SampleRate, rate, src.Drift); err != nil {
			return nil, snag.Refuse("rate_differs", "%w", err)
		}
		r.frames = r.conv.Frames(r.own)
	}
	if src.Treat.HighPass != 0 {
		r.pass = newPass(src.Treat.HighPass, rate)
	}
	if !src.Treat.Chain.Nothing() {
		r.chain = treat.NewProcessor(src.Treat.Chain, 1, rate)
	}
	return r, nil
}

// read fills dst from a frame on. A file that holds less is an error: a clip promises its length.
func (r *reader) read(dst []float64, frame int64) error {
	if r.src.Treat.Off {
		clear(dst)
		return nil
	}
	f, err := r.pool.open(r.src)
	if err != nil {
		return err
	}
	defer r.pool.release(f)
	if end := frame + int64(len(dst)); end > r.frames || f.src.Frames < r.own {
		return snag.Refuse("cut_short", "%s ends at frame %d, and frame %d is needed: has the file changed since intake?", r.src.Path, min(r.frames, f.src.Frames), end)
	}
	under := func(dst []float64, at int64) error { return r.straight(f, dst, at) }
	if straight := under; r.pass != nil {
		under = func(dst []float64, at int64) error { return r.pass.read(dst, at, straight) }
	}
	if at := frame - r.src.Treat.Delay; r.chain == nil {
		err = under(dst, at)
	} else {
		err = r.chained(dst, at, under)
	}
	if r.gain != 1 {
		scale(dst, r.gain)
	}
	return err
}

// chained reads a strand through its chain, which has heard as much of what lies before as it needs.
func (r *reader) chained(dst []float64, at int64, under func([]float64, int64) error) error {
	if n := min(int64(len(dst)), -at); n > 0 { // silence, and silence before it
		clear(dst[:n])
		if dst, at = dst[n:], at+n; len(dst) == 0 {
			return nil
		}
	}
	if r.chain.Next() != at {
		from := r.chain.Reach(at)
		for lead := make([]float64, min(at-from, BlockFrames)); from < at; {
			part := lead[:min(at-from, BlockFrames)]
			if err := under(part, from); err != nil {
				return err
			}
			r.chain.Apply([][]float64{part}, from)
			from += int64(len(part))
		}
	}
	if err := under(dst, at); err != nil {
		return err
	}
	r.chain.Apply([][]float64{dst}, at)
	return nil
}

// straight reads a strand untreated, at its rate. Before its beginning and after its end there is silence.
func (r *reader) straight(f *file, dst []float64, at int64) error {
	from, to := max(at, 0), min(at+int64(len(dst)), r.frames)
	if from >= to {
		clear(dst)
		return nil
	}
	clear(dst[:from-at])
	clear(dst[to-at:])
	dst = dst[from-at : to-at]
	if r.conv == nil {
		return f.decode(dst, r.src.Channel, from)
	}
	lo, hi := r.conv.Needs(from, len(dst))
	if cap(r.whole) < int(hi-lo) {
		r.whole = make([]float64, hi-lo)
	}
	in := r.whole[:hi-lo]
	first, last := max(lo, 0), min(hi, r.own)
	clear(in[:first-lo])
	clear(in[last-lo:])
	if err := f.decode(in[first-lo:last-lo], r.src.Channel, first); err != nil {
		return err
	}
	r.conv.Convert(dst, in, from)
	return nil
}

// pass is a high-pass whose output depends on the place alone. It begins anew in every cell, far enough before it that
// what lies further back is over 180 dB down, and so gives the same bits wherever one begins to read.
type pass struct {
	hz     float64
	rate   int
	settle int64
	filter *treat.HighPass
	next   int64 // the frame that the filter stands before
}

const cell = 1 << 16 // frames

func newPass(hz float64, rate int) *pass {
	return &pass{hz: hz, rate: rate, settle: treat.Settle(hz, rate)}
}

func (p *pass) read(dst []float64, at int64, straight func([]float64, int64) error) error {
	for len(dst) > 0 {
		if at < 0 { // silence, and silence after it
			n := min(int64(len(dst)), -at)
			clear(dst[:n])
			dst, at = dst[n:], at+n
			continue
		}
		begin := at / cell * cell
		n := min(int64(len(dst)), begin+cell-at)
		if p.filter == nil || p.next != at || at == begin {
			p.filter = treat.NewHighPass(p.hz, p.rate)
			from := max(0, begin-p.settle)
			for lead := make([]float64, min(at-from, BlockFrames)); from < at; {
				part := lead[:min(at-from, BlockFrames)]
				if err := straight(part, from); err != nil {
					return err
				}
				p.filter.Apply(part)
				from += int64(len(part))
			}
		}
		if err := straight(dst[:n], at); err != nil {
			return err
		}
		p.filter.Apply(dst[:n])
		dst, at = dst[n:], at+n
		p.next = at
	}
	return nil
}

// Part is a strand as part of what is heard as one, times a factor.
type Part struct {
	Source Source
	Factor float64
}

// Strand reads one strand by itself, as it is heard: at a rate, with its treatment; or several as one, such as a side
// of a mid-side pair. It is not safe for concurrent use.
type Strand struct {
	pool    *pool
	parts   []*reader
	factors []float64
	room    []float64
}

// OpenStrand opens a strand at a sample rate; 0 is the file's own. Close it when done.
func OpenStrand(src Source, rate int) (*Strand, error) {
	return OpenSum([]Part{{src, 1}}, rate)
}

// OpenSum opens strands that are heard as one, at a sample rate; 0 is the first file's own. Close it when done.
func OpenSum(parts []Part, rate int) (*Strand, error) {
	s := &Strand{pool: newPool()}
	for _, p := range parts {
		r, err := newReader(s.pool, p.Source, rate)
		if err != nil {
			s.Close()
			return nil, err
		}
		rate = r.rate
		s.parts, s.factors = append(s.parts, r), append(s.factors, p.Factor)
	}
	return s, nil
}

// Rate is the sample rate in Hz.
func (s *Strand) Rate() int { return s.parts[0].rate }

// Frames is the first strand's length at that rate.
func (s *Strand) Frames() int64 { return s.parts[0].frames }

// Read fills dst from a frame on; all of it must lie within the strand.
func (s *Strand) Read(dst []float64, frame int64) error {
	for i, r := range s.parts {
		into := dst
		if i > 0 {
			if cap(s.room) < len(dst) {
				s.room = make([]float64, len(dst))
			}
			into = s.room[:len(dst)]
		}
		if err := r.read(into, frame); err != nil {
			return err
		}
		switch {
		case i > 0:
			add(dst, into, s.factors[i], false)
		case s.factors[i] != 1:
			scale(dst, s.factors[i])
		}
	}
	return nil
}

// Close closes the files.
func (s *Strand) Close() { s.pool.close() }
