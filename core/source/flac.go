package source

import (
	"encoding/binary"
	"errors"
	"io"
	"slices"
	"strconv"

	"zestyloom/core/audio"
	"zestyloom/core/flac"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// flacFrames hands out frames of a FLAC file. Samples are stored in the next larger coding,
// left-justified, as WAV stores odd word lengths.
type flacFrames struct {
	d     *flac.Decoder
	info  Info
	shift uint
	buf   []byte // decoded and not yet handed out; ends at the decoder's position
	store []byte
}

func openFLAC(f io.ReaderAt, size int64) (*flacFrames, error) {
	d, err := flac.Open(f, size)
	if err != nil {
		return nil, snag.Refuse("bad_format", "the FLAC header is damaged: %w", err)
	}
	format := wave.Format{SampleRate: d.SampleRate, Channels: d.Channels, ValidBits: d.Bits}
	format.Coding = [...]audio.Coding{audio.U8, audio.S16, audio.S24, audio.S32}[(d.Bits-1)/8]
	s := &flacFrames{d: d, shift: uint(format.Coding.Bits() - d.Bits), info: Info{Container: "FLAC", Format: format, Frames: d.Frames, Signed8: d.Bits <= 8}}
	if m, err := strconv.ParseUint(d.Comments["WAVEFORMATEXTENSIBLE_CHANNEL_MASK"], 0, 32); err == nil {
		s.info.Format.Mask = uint32(m)
	}
	s.chunks()
	for key := range d.Comments {
		if key != "WAVEFORMATEXTENSIBLE_CHANNEL_MASK" {
			s.info.Unkept = append(s.info.Unkept, "the comment "+key)
		}
	}
	slices.Sort(s.info.Unkept)
	if end, ok := d.EndsAt(); !ok || end != d.Frames {
		s.count()
	}
	return s, nil
}

// chunks reads RIFF chunks that were carried along when the file was made from a WAV.
func (s *flacFrames) chunks() {
	for _, a := range s.d.Applications {
		if a.ID != "riff" || len(a.Data) < 8 {
			continue
		}
		switch string(a.Data[:4]) {
		case "bext":
			if b, err := wave.ParseBext(a.Data[8:]); err == nil {
				s.info.Bext = b
			}
		case "iXML":
			if x, err := wave.ParseIXML(a.Data[8:]); err == nil {
				s.info.IXML = x
			}
		}
	}
}

// count finds the true length of a file that does not end where its header says, or whose header
// does not say, by decoding it.
func (s *flacFrames) count() {
	promised := s.info.Frames
	var err error
	for err == nil {
		_, err = s.d.Next()
	}
	s.info.Frames = s.d.Position()
	if promised > 0 && s.info.Frames != promised || !errors.Is(err, io.EOF) {
		s.info.Snags = append(s.info.Snags, snag.New("cut_short", "the header promises %d frames and %d can be decoded; those are kept", promised, s.info.Frames))
	}
	s.d.Rewind()
}

// decode decodes the next block into buf.
func (s *flacFrames) decode() error {
	block, err := s.d.Next()
	if err != nil {
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			return snag.Refuse("cut_short", "the FLAC stream ends at frame %d of %d", s.d.Position(), s.info.Frames)
		}
		return snag.Refuse("damaged", "the FLAC stream is damaged at frame %d: %w", s.d.Position(), err)
	}
	size, stride := s.info.Format.Coding.Bytes(), s.info.Format.FrameBytes()
	if need := len(block[0]) * stride; cap(s.store) < need {
		s.store = make([]byte, need)
	}
	s.buf = s.store[:len(block[0])*stride]
	for c, samples := range block {
		p := c * size
		for _, v := range samples {
			u := uint32(v) << s.shift
			switch size {
			case 1:
				s.buf[p] = byte(u) ^ 0x80
			case 2:
				binary.LittleEndian.PutUint16(s.buf[p:], uint16(u))
			case 3:
				s.buf[p], s.buf[p+1], s.buf[p+2] = byte(u), byte(u>>8), byte(u>>16)
			case 4:
				binary.LittleEndian.PutUint32(s.buf[p:], u)
			}
			p += stride
		}
	}
	return nil
}

func (s *flacFrames) readFrames(p []byte, frame int64) (int, error) {
	stride := s.info.Format.FrameBytes()
	first := func() int64 { return s.d.Position() - int64(len(s.buf)/stride) } // of buf
	if at := first(); frame < at || frame > at+1<<18 {
		s.buf = nil
		s.d.SeekBefore(frame)
	}
	done := 0
	for done < len(p) {
		if skip := frame + int64(done/stride) - first(); skip > 0 {
			s.buf = s.buf[min(skip*int64(stride), int64(len(s.buf))):]
		}
		if len(s.buf) == 0 {
			if err := s.decode(); err != nil {
				if done > 0 {
					break
				}
				return 0, err
			}
			continue
		}
		n := copy(p[done:], s.buf)
		s.buf = s.buf[n:]
		done += n
	}
	return done / stride, nil
}
