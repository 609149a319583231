package line

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

func names(n int) (out []string) {
	for i := range n {
		out = append(out, fmt.Sprint("out ", i+1))
	}
	return out
}

func TestDivideFillsStreams(t *testing.T) {
	to := netip.MustParseAddrPort("239.69.1.1:5004")
	for n, want := range map[int][]int{1: {1}, 8: {8}, 9: {8, 1}, 12: {8, 4}, 64: {8, 8, 8, 8, 8, 8, 8, 8}} {
		streams, err := Divide(names(n), to)
		require.NoError(t, err)
		var got []int
		first := 0
		for i, s := range streams {
			got = append(got, len(s.Channels))
			assert.Equal(t, first, s.First)
			assert.Equal(t, uint16(5004+2*i), s.To().Port())
			first += len(s.Channels)
		}
		assert.Equal(t, want, got)
	}
	for _, bad := range []struct {
		n  int
		to string
	}{{0, "127.0.0.1:5004"}, {65, "127.0.0.1:5004"}, {2, "127.0.0.1:5005"}, {2, "0.0.0.0:5004"}, {64, "127.0.0.1:65530"}} {
		_, err := Divide(names(bad.n), netip.MustParseAddrPort(bad.to))
		assert.Equal(t, "bad_lines", snag.Of(err).Code, bad)
	}
}

func TestDescriptionIsReadBack(t *testing.T) {
	for _, to := range []string{"127.0.0.1:5004", "239.69.1.1:6000", "[::1]:7000"} {
		streams, err := Divide([]string{"DX L", "DX R", "", "M&E: odd, name", "line\nbreak\r", "6", "7", "8", "last"}, netip.MustParseAddrPort(to))
		require.NoError(t, err)
		s := Session{Name: "Lantern Ferry, Reel 1", ID: 7, Version: 9, From: netip.MustParseAddr("127.0.0.1"), Rate: timecode.Rate{Num: 30000, Den: 1001, Drop: true}, Streams: streams}
		text, err := s.SDP()
		require.NoError(t, err)
		assert.Contains(t, string(text), "a=rtpmap:96 L24/48000/8\r\n")
		assert.Contains(t, string(text), "a=ptime:1\r\n")
		if strings.HasPrefix(to, "239") {
			assert.Contains(t, string(text), "c=IN IP4 239.69.1.1/1\r\n")
		}
		got, err := ParseSDP(text)
		require.NoError(t, err)
		s.Streams[0].Channels[2], s.Streams[0].Channels[4] = "-", "line break"
		assert.Equal(t, s, got)
	}
}

func TestForeignDescriptions(t *testing.T) {
	const head = "v=0\r\no=- 1 1 IN IP4 10.0.0.2\r\ns=x\r\nc=IN IP4 127.0.0.1\r\nt=0 0\r\n"
	got, err := ParseSDP([]byte(head + "m=audio 5004 RTP/AVP 98\r\na=rtpmap:98 l24/48000/2\r\n"))
	require.NoError(t, err)
	assert.Equal(t, []Stream{{Address: netip.MustParseAddr("127.0.0.1"), Port: 5004, Payload: 98, Channels: []string{"1", "2"}}}, got.Streams)
	got, err = ParseSDP([]byte(head + "m=audio 5004 RTP/AVP 98\r\na=rtpmap:98 L24/48000\r\n"))
	require.NoError(t, err)
	assert.Len(t, got.Streams[0].Channels, 1, "one channel where none are counted")
	for says, body := range map[string]string{
		"L16/48000/2":      "m=audio 5004 RTP/AVP 98\r\na=rtpmap:98 L16/48000/2\r\n",
		"L24/96000/2":      "m=audio 5004 RTP/AVP 98\r\na=rtpmap:98 L24/96000/2\r\n",
		"L24/48000/9":      "m=audio 5004 RTP/AVP 98\r\na=rtpmap:98 L24/48000/9\r\n",
		"video":            "m=video 5004 RTP/AVP 98\r\na=rtpmap:98 L24/48000/2\r\n",
		"0 channels":       "",
		"payload type 98":  "m=audio 5004 RTP/AVP 98\r\n",
		"payload type \"1": "m=audio 5004 RTP/AVP 128\r\na=rtpmap:128 L24/48000/2\r\n",
	} {
		_, err := ParseSDP([]byte(head + body))
		require.Error(t, err, says)
		assert.Equal(t, "bad_description", snag.Of(err).Code)
		assert.Contains(t, err.Error(), says)
	}
}

