package flac

import (
	"errors"
	"fmt"
)

// header is a block's header (RFC 9639 section 9.1).
type header struct {
	variable bool  // number counts frames, not blocks
	number   int64 // of the first frame, or of the block
	size     int   // frames in the block
	channels int
	mode     int // 0 independent, 1 left and side, 2 side and right, 3 mid and side
	bits     int // 0: the stream's
}

var errSync = errors.New("no block begins where one must")

// parseHeader reads a header and returns its length without the checksum.
func parseHeader(b []byte) (h header, n int, err error) {
	if len(b) < 6 || b[0] != 0xFF || b[1]&0xFE != 0xF8 {
		return h, 0, errSync
	}
	h.variable = b[1]&1 == 1
	sizeCode, rateCode, channelCode, bitsCode := b[2]>>4, b[2]&15, b[3]>>4, b[3]>>1&7
	if b[3]&1 != 0 || sizeCode == 0 || rateCode == 15 || channelCode > 10 || bitsCode == 3 {
		return h, 0, errors.New("a block's header holds a reserved value")
	}
	h.channels = int(channelCode) + 1
	if channelCode >= 8 {
		h.channels, h.mode = 2, int(channelCode)-7
	}
	h.bits = [8]int{0, 8, 12, 0, 16, 20, 24, 32}[bitsCode]
	// The number, coded as UTF-8 codes characters, in up to 7 bytes.
	n = 4
	lead, more := b[n], 0
	for lead&0x80 != 0 {
		lead <<= 1
		more++
	}
	if more == 1 || more > 7 {
		return h, 0, errors.New("a block's number is not understood")
	}
	h.number = int64(b[n] & (0x7F >> more))
	for n++; more > 1; more-- {
		if n >= len(b) || b[n]&0xC0 != 0x80 {
			return h, 0, errors.New("a block's number is not understood")
		}
		h.number = h.number<<6 | int64(b[n]&0x3F)
		n++
	}
	extra := map[byte]int{6: 1, 7: 2}[sizeCode] + map[byte]int{12: 1, 13: 2, 14: 2}[rateCode]
	if len(b) < n+extra+1 {
		return h, 0, errSync
	}
	switch {
	case sizeCode == 1:
		h.size = 192
	case sizeCode <= 5:
		h.size = 576 << (sizeCode - 2)
	case sizeCode == 6:
		h.size = int(b[n]) + 1
	case sizeCode == 7:
		h.size = int(be.Uint16(b[n:])) + 1
	default:
		h.size = 256 << (sizeCode - 8)
	}
	return h, n + extra, nil
}

const maxHeader = 16

func (d *Decoder) decode() ([][]int64, error) {
	head, _ := d.br.r.Peek(maxHeader) // fewer at the end of the file
	if len(head) == 0 {
		d.br.fill(8) // notes the end
		return nil, errSync
	}
	h, n, err := parseHeader(head)
	if err != nil {
		if len(head) < maxHeader {
			d.br.fill(8 * uint(len(head)+1)) // the file ends within
		}
		return nil, err
	}
	if sum8(head[:n]) != head[n] {
		return nil, errors.New("a block's header has a wrong checksum")
	}
	for range n + 1 {
		d.br.bits(8)
	}
	if first := d.first(h); first != d.at.frame {
		return nil, fmt.Errorf("a block says it begins at frame %d", first)
	}
	if h.channels != d.Channels || h.bits != 0 && h.bits != d.Bits {
		return nil, fmt.Errorf("a block of %d channels in %d bits in a stream of %d in %d", h.channels, h.bits, d.Channels, d.Bits)
	}
	if len(d.out) != d.Channels {
		d.out = make([][]int64, d.Channels)
	}
	for c := range d.out {
		if cap(d.out[c]) < h.size {
			d.out[c] = make([]int64, h.size)
		}
		d.out[c] = d.out[c][:h.size]
		bits := uint(d.Bits)
		if h.mode == 1 && c == 1 || h.mode == 2 && c == 0 || h.mode == 3 && c == 1 {
			bits++ // the difference of two channels
		}
		if err := d.subframe(d.out[c], bits); err != nil {
			return nil, err
		}
		if d.br.err != nil {
			return nil, d.br.err
		}
	}
	d.br.align()
	sum := d.br.crc
	if uint16(d.br.bits(16)) != sum && d.br.err == nil {
		return nil, errors.New("a block has a wrong checksum")
	}
	unmix(d.out, h.mode)
	return d.out, nil
}

