// Package source opens any sound file the core reads — the WAV family, AIFF, AIFF-C, FLAC, AU and CAF — as
// one kind of thing: facts, metadata, and frames of interleaved little-endian samples at any
// position. Reading streams: memory does not depend on a file's length.
package source

import (
	"errors"
	"fmt"
	"io"
	"os"

	"zestyloom/core/aiff"
	"zestyloom/core/au"
	"zestyloom/core/audio"
	"zestyloom/core/blockhash"
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
	bytes  io.ReaderAt       // the file's, compared with what they were where sums are known
	known  *blockhash.Reader // nil where they are not
	name   string            // as people know it, where they are
	frames framesAt
}

// framesAt reads whole frames of little-endian samples from a position.
type framesAt interface {
	readFrames(p []byte, frame int64) (int, error)
}

// Open opens the file at path. Errors are *snag.Refusal where the file is at fault.
func Open(path string) (*Source, error) { return OpenKnown(path, nil) }

// Known is what is known of a file that was read before.
type Known struct {
	Name string // as people know it
	Sums *blockhash.Sums
}

// OpenKnown opens the file at path, which was read before: whatever of it is read, headers too, is compared with what it
// was then, and is refused ("source_changed") where it is other. known may be nil, which is Open.
func OpenKnown(path string, known *Known) (*Source, error) {
	f, err := OpenFile(path)
	if err != nil {
		return nil, openError(err)
	}
	s := &Source{file: f, bytes: f}
	if known != nil {
		s.name, s.known = known.Name, blockhash.NewReader(f, *known.Sums)
		s.bytes = s.known
	}
	if err := s.open(known); err != nil {
		f.Close()
		return nil, err
	}
	return s, nil
}

// Changed is the refusal of a file that is not what it was when it was read first: why, and what can be done.
func Changed(name string, why any) error {
	return snag.Refuse("source_changed", "%s is not what it was when it was taken in: %v; take in the file again as it was (from its card or a copy), which puts it back in its place", name, why)
}

// as is err, unless the bytes that were read are not what they were.
func (s *Source) as(err error) error {
	if err == nil || s.known == nil || s.known.Failed() == nil {
		return err
	}
	return Changed(s.name, s.known.Failed())
}

func (s *Source) open(known *Known) error {
	st, err := s.file.Stat()
	if err != nil {
		return err
	}
	if known != nil && st.Size() != known.Sums.Bytes {
		return Changed(known.Name, fmt.Sprintf("it has %d bytes and had %d", st.Size(), known.Sums.Bytes))
	}
	return s.as(s.sniff(st.Size()))
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

// sniff finds out which kind of file it is, and reads what it says of itself. size is the file's.
func (s *Source) sniff(size int64) error {
	f := s.bytes
	head := make([]byte, 16)
	n, err := f.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	head = head[:n]
	switch {
	case n == 0:
		return snag.Refuse("empty_file", "the file is empty")
	case wave.Sniff(head):
		h, err := wave.Read(f, size)
		if err != nil {
			return err
		}
		s.Info = Info{Container: h.Container, Format: h.Format, Frames: h.Frames, Bext: h.Bext, IXML: h.IXML, Extra: h.Extra, Snags: h.Snags}
		s.frames = &pcm{r: f, offset: h.DataOffset, frames: h.Frames, format: h.Format}
	case aiff.Sniff(head):
		h, err := aiff.Read(f, size)
		if err != nil {
			return err
		}
		s.Info = Info{Container: h.Container, Format: h.Format, Frames: h.Frames, Bext: h.Bext, IXML: h.IXML, Snags: h.Snags, Unkept: h.Unkept, Signed8: h.Signed8}
		s.frames = &pcm{r: f, offset: h.DataOffset, frames: h.Frames, format: h.Format, swap: h.BigEndian, signed8: h.Signed8}
	case au.Sniff(head):
		h, err := au.Read(f, size)
		if err != nil {
			return err
		}
		s.linear("AU", h.Format, h.Frames, h.DataOffset, true, h.Snags)
		if h.Annotated {
			s.Unkept = []string{"the annotation"}
		}
	case caf.Sniff(head):
		h, err := caf.Read(f, size)
		if err != nil {
			return err
		}
		s.linear("CAF", h.Format, h.Frames, h.DataOffset, h.BigEndian, h.Snags)
		s.Unkept = h.Unkept
	case string(head[:min(4, n)]) == "fLaC" || string(head[:min(3, n)]) == "ID3":
		fl, err := openFLAC(f, size)
		if err != nil {
			return err
		}
		s.Info = fl.info
		s.frames = fl
	case SniffPicture(head) != "":
		return snag.Refuse("picture_file", "this is a file with pictures, or of a container for them: its sound is read through Intake, or written out with zestyloom extract")
	case string(head[:min(4, n)]) == "RIFX":
		return snag.Refuse("big_endian_riff", "this is a RIFX, a WAV with its bytes the other way round, which is not read: convert it to WAV, as with ffmpeg -i FILE -c:a pcm_s24le OUT.wav")
	default:
		return snag.Refuse("not_audio", "this is not a sound file that is read here: expected WAV (RIFF, RF64, BW64, Wave64), AIFF, AIFF-C, FLAC, AU or CAF")
	}
	return nil
}

// linear makes s one of samples in one run of bytes, in a container whose 8-bit samples are signed.
func (s *Source) linear(container string, f wave.Format, frames, offset int64, bigEndian bool, snags []snag.Snag) {
	signed := f.Coding == audio.U8
	s.Info = Info{Container: container, Format: f, Frames: frames, Snags: snags, Signed8: signed}
	s.frames = &pcm{r: s.bytes, offset: offset, frames: frames, format: f, swap: bigEndian, signed8: signed}
}

// Bytes is a source of samples that lie in one run of bytes of r, whatever r makes that of. It closes file when it is closed.
func Bytes(file *os.File, r io.ReaderAt, f wave.Format, frames int64, bigEndian bool) *Source {
	s := &Source{file: file, bytes: file}
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
	n, err := s.frames.readFrames(p, frame)
	return n, s.as(err)
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