func FuzzParseSDP(f *testing.F) {
	streams, err := Divide(names(10), netip.MustParseAddrPort("127.0.0.1:5004"))
	require.NoError(f, err)
	text, err := Session{Name: "x", From: netip.MustParseAddr("127.0.0.1"), Rate: timecode.Rate{Num: 25, Den: 1}, Streams: streams}.SDP()
	require.NoError(f, err)
	f.Add(string(text))
	f.Add("v=0\r\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := ParseSDP([]byte(text))
		if err != nil {
			return
		}
		n := 0
		for _, st := range s.Streams {
			require.Equal(t, n, st.First)
			require.LessOrEqual(t, len(st.Channels), MostOfStream)
			n += len(st.Channels)
		}
		require.True(t, n >= 1 && n <= Most)
	})
}

// programme is sound on and off the grid of 24 bits, and beyond full scale.
func programme(channels, frames int) audio.Block {
	r := rand.New(rand.NewPCG(1, 2))
	b := audio.NewBlock(channels, frames)
	for c := range b {
		for i := range b[c] {
			b[c][i] = r.Float64()*2.2 - 1.1
			if i%3 == 0 {
				b[c][i] = math.Round(b[c][i]*(1<<22)) / (1 << 23)
			}
		}
	}
	return b
}

func packed(t *testing.T, s Stream, b audio.Block, at int64, sequence uint16) (out [][]byte) {
	p := NewPacker(s, 99, sequence)
	for k := 0; k+PacketFrames <= b.Frames(); k += PacketFrames {
		packet, err := p.Pack(nil, b, k, at+int64(k))
		require.NoError(t, err)
		out = append(out, packet)
	}
	return out
}

// A packet holds what RFC 3550 and RFC 3190 say, worked out here by hand.
func TestPacketByHand(t *testing.T) {
	s := Stream{Payload: 97, First: 1, Channels: []string{"a", "b"}}
	b := audio.NewBlock(3, PacketFrames)
	b[1][0], b[2][0], b[1][1], b[2][1] = 0.5, -0.5, 1.0/(1<<23), -1
	packets := packed(t, s, b, 10*3600*Rate, 0xfffe)
	require.Len(t, packets, 1)
	p := packets[0]
	assert.Len(t, p, 12+PacketFrames*2*3)
	assert.Equal(t, []byte{0x80, 97, 0xff, 0xfe}, p[:4], "version 2, nothing else; payload type; sequence number")
	assert.Equal(t, uint32(10*3600*Rate), binary.BigEndian.Uint32(p[4:]))
	assert.Equal(t, uint32(99), binary.BigEndian.Uint32(p[8:]))
	assert.Equal(t, []byte{0x40, 0, 0, 0xc0, 0, 0, 0, 0, 1, 0x80, 0, 0}, p[12:24])
}

func TestWhatIsSentArrivesBitForBit(t *testing.T) {
	for _, n := range []int{1, 2, 7, 8} {
		s := Stream{Payload: 96, Channels: names(n)}
		b := programme(n, 100*PacketFrames)
		want := (&audio.Encoder{Coding: audio.S24}).Encode(nil, b, 0)
		r := NewReceiver(s)
		var got []byte
		at := int64(86399 * Rate)
		for i, p := range packed(t, s, b, at, 65500) { // sequence numbers wrap on the way
			a, err := r.Accept(p, here, time.Time{})
			require.NoError(t, err)
			require.Equal(t, at+int64(i*PacketFrames), a.At)
			got = append(got, a.Sound...)
		}
		assert.Equal(t, want, got)
		assert.Equal(t, Counts{Packets: 100}, r.Counts)
	}
}

// However packets are lost, doubled and put out of order, what has come is known by its place, and what has not is counted.
func TestLossesAreCounted(t *testing.T) {
	s := Stream{Payload: 96, Channels: names(2)}
	b := programme(2, 2000*PacketFrames)
	for seed := range uint64(20) {
		rng := rand.New(rand.NewPCG(seed, 1))
		packets := packed(t, s, b, 1000, uint16(seed*7000))
		type sent struct {
			index int
			p     []byte
		}
		var order []sent
		lost := 0
		var doubled int64
		for i, p := range packets {
			if i > 0 && i < len(packets)-1 && rng.IntN(100) == 0 {
				lost++
				continue
			}
			order = append(order, sent{i, p})
			if rng.IntN(200) == 0 {
				order = append(order, sent{i, p})
				doubled++
			}
		}
		for i := 2; i+3 < len(order); i += 1 + rng.IntN(50) { // neighbours change places
			order[i], order[i+1] = order[i+1], order[i]
		}
		r := NewReceiver(s)
		var come Spans
		for _, o := range order {
			a, err := r.Accept(o.p, here, time.Time{})
			require.NoError(t, err)
			if a == nil {
				continue
			}
			require.Equal(t, int64(1000+o.index*PacketFrames), a.At)
			come.Add(a.At, a.At+int64(a.Frames))
		}
		assert.Equal(t, int64(lost), r.Lost, "seed %d", seed)
		assert.Equal(t, doubled, r.Doubled, "seed %d", seed)
		missing := int64(0)
		for _, g := range come.Missing(1000, 1000+2000*PacketFrames) {
			missing += g.To - g.From
		}
		assert.Equal(t, int64(lost*PacketFrames), missing, "seed %d", seed)
	}
}

