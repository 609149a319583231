package httpapi_test

import (
	"bytes"
	"context"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/line"
	"zestyloom/internal/deck/machine"
	"zestyloom/internal/httpapi/contract"
	sending "zestyloom/internal/lines"
)

// outside is a deck beside the application, with a network between them that loses what it is told to lose.
type outside struct {
	lose func(stream int, packet uint64) bool
	mu   sync.Mutex
	lost int
}

// plug gives the application a deck, and lines to it.
func plug(t *testing.T, s *server) *outside {
	t.Helper()
	o := &outside{lose: func(int, uint64) bool { return false }}
	d, err := machine.New(t.TempDir())
	require.NoError(t, err)
	own := httptest.NewServer(d.Handler(fstest.MapFS{}))
	target, err := url.Parse(own.URL)
	require.NoError(t, err)
	var way sync.WaitGroup
	var sockets []*net.UDPConn
	hangUp := func() {
		for _, c := range sockets {
			c.Close()
		}
		way.Wait()
		sockets = nil
	}
	// The deck is told of other ports than those that are sent to: what lies between passes packets on.
	proxy := &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
		r.SetURL(target)
		if r.In.Method != http.MethodPut {
			return
		}
		text, err := io.ReadAll(r.In.Body)
		assert.NoError(t, err)
		session, err := line.ParseSDP(text)
		assert.NoError(t, err)
		hangUp()
		for i := range session.Streams {
			st := &session.Streams[i]
			in, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(st.To()))
			assert.NoError(t, err)
			assert.NoError(t, machine.Widen(in, 8<<20)) // what a busy machine holds up is not lost on the way
			free, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
			assert.NoError(t, err)
			st.Port = free.LocalAddr().(*net.UDPAddr).Port
			free.Close()
			out, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(st.To()))
			assert.NoError(t, err)
			sockets = append(sockets, in, out)
			way.Go(func() { o.pass(i, in, out) })
		}
		text, err = session.SDP()
		assert.NoError(t, err)
		r.Out.Body, r.Out.ContentLength = io.NopCloser(bytes.NewReader(text)), int64(len(text))
	}}
	front := httptest.NewServer(proxy)
	t.Cleanup(func() {
		s.app.StopLines()
		front.Close()
		own.Close()
		d.Close()
		hangUp()
	})
	probe, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	port := uint16(probe.LocalAddr().(*net.UDPAddr).Port) &^ 1
	probe.Close()
	s.app.Lines.To = netip.AddrPortFrom(netip.MustParseAddr("127.0.0.1"), port)
	s.app.Lines.Deck.URL = front.URL
	return o
}

func (o *outside) pass(stream int, in, out *net.UDPConn) {
	b := make([]byte, 2048)
	for n := uint64(0); ; n++ {
		k, err := in.Read(b)
		if err != nil {
			return
		}
		o.mu.Lock()
		gone := o.lose(stream, n)
		if gone {
			o.lost++
		}
		o.mu.Unlock()
		if !gone {
			_, _ = out.Write(b[:k])
		}
	}
}

// twelve is a reel whose two first strands sound on some of twelve outputs, in sixths of their levels.
func (s *server) twelve() contract.Reel {
	p, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	var after contract.ReelEdited
	var sends []any
	for i, stem := range []string{"DX", "MX", "FX", "VO"} {
		sends = append(sends, map[string]any{"set_sends": map[string]any{"from": r.Doc.Tracks[2+i].ID, "sends": []any{map[string]any{"to": stem, "gain_db": -1.7, "patch": map[string]any{"preset": "both"}}}}})
	}
	require.Equal(s.t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "send", "actions": sends}, &after))
	require.Equal(s.t, 200, s.call("POST", path+"/width", map[string]any{"version": after.Version, "outputs": 12}, &after))
	return s.reel(p)
}

