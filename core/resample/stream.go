package resample

// Stream converts one channel that comes block by block. What it makes is what Convert makes of the whole, bit for bit.
type Stream struct {
	c    *Converter
	in   []float64 // from sample first on
	from int64
	got  int64 // samples that have come
	made int64 // samples that have been made
}

// Stream begins a conversion.
func (c *Converter) Stream() *Stream {
	s := &Stream{c: c}
	s.from, _ = c.Needs(0, 1)
	if s.from < 0 { // before the sound it is silent
		s.in = make([]float64, -s.from)
	} else {
		s.from = 0
	}
	return s
}

// Add takes samples and appends what can be made of them to dst.
func (s *Stream) Add(dst, x []float64) []float64 {
	s.in = append(s.in, x...)
	s.got += int64(len(x))
	return s.make(dst, s.got)
}

// End appends the rest: after the sound it is silent.
func (s *Stream) End(dst []float64) []float64 {
	total := s.c.Frames(s.got)
	_, to := s.c.Needs(total, 1)
	if n := to - (s.from + int64(len(s.in))); n > 0 {
		s.in = append(s.in, make([]float64, n)...)
	}
	for s.made < total {
		dst = s.step(dst, int(min(1<<12, total-s.made)))
	}
	return dst
}

// make appends all samples that need none from known on.
func (s *Stream) make(dst []float64, known int64) []float64 {
	for {
		n := 0
		for step := 1 << 12; step > 0; step /= 2 {
			if _, to := s.c.Needs(s.made, n+step); to <= known && n+step <= 1<<12 {
				n += step
			}
		}
		if n == 0 {
			return dst
		}
		dst = s.step(dst, n)
	}
}

// step appends n samples, all of whose input is there.
func (s *Stream) step(dst []float64, n int) []float64 {
	from, to := s.c.Needs(s.made, n)
	at := len(dst)
	dst = append(dst, make([]float64, n)...)
	s.c.Convert(dst[at:], s.in[from-s.from:to-s.from], s.made)
	s.made += int64(n)
	if next, _ := s.c.Needs(s.made, 1); next > s.from {
		s.in = s.in[:copy(s.in, s.in[min(int64(len(s.in)), next-s.from):])]
		s.from = next
	}
	return dst
}