func TestAnotherSenderBeginsAnew(t *testing.T) {
	s := Stream{Payload: 96, Channels: names(1)}
	b := programme(1, 2*PacketFrames)
	r := NewReceiver(s)
	for _, p := range packed(t, s, b, 5000, 10) {
		_, err := r.Accept(p, here, time.Time{})
		require.NoError(t, err)
	}
	p := NewPacker(s, 1234, 60000)
	packet, err := p.Pack(nil, b, 0, 96)
	require.NoError(t, err)
	a, err := r.Accept(packet, here, time.Time{}.Add(Silence))
	require.NoError(t, err)
	assert.Equal(t, int64(96), a.At)
	assert.Equal(t, Counts{Packets: 1}, r.Counts)
}

// A sender that begins anew under the same number, at once and at another place, is taken in from its first packet on, whatever its
// sequence numbers are then; packets that come twice are told from that still.
func TestTheSameSenderBeginsAnew(t *testing.T) {
	s := Stream{Payload: 96, Channels: names(1)}
	b := programme(1, 400*PacketFrames)
	for _, sequence := range []uint16{0, 10, 150, 199, 200, 300, 2000, 30000, 40000, 65400} {
		r := NewReceiver(s)
		first, second := NewPacker(s, 7, 0), NewPacker(s, 7, sequence)
		took := func(p *Packer, at int64, n int) (taken int) {
			for i := range n {
				packet, err := p.Pack(nil, b, i*PacketFrames, at+int64(i*PacketFrames))
				require.NoError(t, err)
				a, err := r.Accept(packet, here, time.Time{})
				require.NoError(t, err)
				if a != nil {
					assert.Equal(t, at+int64(i*PacketFrames), a.At)
					taken++
				}
				a, err = r.Accept(packet, here, time.Time{})
				require.NoError(t, err)
				assert.Nil(t, a, "the same once more")
			}
			return taken
		}
		assert.Equal(t, 200, took(first, 48000, 200))
		assert.Equal(t, 100, took(second, 960_000, 100), "from number %d", sequence)
		assert.EqualValues(t, 300, r.Packets)
	}
}

func TestStrangersAreRefused(t *testing.T) {
	s := Stream{Payload: 96, Channels: names(2)}
	r := NewReceiver(s)
	good := packed(t, s, programme(2, PacketFrames), 0, 0)[0]
	for _, bad := range [][]byte{nil, {1, 2, 3}, []byte("GET / HTTP/1.1\r\n\r\n"), good[:12], good[:len(good)-1], append([]byte{0x80, 95}, good[2:]...)} {
		a, err := r.Accept(bad, here, time.Time{})
		assert.Nil(t, a)
		assert.Error(t, err)
	}
	assert.Equal(t, Counts{Refused: 6}, r.Counts)
	_, err := r.Accept(good, here, time.Time{})
	require.NoError(t, err)
}

func FuzzAccept(f *testing.F) {
	s := Stream{Payload: 96, Channels: names(2)}
	b := audio.NewBlock(2, PacketFrames)
	p, err := NewPacker(s, 1, 65535).Pack(nil, b, 0, 48)
	require.NoError(f, err)
	f.Add(p, p)
	f.Add([]byte{0xb0, 96, 0, 0}, []byte{})
	f.Fuzz(func(t *testing.T, one, two []byte) {
		r := NewReceiver(s)
		for _, p := range [][]byte{one, two, one} {
			if a, err := r.Accept(p, here, time.Time{}); err == nil && a != nil {
				require.Equal(t, a.Frames*2*3, len(a.Sound))
			}
		}
		require.GreaterOrEqual(t, r.Lost, int64(0))
	})
}

// Spans are what a set of samples would be.
func TestSpansAreASet(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		var s Spans
		var set [200]bool
		for range 30 {
			from := rng.Int64N(190)
			to := from + rng.Int64N(12)
			s.Add(from, to)
			for i := from; i < to && i < 200; i++ {
				set[i] = true
			}
		}
		missing := s.Missing(5, 195)
		var got [200]bool
		last := int64(-1)
		for _, m := range missing {
			require.Greater(t, m.From, last)
			last = m.To
			for i := m.From; i < m.To; i++ {
				got[i] = true
			}
		}
		for i := 5; i < 195; i++ {
			require.Equal(t, !set[i], got[i], i)
		}
	}
}

