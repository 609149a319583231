package source

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/mewkiz/flac"
	"github.com/mewkiz/flac/meta"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// flacFrames decodes FLAC (RFC 9639). Samples are stored in the next larger coding,
// left-justified, as WAV stores odd word lengths.
type flacFrames struct {
	f      *os.File
	info   Info
	stream *flac.Stream
	shift  uint
	next   int64  // frame number after those in pending
	buf    []byte // decoded, not yet handed out
}

func openFLAC(f *os.File) (*flacFrames, error) {
	s := &flacFrames{f: f}
	if err := s.rewind(); err != nil {
		return nil, snag.Refuse("bad_format", "the FLAC header is damaged: %w", err)
	}
	si := s.stream.Info
	bits := int(si.BitsPerSample)
	if si.NChannels == 0 || si.SampleRate == 0 || bits < 4 || bits > 32 {
		return nil, snag.Refuse("bad_format", "the FLAC header says %d channels at %d Hz in %d bits: the header is damaged", si.NChannels, si.SampleRate, bits)
	}
	format := wave.Format{SampleRate: int(si.SampleRate), Channels: int(si.NChannels), ValidBits: bits}
	format.Coding = [...]audio.Coding{audio.U8, audio.S16, audio.S24, audio.S32}[(bits-1)/8]
	s.shift = uint(format.Coding.Bits() - bits)
	s.info = Info{Container: "FLAC", Format: format, Frames: int64(si.NSamples)}
	s.metadata()
	if s.info.Frames == 0 {
		if err := s.count(); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// rewind opens the stream anew at its first frame.
func (s *flacFrames) rewind() (err error) {
	if _, err = s.f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	defer func() { // the decoder is another's code, and the file a stranger's
		if r := recover(); r != nil {
			err = fmt.Errorf("the decoder gave up: %v", r)
		}
	}()
	s.stream, err = flac.Parse(bufio.NewReaderSize(s.f, 1<<16))
	s.next, s.buf = 0, nil
	return err
}

// metadata reads RIFF chunks carried along as application blocks, and the speaker mask.
func (s *flacFrames) metadata() {
	for _, block := range s.stream.Blocks {
		switch body := block.Body.(type) {
		case *meta.Application:
			if len(body.Data) < 8 || body.ID != binary.BigEndian.Uint32([]byte("riff")) {
				continue
			}
			data := body.Data[8:]
			switch string(body.Data[:4]) {
			case "bext":
				if b, err := wave.ParseBext(data); err == nil {
					s.info.Bext = b
				}
			case "iXML":
				if x, err := wave.ParseIXML(data); err == nil {
					s.info.IXML = x
				}
			}
		case *meta.VorbisComment:
			for _, tag := range body.Tags {
				if strings.EqualFold(tag[0], "WAVEFORMATEXTENSIBLE_CHANNEL_MASK") {
					if m, err := strconv.ParseUint(tag[1], 0, 32); err == nil {
						s.info.Format.Mask = uint32(m)
					}
				}
			}
		}
	}
}

// count finds the length of a stream whose header does not say it, as one written to a pipe.
func (s *flacFrames) count() error {
	for {
		n, err := s.decode()
		s.info.Frames += int64(n)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			s.info.Snags = append(s.info.Snags, snag.New("cut_short", "the FLAC stream breaks off after %d frames: %v", s.info.Frames, err))
			break
		}
	}
	return s.rewind()
}

// decode decodes the next FLAC frame into buf and returns its number of samples a channel.
func (s *flacFrames) decode() (n int, err error) {
	defer func() {
		if r := recover(); r != nil {
			n, err = 0, fmt.Errorf("the decoder gave up: %v", r)
		}
	}()
	fr, err := s.stream.ParseNext()
	if err != nil {
		return 0, err
	}
	channels := s.info.Format.Channels
	if len(fr.Subframes) != channels {
		return 0, fmt.Errorf("a frame of %d channels in a stream of %d", len(fr.Subframes), channels)
	}
	n = len(fr.Subframes[0].Samples)
	size := s.info.Format.Coding.Bytes()
	s.buf = make([]byte, n*size*channels)
	for c, sub := range fr.Subframes {
		if len(sub.Samples) != n {
			return 0, errors.New("channels of one frame differ in length")
		}
		p := c * size
		for _, v := range sub.Samples {
			v <<= s.shift
			switch size {
			case 1:
				s.buf[p] = byte(v + 128)
			case 2:
				binary.LittleEndian.PutUint16(s.buf[p:], uint16(v))
			case 3:
				s.buf[p], s.buf[p+1], s.buf[p+2] = byte(v), byte(v>>8), byte(v>>16)
			case 4:
				binary.LittleEndian.PutUint32(s.buf[p:], uint32(v))
			}
			p += size * channels
		}
	}
	s.next += int64(n)
	return n, nil
}

func (s *flacFrames) readFrames(p []byte, frame int64) (int, error) {
	size := s.info.Format.FrameBytes()
	if at := s.next - int64(len(s.buf)/size); frame < at {
		if err := s.rewind(); err != nil {
			return 0, err
		}
	}
	done := 0
	for done < len(p) {
		at := s.next - int64(len(s.buf)/size) // position of buf[0]
		want := frame + int64(done/size)
		if skip := want - at; skip > 0 || len(s.buf) == 0 {
			drop := min(int(skip)*size, len(s.buf))
			s.buf = s.buf[drop:]
			if len(s.buf) == 0 {
				if _, err := s.decode(); err != nil {
					if done > 0 {
						break
					}
					if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
						return 0, snag.Refuse("cut_short", "the FLAC stream ends at frame %d of %d", s.next, s.info.Frames)
					}
					return 0, snag.Refuse("damaged", "the FLAC stream is damaged at frame %d: %w", s.next, err)
				}
			}
			continue
		}
		n := copy(p[done:], s.buf)
		s.buf = s.buf[n:]
		done += n
	}
	return done / size, nil
}
