// Package poly takes multichannel files apart and puts them together, without touching a sample:
// bytes are moved, never converted. What the source said of itself — start, scene, take, roll,
// labels, unknown chunks — goes along as far as it still makes sense.
package poly

import (
	"encoding/binary"
	"fmt"
	"runtime"
	"strconv"
	"strings"
	"unsafe"

	"zestyloom/core/snag"
)

// ParseChannels reads a list of channels from 1, such as "1,3-6", for a file of the given width.
// Doubles and channels that are not there are refused.
func ParseChannels(s string, width int) ([]int, error) {
	var out []int
	seen := map[int]bool{}
	for item := range strings.SplitSeq(s, ",") {
		from, to, err := parseRange(item)
		if err != nil {
			return nil, err
		}
		for c := from; c <= to; c++ {
			if c > width {
				return nil, snag.Refuse("no_such_channel", "channel %d was asked for and the file has %d", c, width)
			}
			if seen[c] {
				return nil, snag.Refuse("bad_channels", "channel %d is named twice in %q", c, s)
			}
			seen[c] = true
			out = append(out, c)
		}
	}
	return out, nil
}

// ParsePairs reads a list of pairs, such as "1-2,5-6".
func ParsePairs(s string, width int) ([][2]int, error) {
	var out [][2]int
	seen := map[int]bool{}
	for item := range strings.SplitSeq(s, ",") {
		a, b, ok := strings.Cut(strings.TrimSpace(item), "-")
		l, err1 := strconv.Atoi(a)
		r, err2 := strconv.Atoi(b)
		if !ok || err1 != nil || err2 != nil || l < 1 || r < 1 || l == r {
			return nil, snag.Refuse("bad_channels", "pair %q: expected two channels such as 1-2, several divided by commas", item)
		}
		for _, c := range []int{l, r} {
			if c > width {
				return nil, snag.Refuse("no_such_channel", "channel %d was asked for and the file has %d", c, width)
			}
			if seen[c] {
				return nil, snag.Refuse("bad_channels", "channel %d stands in two pairs in %q", c, s)
			}
			seen[c] = true
		}
		out = append(out, [2]int{l, r})
	}
	return out, nil
}

func parseRange(item string) (from, to int, err error) {
	a, b, isRange := strings.Cut(strings.TrimSpace(item), "-")
	from, err1 := strconv.Atoi(strings.TrimSpace(a))
	to, err2 := from, error(nil)
	if isRange {
		to, err2 = strconv.Atoi(strings.TrimSpace(b))
	}
	if err1 != nil || err2 != nil || from < 1 || to < from || to > 1<<16 {
		return 0, 0, snag.Refuse("bad_channels", "channels %q: expected numbers from 1 and ranges such as 3-6, divided by commas", item)
	}
	return from, to, nil
}

// span writes channel numbers for a name: "3", or "1-2" for a pair; numbers are as wide as the
// file's last channel, so that names sort.
func span(channels []int, width int) string {
	digits := len(strconv.Itoa(width))
	s := make([]string, len(channels))
	for i, c := range channels {
		s[i] = fmt.Sprintf("%0*d", digits, c)
	}
	return strings.Join(s, "-")
}

// pick copies the given channels (from 0) of interleaved src, whose frames have width samples of
// size bytes, to interleaved dst, which must have room for all frames.
func pick(dst, src []byte, size, width int, channels []int) {
	for k, c := range channels {
		strided(dst[k*size:], size*len(channels), src[c*size:], size*width, size, len(src)/(size*width), false)
	}
}

// place is the inverse: it copies interleaved src, of len(channels) samples a frame, into the
// given channels (from 0) of interleaved dst, of width samples a frame. With spill all channels of dst
// must be placed, in ascending order: moving one may spill a byte into the one after it, which is placed
// next.
func place(dst, src []byte, size, width int, channels []int, spill bool) {
	for k, c := range channels {
		strided(dst[c*size:], size*width, src[k*size:], size*len(channels), size, len(src)/(size*len(channels)), spill && c < width-1)
	}
}

// strided copies n samples of size bytes; with spill, a byte after each may be changed. Word lengths that files mostly have get their own loop,
// which the compiler turns into plain moves.
func strided(dst []byte, out int, src []byte, in, size, n int, spill bool) {
	s, d := 0, 0
	switch size {
	case 2:
		for range n {
			a, b := src[s:s+2:s+2], dst[d:d+2:d+2]
			b[0], b[1] = a[0], a[1]
			s, d = s+in, d+out
		}
	case 3:
		if n > 0 {
			strided24(dst[:(n-1)*out+3], out, src[:(n-1)*in+3], in, n, spill)
		}
	default:
		for range n {
			copy(dst[d:d+size], src[s:s+size])
			s, d = s+in, d+out
		}
	}
}

// strided24 is strided for samples of three bytes, the size recorders mostly write. It is the inner
// loop of every split and join, and as fast as copying only without a bounds check at each sample:
// the slices hold exactly what the loops reach, which is checked once.
//
// Samples are read by loads of four bytes, of which the fourth belongs to the next one, and four at
// a time where they become mono; with spill they are stored likewise, one byte into the channel
// after. The last ones, which may have nothing after them, go byte by byte.
func strided24(dst []byte, out int, src []byte, in, n int, spill bool) {
	if n < 1 || out < 3 || in < 3 || len(dst) != (n-1)*out+3 || len(src) != (n-1)*in+3 {
		panic("poly: strided24 beyond its slices")
	}
	le := binary.LittleEndian
	from, to := unsafe.Pointer(unsafe.SliceData(src)), unsafe.Pointer(unsafe.SliceData(dst))
	load := func(at int) uint32 { return le.Uint32((*[4]byte)(unsafe.Add(from, at))[:]) }
	s, d, left := 0, 0, n
	switch {
	case out == 3:
		for ; left > 4; left -= 4 { // the fifth sample is there: loads and stores stay inside
			a, b := uint64(load(s)&0xFFFFFF), uint64(load(s+in)&0xFFFFFF)
			c, e := uint64(load(s+2*in)&0xFFFFFF), load(s+3*in)
			le.PutUint64((*[8]byte)(unsafe.Add(to, d))[:], a|b<<24|c<<48)
			le.PutUint32((*[4]byte)(unsafe.Add(to, d+8))[:], uint32(c>>16)|e<<8)
			s, d = s+4*in, d+12
		}
	case spill && out > 3:
		for ; left > 1; left-- {
			le.PutUint32((*[4]byte)(unsafe.Add(to, d))[:], load(s))
			s, d = s+in, d+out
		}
	default:
		for ; left > 1; left-- {
			v := load(s)
			le.PutUint16((*[2]byte)(unsafe.Add(to, d))[:], uint16(v))
			*(*byte)(unsafe.Add(to, d+2)) = byte(v >> 16)
			s, d = s+in, d+out
		}
	}
	for range left {
		copy(dst[d:d+3], src[s:s+3])
		s, d = s+in, d+out
	}
}

// tile is how many frames are moved for all channels before the next: few enough that they stay in
// the processor's nearest memory while every channel is picked from them.
const tile = 1024

// tiles calls fn for runs of frames from 0 to n, on all processors.
func tiles(n int, fn func(from, to int)) {
	parts := runtime.GOMAXPROCS(0)
	_ = each(parts, func(p int) error {
		end := n * (p + 1) / parts
		for from := n * p / parts; from < end; from += tile {
			fn(from, min(from+tile, end))
		}
		return nil
	})
}
