package wave

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"
)

// Bext is the broadcast extension chunk of EBU Tech 3285 version 2.
type Bext struct {
	Description         string // at most 256 bytes
	Originator          string // at most 32 bytes
	OriginatorReference string // at most 32 bytes
	OriginationDate     string // yyyy-mm-dd
	OriginationTime     string // hh:mm:ss
	TimeReference       uint64 // samples since midnight at the file's rate
	Version             uint16
	UMID                [64]byte
	// Loudness holds LoudnessValue, LoudnessRange, MaxTruePeakLevel, MaxMomentaryLoudness and
	// MaxShortTermLoudness in hundredths; NotGiven where there is none. From version 2 on.
	Loudness      [5]int16
	CodingHistory string
}

// NotGiven marks a loudness value that was not measured.
const NotGiven int16 = 0x7FFF

const bextFixed = 602

// ParseBext reads a bext payload. Chunks cut short by old writers are read as far as they go, as
// long as the time reference is there.
func ParseBext(b []byte) (*Bext, error) {
	if len(b) < 346 {
		return nil, fmt.Errorf("it holds %d bytes, fewer than the 346 up to the time reference", len(b))
	}
	x := &Bext{
		Description: text(b[:256]), Originator: text(b[256:288]), OriginatorReference: text(b[288:320]),
		OriginationDate: text(b[320:330]), OriginationTime: text(b[330:338]),
		TimeReference: uint64(le.Uint32(b[338:])) | uint64(le.Uint32(b[342:]))<<32,
		Loudness:      [5]int16{NotGiven, NotGiven, NotGiven, NotGiven, NotGiven},
	}
	if len(b) < bextFixed {
		return x, nil
	}
	x.Version = le.Uint16(b[346:])
	copy(x.UMID[:], b[348:412])
	if x.Version >= 2 {
		for i := range x.Loudness {
			x.Loudness[i] = int16(le.Uint16(b[412+2*i:]))
		}
	}
	x.CodingHistory = text(b[bextFixed:])
	return x, nil
}

// Marshal writes the payload. Text beyond its field is cut at a character's edge.
func (x *Bext) Marshal() []byte {
	b := make([]byte, bextFixed, bextFixed+len(x.CodingHistory)+1)
	put := func(at, size int, s string) { copy(b[at:at+size], clip(s, size)) }
	put(0, 256, x.Description)
	put(256, 32, x.Originator)
	put(288, 32, x.OriginatorReference)
	put(320, 10, x.OriginationDate)
	put(330, 8, x.OriginationTime)
	le.PutUint32(b[338:], uint32(x.TimeReference))
	le.PutUint32(b[342:], uint32(x.TimeReference>>32))
	le.PutUint16(b[346:], x.Version)
	copy(b[348:412], x.UMID[:])
	if x.Version >= 2 {
		for i, v := range x.Loudness {
			le.PutUint16(b[412+2*i:], uint16(v))
		}
	}
	return append(b, x.CodingHistory...)
}

func clip(s string, size int) string {
	if len(s) <= size {
		return s
	}
	for size > 0 && !utf8.RuneStart(s[size]) {
		size--
	}
	return s[:size]
}

// text reads a NUL-padded field: UTF-8 where it is valid, Latin-1 otherwise.
func text(b []byte) string {
	if i := bytes.IndexByte(b, 0); i >= 0 {
		b = b[:i]
	}
	if !utf8.Valid(b) {
		r := make([]rune, len(b))
		for i, c := range b {
			r[i] = rune(c)
		}
		return strings.TrimRight(string(r), " ")
	}
	return strings.TrimRight(string(b), " ")
}

// CodingHistory is the line of EBU R 98 for a file of this format that is written here.
func (f Format) CodingHistory() string {
	mode := "multitrack"
	switch f.Channels {
	case 1:
		mode = "mono"
	case 2:
		mode = "stereo"
	}
	return fmt.Sprintf("A=PCM,F=%d,W=%d,M=%s,T=Zesty Loom\r\n", f.SampleRate, f.Bits(), mode)
}
