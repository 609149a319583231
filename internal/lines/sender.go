// Package lines plays sound out of the application over the network, in real time.
package lines

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"
	"sync/atomic"
	"time"

	"zestyloom/core/audio"
	"zestyloom/core/line"
)

const (
	packetTime = time.Millisecond
	// ahead is how many packets' time may wait for their turn: what is played is computed that much earlier at the most.
	ahead = 1000
	// behind is from which lateness on the clock is put back instead of the time being made up for: more at once would be more than
	// what the receiving end has room for.
	behind = 20 * packetTime
)

// Progress is how far a sender is.
type Progress struct {
	At      int64 // place of the frame that is sent next
	Packets int64 // of all streams
	Held    int64 // how often the time had to be put back, as what is played was not there in time
	Clipped int64 // samples that were beyond full scale
}

// Sender sends blocks as streams.
type Sender struct {
	streams []line.Stream
	packers []*line.Packer
	conns   []*net.UDPConn
	turns   chan turn

	at, packets, held, clipped atomic.Int64

	left audio.Block // frames that are less than a packet
	have int
	next int64
}

// turn is what is sent at one time.
type turn struct {
	at      int64
	packets [][]byte
}

// From is the address of this machine that what is sent somewhere comes from; loopback where there is no way there.
func From(to netip.AddrPort) netip.Addr {
	conn, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(to)) // nothing is sent by that
	if err == nil {
		defer conn.Close()
		if at, ok := conn.LocalAddr().(*net.UDPAddr); ok {
			return at.AddrPort().Addr().Unmap()
		}
	}
	return netip.AddrFrom4([4]byte{127, 0, 0, 1})
}

// Open opens sockets for streams. Close must be called.
func Open(streams []line.Stream) (*Sender, error) {
	s := &Sender{streams: streams, turns: make(chan turn, ahead)}
	channels := 0
	for _, st := range streams {
		conn, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(st.To()))
		if err != nil {
			s.Close()
			return nil, fmt.Errorf("%s can't be sent to: %w", st.To(), err)
		}
		s.conns = append(s.conns, conn)
		_ = conn.SetWriteBuffer(1 << 20)
		var random [6]byte
		if _, err := rand.Read(random[:]); err != nil {
			s.Close()
			return nil, err
		}
		ssrc := binary.LittleEndian.Uint32(random[:])
		if st.SSRC != nil {
			ssrc = *st.SSRC
		}
		s.packers = append(s.packers, line.NewPacker(st, ssrc, binary.LittleEndian.Uint16(random[4:])))
		channels += len(st.Channels)
	}
	s.left = audio.NewBlock(channels, line.PacketFrames)
	return s, nil
}

// Close closes the sockets.
func (s *Sender) Close() {
	for _, c := range s.conns {
		c.Close()
	}
}

// Progress tells how far it is. It may be called at any time.
func (s *Sender) Progress() Progress {
	return Progress{At: s.at.Load(), Packets: s.packets.Load(), Held: s.held.Load(), Clipped: s.clipped.Load()}
}

// Run sends what play hands to its tap, in order, as time goes on, until that ends; what is left of a packet is filled up with silence.
// It ends early with the context.
func (s *Sender) Run(ctx context.Context, play func(ctx context.Context, tap func(b audio.Block, at int64) error) error) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	sent := make(chan error, 1)
	go func() {
		err := s.send(ctx)
		if err != nil {
			cancel() // nothing is to be computed any more
		}
		sent <- err
	}()
	err := play(ctx, func(b audio.Block, at int64) error { return s.take(ctx, b, at) })
	if err == nil && s.have > 0 {
		silence := audio.NewBlock(len(s.left), line.PacketFrames-s.have)
		err = s.take(ctx, silence, s.next)
	}
	close(s.turns)
	if failed := <-sent; failed != nil {
		return failed
	}
	return err
}

// take makes packets of a block.
func (s *Sender) take(ctx context.Context, b audio.Block, at int64) error {
	for k, n := 0, b.Frames(); k < n; {
		from, block, offset := at+int64(k), b, k
		if s.have > 0 || n-k < line.PacketFrames {
			some := min(n-k, line.PacketFrames-s.have)
			for c := range s.left {
				copy(s.left[c][s.have:], b[c][k:k+some])
			}
			from -= int64(s.have)
			s.have += some
			k += some
			if s.have < line.PacketFrames {
				break
			}
			s.have, block, offset = 0, s.left, 0
		} else {
			k += line.PacketFrames
		}
		t := turn{at: from, packets: make([][]byte, len(s.packers))}
		var clipped int64
		for i, p := range s.packers {
			var err error
			if t.packets[i], err = p.Pack(nil, block, offset, from); err != nil {
				return err
			}
			clipped += p.Clipped()
		}
		s.clipped.Store(clipped)
		select {
		case s.turns <- t:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	s.next = at + int64(b.Frames())
	return nil
}

// send sends turns a packet's time apart.
func (s *Sender) send(ctx context.Context) error {
	var begin time.Time
	for n := 0; ; n++ {
		var t turn
		var more bool
		select {
		case t, more = <-s.turns:
		case <-ctx.Done():
			return ctx.Err()
		}
		if !more {
			return nil
		}
		now := time.Now()
		if n == 0 {
			begin = now
		}
		switch due := begin.Add(time.Duration(n) * packetTime); {
		case now.Sub(due) > behind:
			begin = now.Add(-time.Duration(n) * packetTime)
			s.held.Add(1)
		case due.After(now):
			select {
			case <-time.After(due.Sub(now)):
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		for i, p := range t.packets {
			if _, err := s.conns[i].Write(p); err != nil && !refused(err) {
				return fmt.Errorf("%s can't be sent to: %w", s.streams[i].To(), err)
			}
		}
		s.at.Store(t.at + line.PacketFrames)
		s.packets.Add(int64(len(t.packets)))
	}
}