func (s *server) ended(reel, id string) (l contract.Layback) {
	s.t.Helper()
	require.Eventually(s.t, func() bool {
		var list []contract.Layback
		require.Equal(s.t, 200, s.call("GET", "/api/reels/"+reel+"/laybacks", nil, &list))
		i := slices.IndexFunc(list, func(l contract.Layback) bool { return l.Id.String() == id })
		l = list[i]
		return l.State != "playing" && l.State != "comparing"
	}, 30*time.Second, 50*time.Millisecond)
	return l
}

func TestLayback(t *testing.T) {
	s := start(t, "")
	o := plug(t, s)
	r := s.twelve()
	require.Len(t, r.Doc.Weave.Outputs, 12)
	path := "/api/reels/" + r.Id.String()
	begin := r.WorkedOut.Start
	var l contract.Layback

	// Nothing is lost: bit for bit, from a place to a place that are no whole packets apart.
	require.Equal(t, 202, s.call("POST", path+"/laybacks", map[string]any{"from": begin + 101, "to": begin + 101 + 40001}, &l))
	var problem contract.Problem
	assert.Equal(t, 409, s.call("POST", path+"/lines", map[string]any{"from": begin}, &problem), "one thing at a time")
	assert.Equal(t, "lines_taken", problem.Code)
	assert.Equal(t, 409, s.call("POST", path+"/laybacks", map[string]any{"from": begin, "to": begin + 48000}, &problem))
	assert.Equal(t, "lines_taken", problem.Code)
	var all []contract.Layback
	require.Equal(t, 200, s.call("GET", path+"/laybacks", nil, &all))
	assert.Len(t, all, 1, "what was refused is none")
	l = s.ended(r.Id.String(), l.Id.String())
	if assert.Equal(t, contract.LaybackState("proven"), l.State, "%+v", l) {
		assert.Equal(t, int64(40001), *l.Compared)
		assert.Empty(t, l.Gaps)
	}
	assert.Len(t, l.Names, 12)

	// One packet of a hundred does not come: each is named, and nothing else differs.
	o.mu.Lock()
	o.lose = func(stream int, n uint64) bool { return (n*2654435761+uint64(stream)*40503)>>7%100 == 3 }
	o.mu.Unlock()
	require.Equal(t, 202, s.call("POST", path+"/laybacks", map[string]any{"from": begin, "to": begin + 96000, "outputs": []int{0, 1, 2, 3, 4, 5, 6, 7, 8, 11}}, &l))
	l = s.ended(r.Id.String(), l.Id.String())
	assert.Equal(t, contract.LaybackState("failed"), l.State)
	assert.Nil(t, l.Error)
	assert.Greater(t, len(l.Gaps), 10)
	assert.Empty(t, l.Differences)
	missing := int64(0)
	for _, g := range l.Gaps {
		assert.Contains(t, [][2]int{{1, 8}, {9, 10}}, [2]int{g.First, g.Last})
		assert.True(t, strings.HasPrefix(g.Timecode, l.FromTimecode[:6]), g.Timecode)
		missing += g.To - g.From
	}
	o.mu.Lock()
	assert.InDelta(t, o.lost*line.PacketFrames, missing, 60*line.PacketFrames, "those of the run-in and the tail are none of the recording's")
	o.lose = func(int, uint64) bool { return false }
	o.mu.Unlock()

	// One that is stopped is said to be.
	require.Equal(t, 202, s.call("POST", path+"/laybacks", map[string]any{"from": begin, "to": begin + 96000}, &l))
	require.Equal(t, 204, s.call("POST", "/api/laybacks/"+l.Id.String()+"/stop", nil, nil))
	l = s.ended(r.Id.String(), l.Id.String())
	assert.Equal(t, contract.LaybackState("stopped"), l.State)
	assert.Equal(t, 409, s.call("POST", "/api/laybacks/"+l.Id.String()+"/stop", nil, &problem), "it has ended")

	// One that a process which is gone was at is said to be stopped by who comes after it.
	require.Equal(t, 202, s.call("POST", path+"/laybacks", map[string]any{"from": begin, "to": begin + 480000}, &l))
	require.NoError(t, s.app.ForgetLaybacks(context.Background()))
	l = s.ended(r.Id.String(), l.Id.String())
	assert.Equal(t, contract.LaybackState("stopped"), l.State)
	assert.Contains(t, *l.Error, "lay it back again")
	s.app.StopLines()
}

