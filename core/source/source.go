// Package source opens any sound file the core reads — the WAV family, AIFF, AIFF-C, FLAC, AU and CAF — as
// one kind of thing: facts, metadata, and frames of interleaved little-endian samples at any
// position. Reading streams: memory does not depend on a file's length.
package source

import (
	"errors"
	"io"
	"os"

	"zestyloom/core/aiff"
	"zestyloom/core/au"
	"zestyloom/core/audio"
	"zestyloom/core/caf"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// Info is what a file says of itself, whatever its container.
type Info struct {
	Container string // RIFF, RF64, BW64, W64, AIFF, AIFF-C, FLAC, AU or CAF
	Format    wave.Format
	Frames    int64 // whole frames that are really there
	Bext      *wave.Bext
	IXML      *wave.IXML
	Extra     []wave.RawChunk // chunks of unknown kinds, WAV family only
	Snags     []snag.Snag
	// Unkept names metadata of the container that has no place in a WAV.
	Unkept  []string
	Signed8 bool // samples of 8 bits are signed in the file; here they are unsigned like all of that size
}

// Encoding names how the samples are stored in the file: that of its Format, or s8.
func (i Info) Encoding() string {
	if i.Signed8 && i.Format.Coding == audio.U8 {
		return "s8"
	}
	return i.Format.Coding.String()
}

// SniffPicture tells from how a file begins (at least 12 bytes, where it has them) which container for pictures it
// is: "mov" (ISO base media and QuickTime, with ftyp or without), "matroska", "mxf", or "" for none.
func SniffPicture(head []byte) string {
	n := len(head)
	if n >= 12 {
		switch string(head[4:8]) {
		case "ftyp", "moov", "wide", "mdat", "free", "skip", "pnot":
			return "mov"
		}
	}
	switch {
	case n >= 4 && string(head[:4]) == "\x1A\x45\xDF\xA3": // an EBML header
		return "matroska"
	case n >= 4 && string(head[:4]) == "\x06\x0E\x2B\x34": // a key as SMPTE ST 336 writes it
		return "mxf"
	}
	return ""
}

// Source is an open sound file. It is not safe for concurrent use.
type Source struct {
	Info
	file   *os.File
	frames framesAt
}

// framesAt reads whole frames of little-endian samples from a position.
type framesAt interface {
	readFrames(p []byte, frame int64) (int, error)
}

// Open opens the file at path. Errors are *snag.Refusal where the file is at fault.
func Open(path string) (*Source, error) {
	f, err := OpenFile(path)
	if err != nil {
		return nil, openError(err)
	}
	s, err := open(f)
	if err != nil {
		f.Close()
		return nil, err
	}
	return s, nil
}

func openError(err error) error {
	switch {
	case errors.Is(err, os.ErrNotExist):
		return snag.Refuse("not_found", "there is no such file: %w", err)
	case errors.Is(err, os.ErrPermission):
		return snag.Refuse("no_permission", "the file may not be read by this user: %w", err)
	}
	return err
}

func open(f *os.File) (*Source, error) {
	st, err := f.Stat()
	if err != nil {
		return nil, err
	}
	head := make([]byte, 16)
	n, err := io.ReadFull(f, head)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
		return nil, err
	}
	head = head[:n]
	s := &Source{file: f}
	switch {
	case n == 0:
		return nil, snag.Refuse("empty_file", "the file is empty")
	case wave.Sniff(head):
		h, err := wave.Read(f, st.Size())
		if err != nil {
			return nil, err
		}
		s.Info = Info{Container: h.Container, Format: h.Format, Frames: h.Frames, Bext: h.Bext, IXML: h.IXML, Extra: h.Extra, Snags: h.Snags}
		s.frames = &pcm{r: f, offset: h.DataOffset, frames: h.Frames, format: h.Format}
	case aiff.Sniff(head):
		h, err := aiff.Read(f, st.Size())
		if err != nil {
			return nil, err
		}
		s.Info = Info{Container: h.Container, Format: h.Format, Frames: h.Frames, Bext: h.Bext, IXML: h.IXML, Snags: h.Snags, Unkept: h.Unkept, Signed8: h.Signed8}
		s.frames = &pcm{r: f, offset: h.DataOffset, frames: h.Frames, format: h.Format, swap: h.BigEndian, signed8: h.Signed8}
	case au.Sniff(head):
		h, err := au.Read(f, st.Size())
		if err != nil {
			return nil, err
		}
		s.linear("AU", h.Format, h.Frames, h.DataOffset, true, h.Snags)
		if h.Annotated {
			s.Unkept = []string{"the annotation"}
		}
	case caf.Sniff(head):
		h, err := caf.Read(f, st.Size())
		if err != nil {
			return nil, err
		}
		s.linear("CAF", h.Format, h.Frames, h.DataOffset, h.BigEndian, h.Snags)
		s.Unkept = h.Unkept
	case string(head[:min(4, n)]) == "fLaC" || string(head[:min(3, n)]) == "ID3":
		fl, err := openFLAC(f, st.Size())
		if err != nil {
			return nil, err
		}
		s.Info = fl.info
		s.frames = fl
	case SniffPicture(head) != "":
		return nil, snag.Refuse("picture_file", "this is a file with pictures, or of a container for them: its sound is read through Intake, or written out with zestyloom extract")
	case string(head[:min(4, n)]) == "RIFX":
		return nil, snag.Refuse("big_endian_riff", "this is a RIFX, a WAV with its bytes the other way round, which is not read: convert it to WAV, as with ffmpeg -i FILE -c:a pcm_s24le OUT.wav")
	default:
		return nil, snag.Refuse("not_audio", "this is not a sound file that is read here: expected WAV (RIFF, RF64, BW64, Wave64), AIFF, AIFF-C, FLAC, AU or CAF")
	}
	return s, nil
}

