package sync

import (
	"zestyloom/core/resample"
	"zestyloom/core/snag"
)

// at gives a sound at another rate.
func at(s Sound, rate int) (Sound, error) {
	if s.Rate() == rate {
		return s, nil
	}
	c, err := resample.New(s.Rate(), rate)
	if err != nil {
		return nil, snag.Refuse("rate_differs", "%w", err)
	}
	return &converted{s, c, rate, nil}, nil
}

type converted struct {
	from Sound
	c    *resample.Converter
	rate int
	in   []float64
}

func (s *converted) Rate() int     { return s.rate }
func (s *converted) Frames() int64 { return s.c.Frames(s.from.Frames()) }

func (s *converted) Read(dst []float64, frame int64) error {
	lo, hi := s.c.Needs(frame, len(dst))
	if cap(s.in) < int(hi-lo) {
		s.in = make([]float64, hi-lo)
	}
	in := s.in[:hi-lo]
	if err := padded(s.from, in, lo); err != nil {
		return err
	}
	s.c.Convert(dst, in, frame)
	return nil
}

// padded reads from a sound where it is, with silence before and after it. Samples that are not
// numbers count as silence.
func padded(s Sound, dst []float64, frame int64) error {
	from, to := max(frame, 0), min(frame+int64(len(dst)), s.Frames())
	if from >= to {
		clear(dst)
		return nil
	}
	clear(dst[:from-frame])
	clear(dst[to-frame:])
	if err := s.Read(dst[from-frame:to-frame], from); err != nil {
		return err
	}
	for i, v := range dst {
		if v != v {
			dst[i] = 0
		}
	}
	return nil
}

// Sum is several sounds of one rate heard together, as long as the longest.
type Sum []Sound

// Rate implements Sound.
func (s Sum) Rate() int { return s[0].Rate() }

// Frames implements Sound.
func (s Sum) Frames() (n int64) {
	for _, o := range s {
		n = max(n, o.Frames())
	}
	return n
}

// Read implements Sound.
func (s Sum) Read(dst []float64, frame int64) error {
	if err := padded(s[0], dst, frame); err != nil {
		return err
	}
	part := make([]float64, len(dst))
	for _, o := range s[1:] {
		if err := padded(o, part, frame); err != nil {
			return err
		}
		for i, v := range part {
			dst[i] += v
		}
	}
	return nil
}
