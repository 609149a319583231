package aiff_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/aiff"
	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// file puts an AIFF together by hand.
func file(kind string, chunks ...any) []byte {
	var b bytes.Buffer
	b.WriteString("FORM\x00\x00\x00\x00" + kind)
	for i := 0; i < len(chunks); i += 3 {
		b.WriteString(chunks[i].(string))
		_ = binary.Write(&b, binary.BigEndian, uint32(chunks[i+1].(int)))
		b.Write(chunks[i+2].([]byte))
	}
	return b.Bytes()
}

func comm(channels, frames, bits int, kind string) []byte {
	var b bytes.Buffer
	_ = binary.Write(&b, binary.BigEndian, uint16(channels))
	_ = binary.Write(&b, binary.BigEndian, uint32(frames))
	_ = binary.Write(&b, binary.BigEndian, uint16(bits))
	b.Write([]byte{0x40, 0x0E, 0xBB, 0x80, 0, 0, 0, 0, 0, 0}) // 48000
	b.WriteString(kind)
	return b.Bytes()
}

func ssnd(offset, n int) []byte {
	b := make([]byte, 8+offset+n)
	binary.BigEndian.PutUint32(b, uint32(offset))
	return b
}

func TestRead(t *testing.T) {
	for name, c := range map[string]struct {
		file   []byte
		coding audio.Coding
		big    bool
		frames int64
		codes  []string
	}{
		"plain":       {file("AIFF", "COMM", 18, comm(2, 10, 16, ""), "SSND", 48, ssnd(0, 40)), audio.S16, true, 10, nil},
		"offset":      {file("AIFF", "COMM", 18, comm(2, 10, 24, ""), "SSND", 84, ssnd(16, 60)), audio.S24, true, 10, nil},
		"20 bits":     {file("AIFF", "COMM", 18, comm(1, 10, 20, ""), "SSND", 38, ssnd(0, 30)), audio.S24, true, 10, nil},
		"sowt":        {file("AIFC", "COMM", 22, comm(1, 10, 16, "sowt"), "SSND", 28, ssnd(0, 20)), audio.S16, false, 10, nil},
		"fl32":        {file("AIFC", "COMM", 22, comm(1, 10, 32, "fl32"), "SSND", 48, ssnd(0, 40)), audio.F32, true, 10, nil},
		"FL64":        {file("AIFC", "COMM", 22, comm(1, 10, 64, "FL64"), "SSND", 88, ssnd(0, 80)), audio.F64, true, 10, nil},
		"cut short":   {file("AIFF", "COMM", 18, comm(2, 100, 16, ""), "SSND", 408, ssnd(0, 40)), audio.S16, true, 10, []string{"cut_short"}},
		"power lost":  {file("AIFF", "COMM", 18, comm(2, 0, 16, ""), "SSND", 0, ssnd(0, 40)), audio.S16, true, 10, []string{"size_lost"}},
		"sound first": {file("AIFF", "SSND", 48, ssnd(0, 40), "COMM", 18, comm(2, 10, 16, "")), audio.S16, true, 10, nil},
	} {
		h, err := aiff.Read(bytes.NewReader(c.file), int64(len(c.file)))
		if !assert.NoError(t, err, name) {
			continue
		}
		assert.Equal(t, c.coding, h.Format.Coding, name)
		assert.Equal(t, c.big, h.BigEndian, name)
		assert.Equal(t, c.frames, h.Frames, name)
		assert.Equal(t, 48000, h.Format.SampleRate, name)
		var codes []string
		for _, s := range h.Snags {
			codes = append(codes, s.Code)
		}
		assert.Equal(t, c.codes, codes, name)
	}
	for name, c := range map[string]struct {
		file []byte
		code string
	}{
		"no COMM":       {file("AIFF", "SSND", 48, ssnd(0, 40)), "bad_format"},
		"no SSND":       {file("AIFF", "COMM", 18, comm(2, 10, 16, "")), "no_data"},
		"a codec":       {file("AIFC", "COMM", 22, comm(2, 10, 16, "ima4"), "SSND", 48, ssnd(0, 40)), "unknown_coding"},
		"offset beyond": {file("AIFF", "COMM", 18, comm(2, 10, 16, ""), "SSND", 8, []byte{0, 0, 9, 9, 0, 0, 0, 0}), "no_data"},
		"0 channels":    {file("AIFF", "COMM", 18, comm(0, 10, 16, "")), "bad_format"},
		"no AIFF":       {[]byte("FORM0000ILBMand more"), "not_audio"},
	} {
		_, err := aiff.Read(bytes.NewReader(c.file), int64(len(c.file)))
		if assert.Error(t, err, name) {
			assert.Equal(t, c.code, snag.Of(err).Code, name)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add(file("AIFF", "COMM", 18, comm(2, 10, 16, ""), "SSND", 48, ssnd(0, 40)))
	f.Add(file("AIFC", "COMM", 22, comm(1, 10, 32, "fl32"), "SSND", 48, ssnd(4, 36)))
	f.Fuzz(func(t *testing.T, b []byte) {
		h, err := aiff.Read(bytes.NewReader(b), int64(len(b)))
		if err == nil && (h.Frames < 0 || h.Frames > 0 && h.DataOffset+h.Frames*int64(h.Format.FrameBytes()) > int64(len(b))) {
			t.Fatalf("%d frames of %d bytes at %d in a file of %d bytes", h.Frames, h.Format.FrameBytes(), h.DataOffset, len(b))
		}
	})
}
