package machine_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"math"
	"net"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/internal/deck"
	"zestyloom/internal/deck/machine"
	"zestyloom/internal/lines"
)

var rate25 = timecode.Rate{Num: 25, Den: 1}

// session is one of so many channels, at ports that nobody listens at.
func session(t *testing.T, channels int) line.Session {
	t.Helper()
	var names []string
	for i := range channels {
		names = append(names, string(rune('A'+i%26)))
	}
	for range 50 {
		first, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
		require.NoError(t, err)
		port := first.LocalAddr().(*net.UDPAddr).Port
		first.Close()
		streams, err := line.Divide(names, netip.AddrPortFrom(netip.MustParseAddr("127.0.0.1"), uint16(port&^1)))
		if err != nil {
			continue
		}
		free := true
		for _, s := range streams {
			c, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(s.To()))
			if free = free && err == nil; err == nil {
				c.Close()
			}
		}
		if free {
			for i := range streams {
				ssrc := uint32(1000 + i)
				streams[i].SSRC = &ssrc
			}
			return line.Session{Name: "Lantern Ferry, Reel 1", From: netip.MustParseAddr("127.0.0.1"), Rate: rate25, Streams: streams}
		}
	}
	t.Fatal("no free ports")
	return line.Session{}
}

func start(t *testing.T, dir string) (*machine.Deck, deck.Client) {
	t.Helper()
	d, err := machine.New(dir)
	require.NoError(t, err)
	srv := httptest.NewServer(d.Handler(fstest.MapFS{}))
	t.Cleanup(func() {
		srv.Close()
		d.Close()
	})
	return d, deck.Client{URL: srv.URL}
}

func announce(t *testing.T, c deck.Client, s line.Session) {
	t.Helper()
	sdp, err := s.SDP()
	require.NoError(t, err)
	require.NoError(t, c.Announce(context.Background(), sdp))
}

// sounds is a sine on each channel, each of its own frequency and level, with samples that are nowhere on the grid of 24 bits.
func sounds(channels, frames int, at int64) audio.Block {
	b := audio.NewBlock(channels, frames)
	for c := range b {
		for i := range b[c] {
			b[c][i] = (0.9 - 0.01*float64(c)) * math.Sin(float64(at+int64(i))*0.01*float64(c+1))
		}
	}
	return b
}

// send plays sounds from one place to another.
func send(t *testing.T, s line.Session, channels int, from, to int64) {
	t.Helper()
	sender, err := lines.Open(s.Streams)
	require.NoError(t, err)
	defer sender.Close()
	require.NoError(t, sender.Run(context.Background(), func(_ context.Context, tap func(audio.Block, int64) error) error {
		for at := from; at < to; {
			n := min(1000, to-at) // blocks that are no whole number of packets
			if err := tap(sounds(channels, int(n), at), at); err != nil {
				return err
			}
			at += n
		}
		return nil
	}))
}

func done(t *testing.T, c deck.Client, id string) (r deck.Recording) {
	t.Helper()
	require.Eventually(t, func() bool {
		var err error
		r, err = c.Recording(context.Background(), id)
		require.NoError(t, err)
		return r.State == "done" || r.State == "failed"
	}, 20*time.Second, 20*time.Millisecond)
	require.Equal(t, "done", r.State, r.Error)
	return r
}

// compare fetches a recording and compares it with the sounds on some channels.
func compare(t *testing.T, c deck.Client, r deck.Recording, channels []int) *line.Comparison {
	t.Helper()
	var raw bytes.Buffer
	require.NoError(t, c.Fetch(context.Background(), r, &raw))
	path := filepath.Join(t.TempDir(), "r.wav")
	require.NoError(t, os.WriteFile(path, raw.Bytes(), 0o600))
	src, err := source.Open(path)
	require.NoError(t, err)
	defer src.Close()
	require.Equal(t, r.To-r.From, src.Info.Frames)
	require.Equal(t, uint64(r.From), src.Info.Bext.TimeReference)
	require.Equal(t, len(channels), src.Info.Format.Channels)
	n := int(src.Info.Frames)
	bytes := make([]byte, n*src.Info.Format.FrameBytes())
	require.NoError(t, src.ReadFull(bytes, 0))
	all := sounds(channels[len(channels)-1], n, r.From)
	sent, recorded := audio.Block{}, audio.NewBlock(len(channels), n)
	for k, ch := range channels {
		sent = append(sent, all[ch-1])
		audio.DecodeChannel(recorded[k], bytes, audio.S24, len(channels), k)
	}
	cmp := line.NewComparison(len(channels), r.Gaps)
	cmp.Add(sent, recorded, r.From)
	return cmp
}

