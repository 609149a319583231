package align

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
