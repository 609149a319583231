package delivery

import "github.com/cespare/xxhash/v2"

// channelHashes are those of the samples of some interleaved channels.
type channelHashes struct {
	of   []*xxhash.Digest
	room []byte
}

func newHashes(channels int) channelHashes {
	h := channelHashes{}
	for range channels {
		h.of = append(h.of, xxhash.New())
	}
	return h
}

// add takes frames of samples of size bytes into account.
func (h *channelHashes) add(raw []byte, size int) {
	if len(h.of) == 1 {
		_, _ = h.of[0].Write(raw) // it never fails
		return
	}
	width := size * len(h.of)
	n := len(raw) / width * size
	if len(h.room) < n {
		h.room = make([]byte, n)
	}
	for c, d := range h.of {
		to := h.room[:n]
		if size == 3 {
			for at, k := c*3, 0; k < n; at, k = at+width, k+3 {
				to[k], to[k+1], to[k+2] = raw[at], raw[at+1], raw[at+2]
			}
		} else {
			for at, k := c*size, 0; k < n; at, k = at+width, k+size {
				copy(to[k:k+size], raw[at:at+size])
			}
		}
		_, _ = d.Write(to)
	}
}

func (h *channelHashes) sums() (out []uint64) {
	for _, d := range h.of {
		out = append(out, d.Sum64())
	}
	return out
}