// linear makes s one of samples in one run of bytes, in a container whose 8-bit samples are signed.
func (s *Source) linear(container string, f wave.Format, frames, offset int64, bigEndian bool, snags []snag.Snag) {
	signed := f.Coding == audio.U8
	s.Info = Info{Container: container, Format: f, Frames: frames, Snags: snags, Signed8: signed}
	s.frames = &pcm{r: s.file, offset: offset, frames: frames, format: f, swap: bigEndian, signed8: signed}
}

// Bytes is a source of samples that lie in one run of bytes of r, whatever r makes that of. It closes file when it is closed.
func Bytes(file *os.File, r io.ReaderAt, f wave.Format, frames int64, bigEndian bool) *Source {
	s := &Source{file: file}
	s.linear("", f, frames, 0, bigEndian, nil)
	s.frames.(*pcm).r = r
	return s
}

// ReadFrames fills p with whole frames from the given position, in little-endian order, and
// returns how many. At the end of the file it returns 0 and io.EOF. Reading on from where the
// last call ended is the fast path for FLAC; other containers seek freely.
func (s *Source) ReadFrames(p []byte, frame int64) (int, error) {
	if frame < 0 {
		return 0, snag.Refuse("bad_position", "frame %d lies before the file", frame)
	}
	size := s.Format.FrameBytes()
	p = p[:len(p)/size*size]
	if left := s.Frames - frame; left < int64(len(p)/size) {
		p = p[:max(0, left)*int64(size)]
	}
	if len(p) == 0 {
		return 0, io.EOF
	}
	return s.frames.readFrames(p, frame)
}

// Path is the path that the file was opened by.
func (s *Source) Path() string { return s.file.Name() }

// Close closes the file.
func (s *Source) Close() error { return s.file.Close() }

// pcm is uncompressed sound in one run of bytes.
type pcm struct {
	r             io.ReaderAt
	offset        int64
	frames        int64
	format        wave.Format
	swap, signed8 bool
}

func (s *pcm) readFrames(p []byte, frame int64) (int, error) {
	size := s.format.FrameBytes()
	n, err := s.r.ReadAt(p, s.offset+frame*int64(size))
	n -= n % size
	if n == 0 && err != nil {
		return 0, err
	}
	if s.swap {
		audio.SwapBytes(p[:n], s.format.Coding)
	}
	if s.signed8 {
		for i := range p[:n] {
			p[i] ^= 0x80
		}
	}
	return n / size, nil
}
