package wave

import (
	"bytes"
	"encoding/binary"
)

// Files are put together by hand here, apart from the writer under test.

type piece struct {
	id     string
	data   []byte
	size   int64 // claimed, when not the data's
	noPad  bool
	claims bool
}

func riff(id string, pieces ...piece) []byte {
	var b bytes.Buffer
	b.WriteString(id + "\x00\x00\x00\x00WAVE")
	for _, p := range pieces {
		n := int64(len(p.data))
		if p.claims {
			n = p.size
		}
		b.WriteString(p.id)
		_ = binary.Write(&b, binary.LittleEndian, uint32(n))
		b.Write(p.data)
		if len(p.data)%2 == 1 && !p.noPad {
			b.WriteByte(0)
		}
	}
	out := b.Bytes()
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	return out
}

func fmtChunk(tag, channels, rate, align, bits int, extra ...byte) piece {
	var b bytes.Buffer
	for _, v := range []any{uint16(tag), uint16(channels), uint32(rate), uint32(rate * align), uint16(align), uint16(bits)} {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	b.Write(extra)
	return piece{id: "fmt ", data: b.Bytes()}
}

func extensible(channels, rate, align, bits, valid int, mask uint32, tag uint16) piece {
	var b bytes.Buffer
	for _, v := range []any{uint16(22), uint16(valid), mask, tag} {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	b.Write(subFormatTail)
	return fmtChunk(0xFFFE, channels, rate, align, bits, b.Bytes()...)
}

func data(n int) piece { return piece{id: "data", data: make([]byte, n)} }
