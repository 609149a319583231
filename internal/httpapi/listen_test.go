package httpapi_test

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// heard is a stream as a browser takes it apart.
type heard struct {
	head   contract.Heard
	at     []float64
	meters [][3]float32 // of the first block, a channel each
	sound  [][]float32
}

func (s *server) get(path string) (int, http.Header, []byte) {
	s.t.Helper()
	resp, err := http.Get(s.url + path)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp.StatusCode, resp.Header, b
}

func (s *server) heard(path string) (h heard) {
	s.t.Helper()
	status, _, b := s.get(path)
	require.Equal(s.t, 200, status, "%s", b)
	n := int(binary.LittleEndian.Uint32(b))
	require.Zero(s.t, (4+n)%8, "blocks begin at a multiple of eight bytes")
	require.NoError(s.t, json.Unmarshal(b[4:4+n], &h.head))
	b = b[4+n:]
	float := func(at int) float32 { return math.Float32frombits(binary.LittleEndian.Uint32(b[at:])) }
	h.sound = make([][]float32, h.head.Channels)
	for len(b) > 0 {
		frames := int(binary.LittleEndian.Uint32(b))
		h.at = append(h.at, math.Float64frombits(binary.LittleEndian.Uint64(b[8:])))
		at := 16
		for range h.head.Channels {
			if len(h.at) == 1 {
				h.meters = append(h.meters, [3]float32{float(at), float(at + 4), float(at + 8)})
			}
			at += 12
		}
		readings := int(binary.LittleEndian.Uint32(b[4:]))
		require.Contains(s.t, []int{0, 4}, readings, "of loudness")
		at += 4 * readings
		for c := range h.sound {
			for range frames {
				h.sound[c] = append(h.sound[c], float(at))
				at += 4
			}
		}
		b = b[at:]
	}
	return h
}

// Strands are heard together on one clock, any stretch of them, each sample that of its place.
func TestStrandsAreHeardTogether(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav")) // channel n is a sine of 100·n Hz at a peak of 0.5
	s.settled(p, 1)
	st := s.takes(p)[0].Strands
	h := s.heard("/api/sound?from=4800&of=" + st[0].Id.String() + "," + st[2].Id.String())
	assert.Equal(t, contract.Heard{Rate: 48000, Channels: 2, Frames: 43200, Matrix: h.head.Matrix, Says: "2 mono on both sides, each at -3.0 dB", Gains: []float64{0, 0}}, h.head)
	assert.InDelta(t, math.Sqrt2/2, h.head.Matrix[1][0], 1e-9)
	require.Len(t, h.sound[1], 43200)
	for i, v := range h.sound[1] {
		require.InDelta(t, 0.5*math.Sin(2*math.Pi*300*float64(4800+i)/48000), float64(v), 1e-6, "sample %d", i)
	}
	assert.Equal(t, []float64{4800, 5824}, h.at[:2])
	assert.InDelta(t, 0.5, float64(h.meters[1][0]), 0.001)

	half := s.heard("/api/sound?from=4800&to=9600&speed=0.5&keep_pitch=true&match=true&of=" + st[0].Id.String() + "," + st[7].Id.String())
	assert.InDelta(t, 9600, float64(len(half.sound[0])), 1500)
	assert.NotZero(t, half.head.Gains[1], "800 Hz is louder to the ear than 100 Hz")
	for path, code := range map[string]string{
		"/api/sound?of=" + st[0].Id.String() + "&speed=3":           "bad_request",
		"/api/sound?of=" + st[0].Id.String() + "&from=-1":           "bad_request",
		"/api/sound?of=" + st[0].Id.String() + "&from=100&to=50":    "bad_range",
		"/api/sound?of=" + st[0].Id.String() + "&from=999999":       "nothing_to_hear",
		"/api/sound?of=" + uuid.NewString():                         "no_such_strand",
		"/api/sound?of=" + url.QueryEscape("x; DROP TABLE strands"): "no_such_strand",
		"/api/sound": "bad_request",
		"/api/sound?of=" + strings.Repeat(st[0].Id.String()+",", 65): "too_many",
		"/api/syncs/" + uuid.NewString() + "/sound":                  "not_found",
	} {
		_, _, b := s.get(path)
		var problem contract.Problem
		require.NoError(t, json.Unmarshal(b, &problem), "%s: %s", path, b)
		assert.Equal(t, code, problem.Code, path)
	}

	// A strand that is let go is heard where it lies.
	path := "/api/strands/" + st[0].Id.String() + "/detached"
	require.Equal(t, 204, s.call("PUT", path, contract.DetachOrder{Detached: true, Shift: 2400}, nil))
	assert.Equal(t, 409, s.call("PUT", path, contract.DetachOrder{Detached: true, Shift: 1}, nil), "made on another shift")
	got := s.takes(p)[0].Strands[0]
	assert.Equal(t, []any{true, int64(2400)}, []any{got.Detached, got.Shift})
	late := s.heard("/api/sound?to=4800&of=" + st[0].Id.String())
	assert.Zero(t, late.sound[0][2399])
	assert.InDelta(t, 0.5*math.Sin(2*math.Pi*100*100/48000.0), float64(late.sound[0][2500]), 1e-6)
	require.Equal(t, 204, s.call("PUT", path, contract.DetachOrder{Detached: false, Was: 2400}, nil))
	assert.False(t, s.takes(p)[0].Strands[0].Detached)
}