func TestComparisonNamesWhatDiffersOutsideOfGaps(t *testing.T) {
	b := programme(3, 1000)
	other := audio.NewBlock(3, 1000)
	raw := (&audio.Encoder{Coding: audio.S24}).Encode(nil, b, 0)
	for c := range other {
		audio.DecodeChannel(other[c], raw, audio.S24, 3, c)
	}
	gaps := []Gap{{Span{100, 148}, 1, 2}}
	for i := 100; i < 148; i++ {
		other[0][i-50], other[1][i-50] = 0, 0 // blocks begin at 50
	}
	c := NewComparison(3, gaps)
	c.Add(b, other, 50)
	assert.Empty(t, c.Differences())
	other[2][700] += 1.0 / (1 << 23)
	other[2][900] = 0.123
	other[0][97] = 0.5 // right before the gap's end
	other[0][98] = 0.5 // right behind it
	c = NewComparison(3, gaps)
	c.Add(b, other, 50)
	assert.Equal(t, []Difference{{Channel: 1, At: 148, Samples: 1}, {Channel: 3, At: 750, Samples: 2}}, c.Differences())
	r := Report{Gaps: gaps, Compared: 1000}
	assert.False(t, r.Whole())
	assert.Equal(t, int64(48), r.Missing())
	assert.True(t, Report{Compared: 1}.Whole())
	assert.False(t, Report{}.Whole(), "nothing was compared")
}

var here = netip.MustParseAddr("127.0.0.1")

// A stream is of one source: whose packets look like its own and are another's are counted and taken in nowhere; who they are is said
// by the description, else by who comes first, until he has been silent for a while and nothing is recorded of him.
func TestStrangers(t *testing.T) {
	to := netip.MustParseAddrPort("127.0.0.1:5004")
	streams, err := Divide([]string{"L", "R"}, to)
	require.NoError(t, err)
	block := audio.NewBlock(2, PacketFrames)
	packet := func(ssrc uint32, sequence uint16) []byte {
		p, err := NewPacker(streams[0], ssrc, sequence).Pack(nil, block, 0, PacketFrames)
		require.NoError(t, err)
		return p
	}
	there := netip.MustParseAddr("127.0.0.2")
	at := time.Unix(1000, 0)

	r := NewReceiver(streams[0])
	_, err = r.Accept(packet(7, 1), here, at)
	require.NoError(t, err)
	for _, o := range []struct {
		ssrc uint32
		from netip.Addr
	}{{8, here}, {7, there}, {8, there}} {
		_, err = r.Accept(packet(o.ssrc, 2), o.from, at.Add(time.Second))
		assert.ErrorIs(t, err, ErrStranger)
	}
	assert.Equal(t, Counts{Packets: 1, Strangers: 3}, r.Counts)
	r.Held = true
	_, err = r.Accept(packet(8, 2), here, at.Add(time.Hour))
	assert.ErrorIs(t, err, ErrStranger, "a recording is of one, however long he is silent")
	r.Held = false
	_, err = r.Accept(packet(8, 2), there, at.Add(time.Hour))
	assert.NoError(t, err, "who begins anew has another number")
	_, err = r.Accept(packet(7, 2), here, at.Add(time.Hour))
	assert.ErrorIs(t, err, ErrStranger)

	// The description says whose it is, before anything has come.
	said := Session{Name: "Ferry", From: here, Rate: timecode.Rate{Num: 25, Den: 1}, Streams: streams}
	ssrc := uint32(0xFFFFFFFF)
	said.Streams[0].SSRC, said.Streams[0].Source = &ssrc, here
	text, err := said.SDP()
	require.NoError(t, err)
	read, err := ParseSDP(text)
	require.NoError(t, err)
	assert.Equal(t, said.Streams, read.Streams)
	r = NewReceiver(read.Streams[0])
	_, err = r.Accept(packet(7, 1), here, at)
	assert.ErrorIs(t, err, ErrStranger)
	_, err = r.Accept(packet(ssrc, 1), there, at)
	assert.ErrorIs(t, err, ErrStranger)
	_, err = r.Accept(packet(ssrc, 1), netip.AddrFrom16(here.As16()), at)
	assert.NoError(t, err, "the same address as IPv6 writes it")
	for _, bad := range []string{"a=ssrc:none", "a=ssrc:99999999999", "a=source-filter: incl IN IP4 * nowhere", "a=source-filter: incl IN IP4 * 127.0.0.1 127.0.0.2"} {
		_, err := ParseSDP(append(bytes.Clone(text), []byte(bad+"\r\n")...))
		assert.Error(t, err, bad)
	}
}
