package wave

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

func codes(h *Header) []string {
	out := []string{}
	for _, s := range h.Snags {
		out = append(out, s.Code)
	}
	return out
}

func TestReadOddities(t *testing.T) {
	stereo := fmtChunk(1, 2, 48000, 4, 16)
	ds64 := func(dataSize uint64, table ...byte) piece {
		b := make([]byte, 28, 28+len(table))
		binary.LittleEndian.PutUint64(b[8:], dataSize)
		binary.LittleEndian.PutUint32(b[24:], uint32(len(table)/12))
		return piece{id: "ds64", data: append(b, table...)}
	}
	big := func(p piece) piece { p.claims, p.size = true, 0xFFFFFFFF; return p }
	claim := func(p piece, n int64) piece { p.claims, p.size = true, n; return p }
	note := piece{id: "note", data: []byte("abc")}
	for name, c := range map[string]struct {
		file   []byte
		frames int64
		coding audio.Coding
		valid  int
		mask   uint32
		codes  []string
	}{
		"plain":                           {riff("RIFF", stereo, data(400)), 100, audio.S16, 16, 0, nil},
		"fmt of 18 bytes":                 {riff("RIFF", fmtChunk(1, 1, 8000, 1, 8, 0, 0), data(10)), 10, audio.U8, 8, 0, nil},
		"data before other chunks":        {riff("RIFF", stereo, data(400), note, piece{id: "LIST", data: []byte("INFO")}), 100, audio.S16, 16, 0, nil},
		"fmt after data":                  {riff("RIFF", data(400), stereo), 100, audio.S16, 16, 0, nil},
		"odd chunk padded":                {riff("RIFF", note, stereo, data(400)), 100, audio.S16, 16, 0, nil},
		"odd chunk not padded":            {riff("RIFF", piece{id: "note", data: []byte("abc"), noPad: true}, stereo, data(400)), 100, audio.S16, 16, 0, []string{"pad_missing"}},
		"plain tag with 8 channels of 24": {riff("RIFF", fmtChunk(1, 8, 48000, 24, 24), data(240)), 10, audio.S24, 24, 0, nil},
		"extensible with mask":            {riff("RIFF", extensible(6, 48000, 18, 24, 24, 0x3F, 1), data(180)), 10, audio.S24, 24, 0x3F, nil},
		"20 valid bits in 24":             {riff("RIFF", extensible(1, 48000, 3, 24, 20, 0, 1), data(30)), 10, audio.S24, 20, 0, nil},
		"20 bits said plainly":            {riff("RIFF", fmtChunk(1, 1, 48000, 3, 20), data(30)), 10, audio.S24, 20, 0, nil},
		"24 valid in 32":                  {riff("RIFF", extensible(1, 48000, 4, 32, 24, 0, 1), data(40)), 10, audio.S32, 24, 0, nil},
		"24 bits in 4 bytes":              {riff("RIFF", fmtChunk(1, 1, 48000, 4, 24), data(40)), 10, audio.S32, 24, 0, nil},
		"float":                           {riff("RIFF", fmtChunk(3, 1, 48000, 4, 32), data(40)), 10, audio.F32, 32, 0, nil},
		"extensible double":               {riff("RIFF", extensible(1, 48000, 8, 64, 64, 0, 3), data(80)), 10, audio.F64, 64, 0, nil},
		"block align of 0":                {riff("RIFF", fmtChunk(1, 2, 48000, 0, 16), data(40)), 10, audio.S16, 16, 0, []string{"bad_align"}},
		"data size 0, sound after it":     {riff("RIFF", stereo, claim(data(402), 0)), 100, audio.S16, 16, 0, []string{"size_lost", "part_frame"}},
		"data size never filled in":       {riff("RIFF", stereo, claim(data(400), 0xFFFFFFFF)), 100, audio.S16, 16, 0, []string{"size_lost"}},
		"data larger than the file":       {riff("RIFF", stereo, claim(data(401), 4000)), 100, audio.S16, 16, 0, []string{"cut_short", "part_frame"}},
		"truly empty, chunks after it":    {riff("RIFF", stereo, data(0), note), 0, audio.S16, 16, 0, []string{"no_sound"}},
		"RF64":                            {riff("RF64", ds64(400), stereo, big(data(400)), note), 100, audio.S16, 16, 0, nil},
		"BW64 with a table":               {riff("BW64", ds64(400, append([]byte("note"), 3, 0, 0, 0, 0, 0, 0, 0)...), big(note), stereo, big(data(400))), 100, audio.S16, 16, 0, nil},
		"RF64 with a plain data size":     {riff("RF64", ds64(0), stereo, data(400), note), 100, audio.S16, 16, 0, nil},
		"RF64 that lost power":            {riff("RF64", ds64(0), stereo, big(data(400))), 100, audio.S16, 16, 0, []string{"size_lost"}},
		"RF64 cut short":                  {riff("RF64", ds64(4000), stereo, big(data(400))), 100, audio.S16, 16, 0, []string{"cut_short"}},
		"second fmt and data not read":    {riff("RIFF", stereo, data(400), fmtChunk(1, 1, 8000, 1, 8), data(40)), 100, audio.S16, 16, 0, []string{"second_data"}},
	} {
		h, err := Read(bytes.NewReader(c.file), int64(len(c.file)))
		if !assert.NoError(t, err, name) {
			continue
		}
		assert.Equal(t, c.frames, h.Frames, name)
		assert.Equal(t, c.coding, h.Format.Coding, name)
		assert.Equal(t, c.valid, h.Format.ValidBits, name)
		assert.Equal(t, c.mask, h.Format.Mask, name)
		assert.ElementsMatch(t, c.codes, codes(h), name)
	}
}

