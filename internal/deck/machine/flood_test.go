package machine

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/line"
)

// A flood leaves meters behind; another session is listened to at once all the same, and what waits of the one before is let go.
func TestAfterAFlood(t *testing.T) {
	streams, err := line.Divide([]string{"1", "2", "3", "4", "5", "6", "7", "8"}, netip.MustParseAddrPort("127.0.0.1:5004"))
	require.NoError(t, err)
	w := watch(line.Session{Streams: streams})
	w.mu.Lock() // the meters stand still
	block := audio.NewBlock(8, line.PacketFrames)
	for range waiting + 100 {
		select {
		case w.coming <- heard{0, 0, false, block}:
		default:
		}
	}
	w.over.Store(true)
	w.mu.Unlock()
	w.close()
	before := 0
	for _, v := range w.channels {
		before += v.frames
	}
	assert.LessOrEqual(t, before, 8*2*line.PacketFrames, "at most what was being read just then")
}
