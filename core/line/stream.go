// Package line carries sound in real time over a network, as line outputs do over wires: streams of RTP (RFC 3550) with linear PCM of
// 24 bits (RFC 3190), the descriptions that tell of them (SDP, RFC 8866), and what came of them at the other end.
//
// A packet's timestamp is the place of its first frame, in samples since midnight: what is received has a timecode by itself. A day at
// 48 kHz is 4,147,200,000 samples and fits into its 32 bits.
package line

import (
	"fmt"
	"net/netip"

	"zestyloom/core/snag"
)

const (
	// Rate is that of all streams, in Hz.
	Rate = 48000
	// PacketFrames are the frames of a packet: 1 ms.
	PacketFrames = 48
	// MostOfStream is the greatest number of channels of a stream: at 1 ms they fit into a packet of an ordinary network, undivided.
	MostOfStream = 8
	// Most is the greatest number of channels together.
	Most = 64

	sampleBytes  = 3
	firstPayload = 96 // the first of the dynamic payload types (RFC 3551)
)

// Stream is one stream of RTP.
type Stream struct {
	Address  netip.Addr // whom it is sent to: one machine, or a multicast group
	Port     int        // even, as RTP's are
	Payload  uint8      // payload type
	First    int        // channel of all that is its first, from 0
	Channels []string   // their names, 1 to MostOfStream
	// SSRC is the source that it is sent by, where the description says so (RFC 5576), and Source the address it is sent from
	// (RFC 4570): packets of anybody else are none of it. Where neither is said, the first that comes is the source.
	SSRC   *uint32
	Source netip.Addr
}

// Divide puts channels into streams of up to MostOfStream each, at ports that follow from the first one by twos. It refuses no
// channels, more than Most, odd ports, and addresses that can't be sent to.
func Divide(channels []string, to netip.AddrPort) ([]Stream, error) {
	if len(channels) == 0 || len(channels) > Most {
		return nil, snag.Refuse("bad_lines", "%d channels can't be sent: 1 to %d can", len(channels), Most)
	}
	last := int(to.Port()) + 2*((len(channels)-1)/MostOfStream)
	if a := to.Addr(); !a.IsValid() || a.IsUnspecified() || to.Port() == 0 || to.Port()%2 != 0 || last > 65534 {
		return nil, snag.Refuse("bad_lines", "streams can't be sent to %s: an address and an even port, with room for %d more after it, were expected", to, last-int(to.Port()))
	}
	var out []Stream
	for first := 0; first < len(channels); first += MostOfStream {
		out = append(out, Stream{
			Address: to.Addr(), Port: int(to.Port()) + 2*len(out), Payload: firstPayload + uint8(len(out)),
			First: first, Channels: channels[first:min(len(channels), first+MostOfStream)],
		})
	}
	return out, nil
}

// To is where a stream is sent to.
func (s Stream) To() netip.AddrPort { return netip.AddrPortFrom(s.Address, uint16(s.Port)) }

// String names its channels by numbers from 1.
func (s Stream) String() string {
	if len(s.Channels) == 1 {
		return fmt.Sprintf("channel %d", s.First+1)
	}
	return fmt.Sprintf("channels %d to %d", s.First+1, s.First+len(s.Channels))
}
