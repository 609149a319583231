package wave_test

import (
	"bytes"
	"encoding/binary"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/snag"
	"zestyloom/core/wave"
)

// What is wrong with a chunk says at which byte it begins, whichever container it is in.
func TestErrorsSayWhere(t *testing.T) {
	chunk := func(id string, body []byte) []byte {
		return append(binary.LittleEndian.AppendUint32([]byte(id), uint32(len(body))), body...)
	}
	riff := func(parts ...[]byte) []byte {
		b := bytes.Join(parts, nil)
		return append(append(binary.LittleEndian.AppendUint32([]byte("RIFF"), uint32(len(b)+4)), "WAVE"...), b...)
	}
	b := riff(chunk("JUNK", make([]byte, 10)), chunk("fmt ", make([]byte, 6)))
	_, err := wave.Read(bytes.NewReader(b), int64(len(b)))
	require.Error(t, err)
	assert.Equal(t, "bad_format", snag.Of(err).Code)
	assert.Contains(t, err.Error(), "holds 6 bytes")
	assert.Contains(t, err.Error(), "(fmt chunk at byte 30)")

	format := []byte{1, 0, 1, 0, 0x80, 0xBB, 0, 0, 0, 0x77, 1, 0, 2, 0, 16, 0}
	b = riff(chunk("fmt ", format), chunk("bext", make([]byte, 20)), chunk("data", make([]byte, 4)))
	h, err := wave.Read(bytes.NewReader(b), int64(len(b)))
	require.NoError(t, err)
	require.NotEmpty(t, h.Snags)
	assert.Contains(t, h.Snags[0].Message, "bext chunk at byte 36")
}