func TestRecordsBitForBit(t *testing.T) {
	s := session(t, 12)
	d, c := start(t, t.TempDir())
	announce(t, c, s)
	from := int64(10 * 3600 * line.Rate)
	r, err := c.Record(context.Background(), deck.Order{Name: "reel 1", From: from + 4801, To: from + 4801 + line.Rate, Channels: []int{2, 8, 9, 12}})
	require.NoError(t, err)
	_, err = c.Record(context.Background(), deck.Order{Name: "again", From: 0, To: 1})
	assert.Equal(t, "busy", snag.Of(err).Code)
	send(t, s, 12, from, from+line.Rate+line.Rate/2)
	r = done(t, c, r.ID)
	assert.Empty(t, r.Gaps)
	assert.Equal(t, []string{"B", "H", "I", "L"}, r.Labels)
	assert.Equal(t, "10:00:00:02", r.FromSays)
	assert.Empty(t, compare(t, c, r, []int{2, 8, 9, 12}).Differences())

	st := d.State()
	require.Len(t, st.Streams, 2)
	for _, v := range st.Streams {
		assert.Zero(t, v.Lost+v.Late+v.Doubled+v.Refused, v.Says)
		assert.Equal(t, int64(1500), v.Packets)
	}
	assert.InDelta(t, 20*math.Log10(0.9), *st.Channels[0].Held, 0.01)
	assert.False(t, st.Channels[0].Over)
}

// relay passes packets on to where a session listens, but for some.
func relay(t *testing.T, from, to line.Session, drop func(stream, n int) bool) {
	t.Helper()
	for i, st := range from.Streams {
		in, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(st.To()))
		require.NoError(t, err)
		require.NoError(t, machine.Widen(in, 8<<20))
		out, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(to.Streams[i].To()))
		require.NoError(t, err)
		var running sync.WaitGroup
		running.Go(func() {
			b := make([]byte, 2048)
			var first uint16
			for n := 0; ; n++ {
				k, err := in.Read(b)
				if err != nil {
					return
				}
				sequence := binary.BigEndian.Uint16(b[2:])
				if n == 0 {
					first = sequence
				}
				if drop(i, int(sequence-first)) {
					continue
				}
				_, _ = out.Write(b[:k])
			}
		})
		t.Cleanup(func() {
			in.Close()
			running.Wait()
			out.Close()
		})
	}
}

// Of what is lost, every gap is named, by its place and channels, and all else is what was sent.
func TestEveryGapIsNamed(t *testing.T) {
	s := session(t, 12)
	way := session(t, 12)
	_, c := start(t, t.TempDir())
	announce(t, c, s)
	lost := map[int]map[int64]bool{0: {}, 1: {}}
	from, length := int64(10*3600*line.Rate), int64(2*line.Rate)
	var mu sync.Mutex
	relay(t, way, s, func(stream, n int) bool {
		gone := (n*2654435761+stream*977)%100 == 7
		if place := from - 4800 + int64(n*line.PacketFrames); gone && place >= from && place < from+length {
			mu.Lock()
			lost[stream][place] = true
			mu.Unlock()
		}
		return gone
	})
	r, err := c.Record(context.Background(), deck.Order{Name: "lossy", From: from, To: from + length})
	require.NoError(t, err)
	send(t, way, 12, from-4800, from+length+24000)
	r = done(t, c, r.ID)
	named := map[int]map[int64]bool{0: {}, 1: {}}
	for i, g := range r.Gaps {
		stream := 0
		if g.First == 9 {
			stream = 1
			assert.Equal(t, 12, g.Last)
		} else {
			assert.Equal(t, [2]int{1, 8}, [2]int{g.First, g.Last})
		}
		for at := g.From; at < g.To; at += line.PacketFrames {
			named[stream][at] = true
		}
		assert.Equal(t, rate25.FormatSamples(g.From, line.Rate), r.GapsSayAt[i])
	}
	mu.Lock()
	defer mu.Unlock()
	assert.Greater(t, len(lost[0])+len(lost[1]), 20, "something must have been lost for this to show anything")
	for stream, places := range lost {
		for at := range places {
			assert.True(t, named[stream][at], "stream %d at %d", stream, at)
		}
		if n := len(named[stream]) - len(places); n > 0 {
			t.Logf("%d more packets of stream %d were lost on this machine, and are named too", n, stream)
		}
	}
	assert.Empty(t, compare(t, c, r, []int{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12}).Differences(), "outside of gaps it is what was sent")
}