// A pair over HTTP: proposed, compared, moved by hand, heard, accepted; its picture is served in ranges.
func TestPairs(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "mono_bext.wav"))
	s.uploadFile(p, testmedia.Path(t, "camera.mov"))
	files := s.settled(p, 2)
	pairs := func() []contract.Sync {
		var page contract.SyncPage
		require.Equal(t, 200, s.call("GET", "/api/productions/"+p+"/syncs", nil, &page))
		return page.Items
	}
	var proposed contract.Proposed
	require.Equal(t, 202, s.call("POST", "/api/productions/"+p+"/syncs", nil, &proposed))
	require.Equal(t, 1, proposed.Added)
	pair := until(t, "the pair to be compared", func() contract.Sync { return pairs()[0] }, func(v contract.Sync) bool { return v.State != "proposed" && v.State != "aligning" })
	assert.Equal(t, contract.SyncStateNone, pair.State, "a steady tone says nothing of where it was")
	assert.Equal(t, files["camera.mov"].Id.String(), pair.Take.Picture)
	assert.Equal(t, "camera", pair.Take.Camera)
	path := "/api/syncs/" + pair.Id.String()
	assert.Equal(t, 409, s.call("POST", path+"/decide", contract.SyncDecision{Accept: true}, nil))
	require.NotNil(t, pair.TimecodeSeconds)
	assert.Equal(t, contract.SyncByTimecode, pair.By)

	require.Equal(t, 204, s.call("PUT", path+"/nudge", contract.SyncNudge{Samples: 48}, nil))
	assert.Equal(t, 409, s.call("PUT", path+"/nudge", contract.SyncNudge{Samples: 1}, nil))
	moved := pairs()[0]
	assert.InDelta(t, pair.OffsetSamples+48, moved.OffsetSamples, 1e-6)
	h := s.heard(path + "/sound?from=-4800")
	assert.Equal(t, 2, h.head.Channels)
	assert.EqualValues(t, -4800, h.at[0])
	status, head, columns := s.get(path + "/difference?from=0&to=4800&columns=64")
	assert.Equal(t, []any{200, 256}, []any{status, len(columns)})
	assert.NotEmpty(t, head.Get("X-Left-Db"))

	by := contract.SyncDecisionByTimecode
	var decided contract.SyncDecided
	require.Equal(t, 200, s.call("POST", path+"/decide", contract.SyncDecision{Accept: true, By: &by}, &decided))
	until(t, "the take to be lined up", func() []contract.Take { return s.takes(p) }, func(ts []contract.Take) bool {
		for _, v := range ts {
			if v.LinedUp {
				return v.Sync == contract.TakeSyncAccepted
			}
		}
		return false
	})

	req, err := http.NewRequest("GET", s.url+"/api/files/"+files["camera.mov"].Id.String()+"/picture", nil)
	require.NoError(t, err)
	req.Header.Set("Range", "bytes=4-7")
	resp, err := (&http.Client{Timeout: 10 * time.Second}).Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Equal(t, []any{206, "video/mp4", "ftyp"}, []any{resp.StatusCode, resp.Header.Get("Content-Type"), string(b)})
	status, _, _ = s.get("/api/files/" + files["mono_bext.wav"].Id.String() + "/picture")
	assert.Equal(t, 404, status)
}

