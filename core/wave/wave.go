// Package wave reads and writes the WAV family: RIFF/WAVE, RF64 (EBU Tech 3306), BW64 (ITU-R
// BS.2088) and, for reading, Wave64.
//
// A WAV file is a list of chunks: a four-byte id, a 32-bit little-endian size, the payload, and a
// pad byte when the size is odd. Chunks come in any order. "fmt " says how samples are stored,
// "data" holds them interleaved, "bext" and "iXML" say what was recorded. RF64 and BW64 put sizes
// beyond 32 bits into a "ds64" chunk; Wave64 has 16-byte ids and 64-bit sizes throughout.
//
// Field recorders lose power, forget pad bytes and label poly files with speaker masks. The reader
// takes everything that can be taken and says what it found amiss; only a file that holds no
// samples it can locate, or whose format it does not know, is refused.
package wave

import (
	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Container names, as they are reported.
const (
	RIFF = "RIFF"
	RF64 = "RF64"
	BW64 = "BW64"
	W64  = "W64"
)

// Format says how samples are stored.
type Format struct {
	Coding     audio.Coding
	ValidBits  int // significant bits in each integer sample; the container's when not said
	SampleRate int // Hz
	Channels   int
	Mask       uint32 // WAVEFORMATEXTENSIBLE speaker mask, 0 when no speakers are assigned
}

// FrameBytes is the size of one frame: a sample of every channel.
func (f Format) FrameBytes() int { return f.Coding.Bytes() * f.Channels }

// RawChunk is a chunk this package does not interpret, kept whole.
type RawChunk struct {
	ID   string // four characters
	Data []byte
}

// Header is what a WAV file says before and after its samples.
type Header struct {
	Container  string
	Format     Format
	DataOffset int64 // of the first sample, in bytes from the start of the file
	Frames     int64 // whole frames that are really there
	Promised   int64 // frames the header claims, -1 when it claims nothing usable
	Bext       *Bext
	IXML       *IXML
	Extra      []RawChunk // chunks of other kinds, in file order
	Snags      []snag.Snag
}

// Bounds on what is believed of a file from outside.
const (
	maxChannels = 1024
	maxRate     = 6_144_000
	maxMeta     = 8 << 20  // bytes of one bext, iXML or unknown chunk
	maxExtra    = 16 << 20 // bytes of all unknown chunks together
	maxChunks   = 4096
)