// What comes of a recording whose end is never reached is kept when it is ended, with its gap.
func TestEndedByHand(t *testing.T) {
	s := session(t, 2)
	d, c := start(t, t.TempDir())
	announce(t, c, s)
	r, err := c.Record(context.Background(), deck.Order{Name: "short", From: 48000, To: 480000})
	require.NoError(t, err)
	send(t, s, 2, 48000, 48000+9600)
	require.Eventually(t, func() bool { return d.State().Streams[0].Packets == 200 }, 5*time.Second, 10*time.Millisecond)
	require.NoError(t, c.End(context.Background()))
	r = done(t, c, r.ID)
	assert.Equal(t, []line.Gap{{Span: line.Span{From: 57600, To: 480000}, First: 1, Last: 2}}, r.Gaps)
	assert.Equal(t, int64(480000-57600), r.Lost)
}

func TestRecordingsOutliveTheDeck(t *testing.T) {
	dir := t.TempDir()
	s := session(t, 1)
	d, c := start(t, dir)
	announce(t, c, s)
	r, err := c.Record(context.Background(), deck.Order{Name: "kept", From: 0, To: 4800})
	require.NoError(t, err)
	send(t, s, 1, 0, 24000)
	r = done(t, c, r.ID)
	_, err = c.Record(context.Background(), deck.Order{Name: "left behind", From: 0, To: 4800})
	require.NoError(t, err)
	// As a process that is killed leaves it: nothing is closed.
	again, client := start(t, dir)
	assert.Equal(t, []deck.Recording{r}, again.Recordings())
	left, err := filepath.Glob(filepath.Join(dir, "*.parts"))
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Empty(t, compare(t, client, r, []int{1}).Differences())
	d.End()
}

// A deck that is killed while it records finishes what had come when it comes back, with every gap by its place, and takes no harm from
// what was written in part.
func TestARecordingOutlivesAKill(t *testing.T) {
	for _, tail := range []string{"", "a run that was written in part", "an order that is none"} {
		dir := t.TempDir()
		s := session(t, 10)
		d, c := start(t, dir)
		announce(t, c, s)
		r, err := c.Record(context.Background(), deck.Order{Name: "killed", From: 48000, To: 480000, Channels: []int{2, 9, 10}})
		require.NoError(t, err)
		came := func(packets int64) {
			require.Eventually(t, func() bool { return d.State().Streams[1].Packets == packets && d.State().Streams[0].Packets == packets }, 5*time.Second, 10*time.Millisecond)
		}
		send(t, s, 10, 48000, 48000+9600)
		came(200)
		send(t, s, 10, 96000, 96000+4800) // the sender has begun anew
		came(300)
		parts := filepath.Join(dir, r.ID+".parts")
		switch tail {
		case "a run that was written in part":
			f, err := os.OpenFile(filepath.Join(parts, "1.runs"), os.O_APPEND|os.O_WRONLY, 0)
			require.NoError(t, err)
			_, err = f.Write([]byte{0, 1, 2, 3, 4, 5, 6, 7, 8, 9})
			require.NoError(t, err)
			require.NoError(t, f.Close())
			require.NoError(t, os.WriteFile(filepath.Join(dir, r.File), []byte("RIFF"), 0o600), "a file that was begun")
		case "an order that is none":
			require.NoError(t, os.WriteFile(filepath.Join(parts, "order.json"), []byte(`{"recording":{"id":"../../x"}}`), 0o600))
		}
		again, client := start(t, dir)
		if tail == "an order that is none" {
			require.Len(t, again.Recordings(), 1)
			assert.Equal(t, "failed", again.Recordings()[0].State)
			assert.DirExists(t, parts, "nothing that was recorded is thrown away")
			d.End()
			continue
		}
		assert.NoDirExists(t, parts)
		require.Len(t, again.Recordings(), 1)
		got := again.Recordings()[0]
		assert.Equal(t, "done", got.State, got.Error)
		assert.True(t, got.Broken)
		assert.Equal(t, []line.Gap{
			{Span: line.Span{From: 57600, To: 96000}, First: 1, Last: 1}, {Span: line.Span{From: 100800, To: 480000}, First: 1, Last: 1},
			{Span: line.Span{From: 57600, To: 96000}, First: 2, Last: 3}, {Span: line.Span{From: 100800, To: 480000}, First: 2, Last: 3},
		}, got.Gaps)
		assert.Empty(t, compare(t, client, got, []int{2, 9, 10}).Differences(), "outside of gaps it is what was sent")
		// And once more, when nothing is left to be taken up.
		third, _ := start(t, dir)
		assert.Equal(t, []deck.Recording{got}, third.Recordings())
	}
}

