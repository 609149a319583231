package render

// Strand reads one strand by itself, as it is heard: at a rate, with its treatment. It is not safe
// for concurrent use.
type Strand struct {
	bank   *bank
	voice  *voice
	frames int64
}

// OpenStrand opens a strand at a sample rate; 0 is the file's own. Close it when done.
func OpenStrand(p Place, rate int) (*Strand, error) {
	s := &Strand{bank: newBank(nil, rate)}
	f, err := s.bank.open(p)
	if err != nil {
		return nil, err
	}
	if rate == 0 {
		s.bank.rate = f.src.Format.SampleRate
	}
	c, err := s.bank.converter(clock{f.src.Format.SampleRate, p.Drift})
	if err == nil {
		s.voice, err = s.bank.newVoice(p)
	}
	if err != nil {
		s.bank.close()
		return nil, err
	}
	if s.frames = f.src.Frames; c != nil {
		s.frames = c.Frames(s.frames)
	}
	return s, nil
}

// Rate is the sample rate in Hz.
func (s *Strand) Rate() int { return s.bank.rate }

// Frames is the strand's length at that rate.
func (s *Strand) Frames() int64 { return s.frames }

// Read fills dst from a frame on; all of it must lie within the strand.
func (s *Strand) Read(dst []float64, frame int64) error { return s.bank.sound(s.voice, dst, frame) }

// Close closes the file.
func (s *Strand) Close() { s.bank.close() }