// unmix turns stereo that was coded as a sum or difference back into left and right.
func unmix(out [][]int64, mode int) {
	switch mode {
	case 1:
		for i, left := range out[0] {
			out[1][i] = left - out[1][i]
		}
	case 2:
		for i, right := range out[1] {
			out[0][i] += right
		}
	case 3:
		for i, side := range out[1] {
			mid := out[0][i]<<1 | side&1
			out[0][i], out[1][i] = (mid+side)>>1, (mid-side)>>1
		}
	}
}

func (d *Decoder) subframe(out []int64, bits uint) error {
	b := &d.br
	if b.bits(1) != 0 {
		return errors.New("a channel does not begin where it must")
	}
	kind := b.bits(6)
	wasted := uint(0)
	if b.bits(1) == 1 {
		wasted = uint(b.unary()) + 1
		if wasted >= bits {
			return errors.New("a channel wastes more bits than it has")
		}
		bits -= wasted
	}
	var err error
	switch {
	case kind == 0:
		v := b.signed(bits)
		for i := range out {
			out[i] = v
		}
	case kind == 1:
		for i := range out {
			out[i] = b.signed(bits)
		}
	case kind >= 8 && kind <= 12:
		err = d.predicted(out, bits, fixed[kind-8], 0)
	case kind >= 32:
		err = d.linear(out, bits, int(kind-31))
	default:
		err = errors.New("a channel is coded in a reserved way")
	}
	if err != nil {
		return err
	}
	if wasted > 0 {
		for i := range out {
			out[i] <<= wasted
		}
	}
	return nil
}

// fixed are the coefficients of the fixed predictors, nearest sample first.
var fixed = [][]int64{{}, {1}, {2, -1}, {3, -3, 1}, {4, -6, 4, -1}}

func (d *Decoder) linear(out []int64, bits uint, order int) error {
	if order > len(out) {
		return errors.New("a predictor reaches beyond its block")
	}
	for i := range order {
		out[i] = d.br.signed(bits)
	}
	precision := uint(d.br.bits(4)) + 1
	if precision == 16 {
		return errors.New("a predictor has a reserved precision")
	}
	shift := d.br.signed(5)
	if shift < 0 {
		return errors.New("a predictor has a negative shift")
	}
	coefficients := make([]int64, order)
	for i := range coefficients {
		coefficients[i] = d.br.signed(precision)
	}
	return d.residual(out, coefficients, uint(shift))
}

func (d *Decoder) predicted(out []int64, bits uint, coefficients []int64, shift uint) error {
	if len(coefficients) > len(out) {
		return errors.New("a predictor reaches beyond its block")
	}
	for i := range coefficients {
		out[i] = d.br.signed(bits)
	}
	return d.residual(out, coefficients, shift)
}

// residual reads what the predictor leaves over, in Rice codes by partition, and adds it.
func (d *Decoder) residual(out []int64, coefficients []int64, shift uint) error {
	b := &d.br
	method := b.bits(2)
	if method > 1 {
		return errors.New("a residual is coded in a reserved way")
	}
	width := uint(4 + method)
	partitions := 1 << b.bits(4)
	order := len(coefficients)
	if len(out)%partitions != 0 || len(out)/partitions < order {
		return errors.New("a residual's partitions don't fit its block")
	}
	at := order
	for p := range partitions {
		end := (p + 1) * (len(out) / partitions)
		param := uint(b.bits(width))
		escape := param == 1<<width-1
		raw := uint(0)
		if escape {
			raw = uint(b.bits(5))
		}
		for ; at < end; at++ {
			var r int64
			switch {
			case !escape:
				u := b.unary()<<param | b.bits(param)
				r = int64(u>>1) ^ -int64(u&1)
			case raw > 0:
				r = b.signed(raw)
			}
			if b.err != nil {
				return b.err
			}
			var sum int64
			for k, c := range coefficients {
				sum += c * out[at-1-k]
			}
			out[at] = r + sum>>shift
		}
	}
	return nil
}