// The deck's loudness meter reads what it receives: a stereo sine of 1 kHz at -23 dBFS reads -23.0 LUFS (EBU Tech 3341), also where its
// two sides come in two streams.
func TestLoudnessOfWhatComes(t *testing.T) {
	s := session(t, 9)
	d, c := start(t, t.TempDir())
	announce(t, c, s)
	require.Error(t, d.Measure(9, "stereo"))
	require.Error(t, d.Measure(1, "wide"))
	require.NoError(t, d.Measure(8, "stereo"))
	sender, err := lines.Open(s.Streams)
	require.NoError(t, err)
	defer sender.Close()
	level := audio.Gain(-23)
	require.NoError(t, sender.Run(context.Background(), func(_ context.Context, tap func(audio.Block, int64) error) error {
		for at := int64(0); at < 5*line.Rate; at += 4800 {
			b := audio.NewBlock(9, 4800)
			for i := range 4800 {
				v := level * math.Sin(2*math.Pi*1000*float64(at+int64(i))/line.Rate)
				b[7][i], b[8][i], b[0][i] = v, v, 0.9
			}
			if err := tap(b, at); err != nil {
				return err
			}
		}
		return nil
	}))
	// Meters may be behind what has arrived (by up to 8192 packets): they are read when they have come to its end.
	require.EventuallyWithT(t, func(t *assert.CollectT) {
		l := d.State().Loudness
		require.NotNil(t, l)
		for _, v := range []*float64{l.Integrated, l.ShortTerm, l.Momentary, l.TruePeak} {
			require.NotNil(t, v)
			assert.InDelta(t, -23, *v, 0.1)
		}
	}, 20*time.Second, 20*time.Millisecond)
}

func TestWhatADeckRefuses(t *testing.T) {
	d, c := start(t, t.TempDir())
	ctx := context.Background()
	_, err := c.Record(ctx, deck.Order{Name: "x", From: 0, To: 10})
	assert.Equal(t, "no_stream", snag.Of(err).Code)
	assert.Equal(t, "bad_description", snag.Of(c.Announce(ctx, []byte("v=0\r\n"))).Code)
	s := session(t, 3)
	announce(t, c, s)
	for _, o := range []deck.Order{{From: 5, To: 5}, {From: -1, To: 5}, {From: 0, To: 25 * 3600 * line.Rate}} {
		_, err := c.Record(ctx, o)
		assert.Equal(t, "bad_range", snag.Of(err).Code, o)
	}
	for _, channels := range [][]int{{4}, {0}, {2, 2}, {2, 1}} {
		_, err := c.Record(ctx, deck.Order{From: 0, To: 5, Channels: channels})
		assert.Equal(t, "no_such_channel", snag.Of(err).Code, channels)
	}
	_, err = c.Recording(ctx, "..%2F..%2Fpasswd")
	assert.Equal(t, "not_found", snag.Of(err).Code)
	// A port that is taken is said, and nothing is half listened to.
	taken := session(t, 12)
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(taken.Streams[1].To()))
	require.NoError(t, err)
	defer conn.Close()
	sdp, err := taken.SDP()
	require.NoError(t, err)
	assert.Equal(t, "no_stream", snag.Of(c.Announce(ctx, sdp)).Code)
	assert.Empty(t, d.State().Streams)
	_, err = deck.Client{URL: "http://127.0.0.1:1"}.State(ctx)
	assert.Equal(t, "no_deck", snag.Of(err).Code)
	assert.True(t, strings.Contains(err.Error(), "zestyloom deck"))
}