func TestOutputsOverTheNetwork(t *testing.T) {
	s := start(t, "")
	r := s.twelve()
	path := "/api/reels/" + r.Id.String()
	s.app.Lines.To = netip.MustParseAddrPort("127.0.0.1:5004")
	s.app.Lines.Deck.URL = "http://127.0.0.1:1"
	var lines contract.Lines
	require.Equal(t, 200, s.call("GET", path+"/lines", nil, &lines))
	assert.False(t, lines.Playing || lines.Deck.Answers)
	assert.Contains(t, *lines.Deck.Says, "zestyloom deck")
	require.Len(t, lines.Streams, 2)
	assert.Equal(t, "127.0.0.1:5006", lines.Streams[1].To)
	assert.Equal(t, "DX L", lines.Streams[0].Channels[0])
	resp, err := http.Get(s.url + path + "/lines/description")
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Equal(t, "application/sdp", resp.Header.Get("Content-Type"))
	session, err := line.ParseSDP(text)
	require.NoError(t, err)
	assert.Len(t, session.Streams, 2)
	assert.Equal(t, "25", session.Rate.String())
	assert.Equal(t, "127.0.0.1", session.From.String())
	// To another machine it comes from another address, where there is a way.
	other := netip.MustParseAddrPort("192.0.2.7:5004")
	if conn, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(other)); err == nil {
		from := conn.LocalAddr().(*net.UDPAddr).AddrPort().Addr().Unmap()
		require.NoError(t, conn.Close())
		assert.Equal(t, from, sending.From(other))
	} else {
		assert.True(t, sending.From(other).IsLoopback())
	}
	var problem contract.Problem
	assert.Equal(t, 422, s.call("POST", path+"/laybacks", map[string]any{"from": 0, "to": 10}, &problem))
	assert.Equal(t, "no_deck", problem.Code)
	assert.Equal(t, 422, s.call("POST", path+"/lines", map[string]any{"from": r.WorkedOut.End}, &problem))
	assert.Equal(t, "bad_range", problem.Code)
	for _, outputs := range [][]int{{12}, {1, 1}, {2, 1}} {
		assert.Equal(t, 422, s.call("POST", path+"/lines", map[string]any{"from": r.WorkedOut.Start, "outputs": outputs}, &problem))
		assert.Equal(t, "no_such_output", problem.Code)
	}
	// Played to nobody: time goes on all the same.
	require.Equal(t, 202, s.call("POST", path+"/lines", map[string]any{"from": r.WorkedOut.Start}, &lines))
	require.Eventually(t, func() bool {
		require.Equal(t, 200, s.call("GET", path+"/lines", nil, &lines))
		return lines.At != nil && *lines.At > r.WorkedOut.Start+4800
	}, 10*time.Second, 20*time.Millisecond)
	assert.True(t, lines.Playing && *lines.Here)
	require.Equal(t, 204, s.call("DELETE", path+"/lines", nil, nil))
	require.Equal(t, 200, s.call("GET", path+"/lines", nil, &lines))
	assert.False(t, lines.Playing)
	// Another rate than streams have is said, not sent.
	var p contract.Production
	require.Equal(t, 201, s.call("POST", "/api/productions", map[string]any{"name": "High", "timecode_rate": "25", "start_timecode": "10:00:00:00", "sample_rate": 96000}, &p))
	high := s.reel(p.Id.String())
	require.Equal(t, 200, s.call("GET", "/api/reels/"+high.Id.String()+"/lines", nil, &lines))
	assert.Contains(t, *lines.Problem, "96000 Hz")
	assert.Equal(t, 422, s.call("POST", "/api/reels/"+high.Id.String()+"/lines", map[string]any{"from": 0}, &problem))
}