func TestReadRefuses(t *testing.T) {
	for name, c := range map[string]struct {
		file []byte
		code string
	}{
		"something else":      {[]byte("MThd and so on, a song"), "not_audio"},
		"too short":           {[]byte("RIFF"), "not_audio"},
		"no fmt":              {riff("RIFF", data(40)), "bad_format"},
		"short fmt":           {riff("RIFF", piece{id: "fmt ", data: make([]byte, 8)}, data(40)), "bad_format"},
		"fmt of zeros":        {riff("RIFF", piece{id: "fmt ", data: make([]byte, 16)}), "bad_format"},
		"no data":             {riff("RIFF", fmtChunk(1, 1, 48000, 2, 16)), "no_data"},
		"a codec":             {riff("RIFF", fmtChunk(2, 1, 48000, 2, 4), data(40)), "unknown_coding"},
		"64-bit integers":     {riff("RIFF", fmtChunk(1, 1, 48000, 8, 64), data(40)), "unknown_coding"},
		"60000 channels":      {riff("RIFF", fmtChunk(1, 60000, 48000, 2, 16), data(40)), "bad_format"},
		"short extensible":    {riff("RIFF", fmtChunk(0xFFFE, 1, 48000, 2, 16), data(40)), "bad_format"},
		"foreign sub-format":  {riff("RIFF", fmtChunk(0xFFFE, 1, 48000, 2, 16, make([]byte, 24)...), data(40)), "unknown_coding"},
		"Wave64 without wave": {append([]byte("riff"), append(w64RiftCopy(), make([]byte, 40)...)...), "not_audio"},
	} {
		_, err := Read(bytes.NewReader(c.file), int64(len(c.file)))
		if assert.Error(t, err, name) {
			assert.Equal(t, c.code, snag.Of(err).Code, "%s: %v", name, err)
		}
	}
}

func w64RiftCopy() []byte { return append([]byte{}, w64RiffTail...) }

func TestUnknownChunksAreKept(t *testing.T) {
	f := riff("RIFF", piece{id: "note", data: []byte("abc")}, fmtChunk(1, 1, 48000, 2, 16), data(4), piece{id: "cue ", data: []byte("12345678")}, piece{id: "JUNK", data: []byte("xx")})
	h, err := Read(bytes.NewReader(f), int64(len(f)))
	require.NoError(t, err)
	assert.Equal(t, []RawChunk{{"note", []byte("abc")}, {"cue ", []byte("12345678")}}, h.Extra)
}

func FuzzRead(f *testing.F) {
	f.Add(riff("RIFF", fmtChunk(1, 2, 48000, 4, 16), data(16)))
	f.Add(riff("RF64", piece{id: "ds64", data: make([]byte, 28)}, extensible(2, 48000, 4, 16, 16, 3, 1), data(16)))
	f.Add(riff("RIFF", piece{id: "bext", data: make([]byte, 602)}, piece{id: "iXML", data: []byte("<BWFXML/>")}, fmtChunk(3, 1, 8000, 4, 32), data(16)))
	f.Fuzz(func(t *testing.T, b []byte) {
		h, err := Read(bytes.NewReader(b), int64(len(b)))
		if err != nil {
			if h != nil {
				t.Fatal("a header beside an error")
			}
			return
		}
		if h.Frames < 0 || h.DataOffset < 0 || h.DataOffset+h.Frames*int64(h.Format.FrameBytes()) > int64(len(b)) {
			t.Fatalf("%d frames of %d bytes at %d in a file of %d bytes", h.Frames, h.Format.FrameBytes(), h.DataOffset, len(b))
		}
	})
}

// A Wave64 file without sound has none: what follows its empty data chunk is not taken for it. One whose length was
// never filled in has all that follows.
func TestEmptyWave64(t *testing.T) {
	chunk := func(id string, body []byte) []byte {
		b := append(append([]byte(id), w64Tail...), make([]byte, 8)...)
		le.PutUint64(b[16:], uint64(24+len(body)))
		b = append(b, body...)
		return append(b, make([]byte, -len(b)&7)...)
	}
	for name, c := range map[string]struct {
		after  []byte
		frames int64
	}{
		"a chunk after it": {chunk("LIST", []byte("eleven octets")), 0},
		"nothing":          {nil, 0},
		"sound after it":   {make([]byte, 800), 200},
		"half a chunk":     {chunk("LIST", make([]byte, 80))[:48], 12},
	} {
		var body []byte
		body = append(body, "wave"...)
		body = append(body, w64Tail...)
		body = append(body, chunk("fmt ", []byte{1, 0, 2, 0, 0x80, 0xbb, 0, 0, 0, 0xee, 2, 0, 4, 0, 16, 0})...)
		body = append(body, chunk("data", nil)...)
		body = append(body, c.after...)
		file := append(append([]byte("riff"), w64RiffTail...), make([]byte, 8)...)
		le.PutUint64(file[16:], uint64(24+len(body)))
		file = append(file, body...)
		h, err := Read(bytes.NewReader(file), int64(len(file)))
		require.NoError(t, err, name)
		assert.Equal(t, c.frames, h.Frames, name)
	}
}
