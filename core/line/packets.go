package line

import (
	"errors"
	"fmt"
	"net/netip"
	"time"

	"github.com/pion/rtp"

	"zestyloom/core/audio"
)

// Packer makes packets of one stream, one after another.
type Packer struct {
	stream  Stream
	header  rtp.Header
	encoder audio.Encoder
	raw     []byte
}

// NewPacker makes one. ssrc and sequence are to be random (RFC 3550, section 5.1), so that a new run is not taken for the last one's.
func NewPacker(s Stream, ssrc uint32, sequence uint16) *Packer {
	return &Packer{stream: s, encoder: audio.Encoder{Coding: audio.S24}, header: rtp.Header{Version: 2, PayloadType: s.Payload, SSRC: ssrc, SequenceNumber: sequence}}
}

// Pack appends the packet of PacketFrames frames, of all channels, from frame k of b on, to dst. Its first lies at a place of the
// reel's clock. Samples are rounded to 24 bits as the files of a delivery without dither are, and those beyond full scale held there.
func (p *Packer) Pack(dst []byte, b audio.Block, k int, at int64) ([]byte, error) {
	mine := make(audio.Block, len(p.stream.Channels))
	for i := range mine {
		mine[i] = b[p.stream.First+i][k : k+PacketFrames]
	}
	p.header.Timestamp = uint32(at)
	p.raw = p.encoder.Encode(p.raw[:0], mine, at)
	turned(p.raw)
	head, err := p.header.Marshal()
	if err != nil {
		return dst, err
	}
	p.header.SequenceNumber++
	return append(append(dst, head...), p.raw...), nil
}

// Clipped is how many samples were beyond full scale so far.
func (p *Packer) Clipped() (n int64) {
	for _, c := range p.encoder.Clipped {
		n += c
	}
	return n
}

// turned turns the bytes of samples over: the network has the most significant one first.
func turned(raw []byte) {
	for i := 0; i+2 < len(raw); i += sampleBytes {
		raw[i], raw[i+2] = raw[i+2], raw[i]
	}
}

// Arrived is a packet that was taken in.
type Arrived struct {
	At     int64  // place of its first frame
	Frames int    // of each channel
	Sound  []byte // interleaved, 24 bits, least significant byte first; valid until the next packet
	// Late packets come after one that lies behind them.
	Late bool
}

// Counts are of what came of a stream's packets since it began.
type Counts struct {
	Packets int64 // taken in
	Lost    int64 // that have not come
	Late    int64 // that came after one that was sent later, and are not lost
	Doubled int64 // that came again, and were left out
	Refused int64 // that were none of this stream
	// Strangers are packets as this stream's that somebody else sent than whose it is. They are taken in nowhere.
	Strangers int64
}

// Receiver takes in the packets of a stream.
type Receiver struct {
	Counts
	stream Stream
	begun  bool
	ssrc   uint32
	from   netip.Addr
	came   time.Time // when something of its source came last
	// Held has the source stay who it is however long it is silent, as while a recording is made of it. Else another is one once
	// nothing has come for Silence.
	Held bool
	next uint16 // sequence number that is to come
	run  uint16 // how far numbers and places are apart, in packets
	last int64  // the place that came last
	seen [window / 64]uint64
	raw  []byte
}

// window is how far back a packet is known to have come or not, in packets.
const window = 1024

// Silence is for how long nothing has come of a source before another is believed.
const Silence = 2 * time.Second

// ErrStranger is the error of a packet that somebody else sends than whose stream it is.
var ErrStranger = errors.New("it is not from the source of the stream")

// stranger reports whether somebody else sends than whose stream it is.
func (r *Receiver) stranger(ssrc uint32, from netip.Addr, now time.Time) bool {
	if s := r.stream; s.Source.IsValid() && from != s.Source || s.SSRC != nil && ssrc != *s.SSRC {
		return true
	}
	other := r.begun && (from != r.from || ssrc != r.ssrc)
	if other && (r.Held || now.Sub(r.came) < Silence) {
		return true
	}
	r.begun = r.begun && from == r.from && now.Sub(r.came) < Silence // else it begins anew, with whatever number
	r.from, r.came = from, now
	return false
}

// NewReceiver makes one.
func NewReceiver(s Stream) *Receiver { return &Receiver{stream: s} }

// Accept takes in a packet that came from an address at a time. It gives an error for what is none of this stream, ErrStranger where
// it looks like it and is somebody else's, and nil, nil for one that came before.
func (r *Receiver) Accept(packet []byte, from netip.Addr, now time.Time) (*Arrived, error) {
	var p rtp.Packet
	frame := len(r.stream.Channels) * sampleBytes
	if err := p.Unmarshal(packet); err != nil || p.Version != 2 {
		r.Refused++
		return nil, fmt.Errorf("%d bytes are no packet of RTP", len(packet))
	}
	if p.PayloadType != r.stream.Payload || len(p.Payload) == 0 || len(p.Payload)%frame != 0 {
		r.Refused++
		return nil, fmt.Errorf("a packet of payload type %d with %d bytes: type %d with whole frames of %d bytes was expected", p.PayloadType, len(p.Payload), r.stream.Payload, frame)
	}
	if from = from.Unmap(); r.stranger(p.SSRC, from, now) {
		r.Strangers++
		return nil, fmt.Errorf("%w: SSRC %d from %s", ErrStranger, p.SSRC, from)
	}
	// A run of packets has one distance between their numbers and their places. Another, where it can't be that of the next packet, is a
	// sender that has begun anew: its numbers say nothing of what came before.
	run, ahead := uint16(p.Timestamp/uint32(len(p.Payload)/frame))-p.SequenceNumber, int16(p.SequenceNumber-r.next)
	if run != r.run && (ahead < 0 || ahead > window) {
		r.begun = false
	}
	r.run = run
	if !r.begun || p.SSRC != r.ssrc {
		if p.SSRC != r.ssrc {
			r.Counts = Counts{Refused: r.Refused, Strangers: r.Strangers}
		}
		r.begun, r.ssrc, r.next, r.last = true, p.SSRC, p.SequenceNumber, int64(p.Timestamp)
		for i := range r.seen { // what was sent before the first is not waited for
			r.seen[i] = ^uint64(0)
		}
	}
	a := &Arrived{At: r.last + int64(int32(p.Timestamp-uint32(r.last))), Frames: len(p.Payload) / frame}
	switch ahead = int16(p.SequenceNumber - r.next); {
	case ahead >= 0:
		r.Lost += int64(ahead)
		for s := range min(int(ahead), window) {
			r.mark(r.next+uint16(s), false)
		}
		r.next = p.SequenceNumber + 1
		r.last = a.At
	case int(ahead) < -window || r.is(p.SequenceNumber):
		r.Doubled++
		return nil, nil
	default:
		a.Late = true
		r.Late++
		r.Lost--
	}
	r.mark(p.SequenceNumber, true)
	r.Packets++
	r.raw = append(r.raw[:0], p.Payload...)
	turned(r.raw)
	a.Sound = r.raw
	return a, nil
}

func (r *Receiver) mark(s uint16, come bool) {
	i, bit := s%window/64, uint64(1)<<(s%64)
	if come {
		r.seen[i] |= bit
	} else {
		r.seen[i] &^= bit
	}
}

func (r *Receiver) is(s uint16) bool { return r.seen[s%window/64]&(1<<(s%64)) != 0 }