// A reel is heard as it is routed, a track of it before its sends, whatever of it is off; what is heard alone is so for the
// listening only.
func TestAReelIsHeard(t *testing.T) {
	s := start(t, "")
	p, r := s.laid() // channel n is a sine of 100·n Hz at a peak of 0.5
	boom, lav, at := r.Doc.Tracks[2].ID, r.Doc.Tracks[3].ID, r.Doc.Tracks[2].Clips[0].At
	send := func(track, stem, preset string) map[string]any {
		return map[string]any{"set_sends": map[string]any{"from": track, "sends": []any{map[string]any{"to": stem, "gain_db": 0, "patch": map[string]any{"preset": preset}}}}}
	}
	actions := []any{send(boom, "DX", "left"), send(lav, "FX", "right"), map[string]any{"set_track": map[string]any{"id": lav, "off": true}}}
	require.Equal(t, 200, s.call("POST", "/api/reels/"+r.Id.String()+"/edits", map[string]any{"version": r.Version, "what": "route", "actions": actions}, nil))
	sine := func(hz float64, n int) float64 { return 0.5 * math.Sin(2*math.Pi*hz*float64(n)/48000) }
	path := fmt.Sprintf("/api/reels/%s/sound?from=%d", r.Id, at+4800)
	h := s.heard(path)
	require.Equal(t, 6, h.head.Channels)
	assert.Equal(t, "DX, MX, FX, folded down to two sides and added up at 0 dB", h.head.Says)
	assert.Equal(t, [][]float64{{1, 0}, {0, 1}, {1, 0}, {0, 1}, {1, 0}, {0, 1}}, h.head.Matrix)
	assert.EqualValues(t, at+4800, h.at[0])
	for i, v := range h.sound[0] {
		require.InDelta(t, sine(300, 4800+i), float64(v), 1e-6)
		require.Zero(t, h.sound[5][i], "off is off")
	}
	alone := s.heard(path + "&track=" + lav)
	require.Equal(t, 1, alone.head.Channels)
	for i, v := range alone.sound[0] {
		require.InDelta(t, sine(400, 4800+i), float64(v), 1e-6, "and can be heard all the same")
	}
	assert.Equal(t, 2, s.heard(path+"&bus=FX").head.Channels)
	assert.Equal(t, [][]float64{{}, {}, {1, 0}, {0, 1}, {}, {}}, trimmed(s.heard(path+"&outputs=2,3").head.Matrix), "outputs alone")
	for _, silent := range []string{"&solo=" + lav, "&mute=" + boom} {
		for _, v := range s.heard(path + silent).sound[0] {
			require.Zero(t, v)
		}
	}
	// What meters of buses read, with what is heard alone.
	metered := func(query string) map[string]float64 {
		var list []contract.BusMeter
		require.Equal(t, 200, s.call("GET", fmt.Sprintf("/api/reels/%s/meters?from=%d&to=%d&points=4%s", r.Id, at+4800, at+9600, query), nil, &list))
		out := map[string]float64{}
		for _, m := range list {
			out[m.Bus] = m.Peak[0][2]
		}
		return out
	}
	assert.InDelta(t, -6.0, metered("")["DX"], 0.2)
	assert.Equal(t, -100.0, metered("&mute=" + boom)["DX"])
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("/api/reels/%s/meters?from=%d&to=%d&points=4", r.Id, at, at+48000*31), nil, nil))
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", path+"&track=nobody", nil, &problem))
	assert.Equal(t, "no_such_signal", problem.Code)
	assert.Equal(t, r.Version+1, s.reel(p).Version, "listening changes nothing")
}

// trimmed has nothing for what is not heard.
func trimmed(matrix [][]float64) [][]float64 {
	out := make([][]float64, len(matrix))
	for i, row := range matrix {
		if out[i] = row; row[0] == 0 && row[1] == 0 {
			out[i] = []float64{}
		}
	}
	return out
}

// A bus is heard on headphones as two ears, and says so; what stands in no direction can't be.
func TestAReelOnHeadphones(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	var after contract.ReelEdited
	sent := map[string]any{"set_sends": map[string]any{"from": r.Doc.Tracks[2].ID, "sends": []any{map[string]any{"to": "DX", "gain_db": 0, "patch": map[string]any{"preset": "left"}}}}}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "x", "actions": []any{sent}}, &after))
	at := r.Doc.Tracks[2].Clips[0].At
	h := s.heard(fmt.Sprintf("%s/sound?bus=DX&headphones=true&from=%d&to=%d", path, at, at+9600))
	assert.Equal(t, 2, h.head.Channels)
	assert.Contains(t, h.head.Says, "on headphones by a spherical head")
	loud := func(x []float32) (sum float64) {
		for _, v := range x {
			sum += float64(v) * float64(v)
		}
		return sum
	}
	assert.Greater(t, loud(h.sound[0]), loud(h.sound[1]), "left of the middle")
	assert.Positive(t, loud(h.sound[1]), "and at the other ear, too")
	all := s.heard(fmt.Sprintf("%s/sound?headphones=true&from=%d&to=%d", path, at, at+9600))
	assert.Equal(t, 2, all.head.Channels)
	bus := map[string]any{"weave": map[string]any{"set_bus": map[string]any{"id": "VO", "layout": "discrete 4"}}}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": after.Version, "what": "x", "actions": []any{bus}}, nil))
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", path+"/sound?bus=VO&headphones=true", nil, &problem))
	assert.Equal(t, "no_headphones", problem.Code)
}
