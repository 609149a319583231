package httpapi_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/attest"
	"zestyloom/core/audio"
	"zestyloom/core/order"
	"zestyloom/core/source"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// laid is a production with one take of eight strands, labelled, in its reel.
func (s *server) laid() (production string, reel contract.Reel) {
	s.t.Helper()
	production = s.production()
	s.uploadFile(production, testmedia.Path(s.t, "poly8_s24.wav"))
	s.settled(production, 1)
	t := s.takes(production)[0]
	for i, st := range t.Strands {
		label := []string{"MixL", "MixR", "Boom", "Lav Ines", "Score L", "Score R", "Ferry", "Spare"}[i]
		require.Equal(s.t, 200, s.call("PATCH", "/api/strands/"+st.Id.String(), map[string]any{"label": label, "was": st.Label}, nil))
	}
	require.Equal(s.t, 200, s.call("POST", "/api/reels/"+s.reel(production).Id.String()+"/takes", map[string]any{"takes": []string{t.Id.String()}}, nil))
	return production, s.reel(production)
}

func TestLabelsAndUndo(t *testing.T) {
	s := start(t, "")
	p := s.production()
	s.uploadFile(p, testmedia.Path(t, "poly8_s24.wav"))
	s.settled(p, 1)
	label := func() string { return s.takes(p)[0].Strands[0].Label }
	id := s.takes(p)[0].Strands[0].Id.String()
	require.Equal(t, 200, s.call("PATCH", "/api/strands/"+id, map[string]any{"label": " Boom ", "was": ""}, nil))
	assert.Equal(t, "Boom", label())
	var problem contract.Problem
	assert.Equal(t, 409, s.call("PATCH", "/api/strands/"+id, map[string]any{"label": "Other", "was": ""}, &problem))
	assert.Equal(t, "stale", problem.Code, "somebody else has typed meanwhile")
	require.Equal(t, 200, s.call("PATCH", "/api/strands/"+id, map[string]any{"label": "Lav", "was": "Boom"}, nil))
	undo := func(way string) string {
		var u contract.Undone
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/"+way, nil, &u))
		return u.What
	}
	assert.Contains(t, undo("undo"), `"Lav"`)
	assert.Equal(t, "Boom", label())
	undo("undo")
	assert.Empty(t, label())
	assert.Empty(t, undo("undo"), "there is nothing left")
	undo("redo")
	assert.Equal(t, "Boom", label())
	require.Equal(t, 200, s.call("PATCH", "/api/strands/"+id, map[string]any{"label": "New", "was": "Boom"}, nil))
	assert.Empty(t, undo("redo"), "a new edit forgets what was undone")
	var list contract.Production
	s.call("GET", "/api/productions/"+p, nil, &list)
	assert.Contains(t, list.CanUndo, "New")
}

func TestReelEdits(t *testing.T) {
	s := start(t, "")
	p, r := s.laid()
	require.Len(t, r.Doc.Tracks, 8)
	assert.True(t, r.Doc.Tracks[0].Off && r.Doc.Tracks[1].Off && !r.Doc.Tracks[2].Off, "mix tracks are laid but off")
	path := "/api/reels/" + r.Id.String()
	var problem contract.Problem
	take := s.takes(p)[0]
	assert.True(t, take.InReel)
	assert.Equal(t, 409, s.call("POST", path+"/takes", map[string]any{"takes": []string{take.Id.String()}}, &problem))
	assert.Equal(t, "laid_already", problem.Code)
	assert.Equal(t, 409, s.call("DELETE", "/api/files/"+take.Strands[0].File.String(), nil, &problem))
	assert.Equal(t, "in_use", problem.Code)

	send := func(track, stem string, gain float64) map[string]any {
		return map[string]any{"set_sends": map[string]any{"from": track, "sends": []any{map[string]any{"to": stem, "gain_db": gain, "patch": map[string]any{"preset": "both"}}}}}
	}
	boom, lav := r.Doc.Tracks[2].ID, r.Doc.Tracks[3].ID
	var after contract.ReelEdited
	edit := map[string]any{"version": r.Version, "what": "send Boom to DX", "actions": []any{send(boom, "DX", -3)}}
	require.Equal(t, 200, s.call("POST", path+"/edits", edit, &after))
	assert.InDelta(t, 0.7079, (*after.WorkedOut.Product)[0][2][0], 1e-4)
	assert.Equal(t, r.Version, after.Since)
	assert.Empty(t, after.Changes.Clips, "the answer says what has changed, and no more")
	assert.Equal(t, "DX", after.Changes.Sends[boom][0].To)
	var conflict contract.ReelConflict
	assert.Equal(t, 409, s.call("POST", path+"/edits", edit, &conflict), "the same has been changed since that version")
	assert.Equal(t, r.Version+1, conflict.Current.Version, "the reel as it is now comes along")
	edit["actions"] = []any{send(lav, "DX", 0)}
	require.Equal(t, 200, s.call("POST", path+"/edits", edit, &after), "another track was not changed since")
	assert.Equal(t, r.Version+2, after.Version)
	assert.Len(t, after.Changes.Sends, 2, "and what was changed meanwhile comes along")
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	var since contract.ReelEdited
	require.Equal(t, 200, s.call("GET", fmt.Sprintf("%s/changes?since=%d", path, r.Version), nil, &since))
	assert.Equal(t, []any{r.Version + 3, r.Version, 1}, []any{since.Version, since.Since, len(since.Changes.Sends)})
	require.Equal(t, 200, s.call("GET", path+"/changes?since=0", nil, &since))
	assert.Len(t, since.Whole.Tracks, 8, "a version that nobody remembers")
	edit["version"], edit["actions"] = after.Version+1, []any{send("no such track", "DX", 0)}
	assert.Equal(t, 422, s.call("POST", path+"/edits", edit, &problem))
	edit["actions"] = []any{send(boom, "DX", 99)}
	assert.Equal(t, 400, s.call("POST", path+"/edits", edit, &problem), "the contract bounds gains")
	edit["actions"] = []any{map[string]any{"cut": map[string]any{"at": r.Doc.Tracks[2].Clips[0].At + 100}}}
	require.Equal(t, 200, s.call("POST", path+"/edits", edit, &after))
	assert.Len(t, after.Changes.Clips, 16, "all strands of the take are cut")
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))

	require.Equal(t, 200, s.call("POST", path+"/width", map[string]any{"version": after.Version + 1, "outputs": 8}, &after))
	assert.Len(t, after.Changes.Routing.Outputs, 8)
	assert.Equal(t, "VO L", after.Changes.Routing.Outputs[6].Name)
	require.Equal(t, 200, s.call("POST", path+"/width", map[string]any{"version": after.Version, "outputs": 4}, &after))
	assert.Equal(t, "DX", s.reel(p).Doc.Weave.Sends[boom][0].To, "routes stay")
	for range 4 { // width, width, route, lay
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	}
	assert.Empty(t, s.reel(p).Doc.Tracks)
	assert.Len(t, s.reel(p).Doc.Weave.Outputs, 6)
}

func TestDeliveryToProof(t *testing.T) {
	s := start(t, "")
	p, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	var ops []any
	for i, stem := range map[int]string{2: "DX", 4: "MX", 6: "FX"} {
		ops = append(ops, map[string]any{"set_sends": map[string]any{"from": r.Doc.Tracks[i].ID, "sends": []any{map[string]any{"to": stem, "gain_db": 0, "patch": map[string]any{"preset": "left"}}}}})
	}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "route", "actions": ops}, nil))
	var specs []contract.Spec
	require.Equal(t, 200, s.call("GET", "/api/specs", nil, &specs))
	require.Len(t, specs, 17)
	require.Equal(t, "Stem master, three stereo stems", specs[0].Spec.Name)
	asked := map[string]any{"spec": specs[0].Id, "packing": "poly", "pattern": "{production}-{reel}", "accept": []string{"no_stem", "output_silent"}}
	var pre contract.Preflight
	require.Equal(t, 200, s.call("POST", path+"/preflight", asked, &pre))
	assert.False(t, pre.Stops)
	assert.Equal(t, "Test-Reel 1.wav", pre.Files[0].Name)
	var codes []string
	for _, f := range pre.Findings {
		codes = append(codes, f.Code)
	}
	for _, c := range []string{"no_stem", "track_off", "output_silent"} {
		assert.Contains(t, codes, c)
	}
	// What stands in the way stops it, until somebody says that it is to be so.
	var stands contract.Problem
	require.Equal(t, 422, s.call("POST", path+"/deliveries", map[string]any{"spec": specs[0].Id}, &stands))
	assert.Contains(t, stands.Detail, "accept")
	events := s.listen(p)
	var d contract.Delivery
	require.Equal(t, 202, s.call("POST", path+"/deliveries", asked, &d))
	get := func() contract.Delivery {
		var d2 contract.Delivery
		require.Equal(t, 200, s.call("GET", "/api/deliveries/"+d.Id.String(), nil, &d2))
		return d2
	}
	d = until(t, "a proven delivery", get, func(d contract.Delivery) bool {
		return d.State == order.Proven || d.State == order.Failed
	})
	require.Equal(t, order.Proven, d.State, "%+v", d.Error)
	assert.True(t, d.Proof.Passed)
	var kinds []string
	until(t, "its events", func() []string {
		select {
		case e := <-events:
			kinds = append(kinds, string(e.Kind))
		case <-time.After(10 * time.Millisecond):
		}
		return kinds
	}, func(k []string) bool {
		return strings.Contains(fmt.Sprint(k), "deliveries") && strings.Contains(fmt.Sprint(k), "progress")
	})

	file := "/api/deliveries/" + d.Id.String() + "/files/0"
	resp, err := http.Get(s.url + file)
	require.NoError(t, err)
	defer resp.Body.Close()
	assert.Contains(t, resp.Header.Get("Content-Disposition"), "Test-Reel 1.wav")
	b, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.EqualValues(t, d.Proof.Files[0].Bytes, len(b))
	req, err := http.NewRequest("GET", s.url+file, nil)
	require.NoError(t, err)
	req.Header.Set("Range", "bytes=0-3")
	resp, err = http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	assert.Equal(t, 206, resp.StatusCode)
	made, err := filepath.Glob(s.media + "/deliveries/" + d.Id.String() + "/*/Test-Reel 1.wav")
	require.NoError(t, err)
	require.Len(t, made, 1)
	src, err := source.Open(made[0])
	require.NoError(t, err)
	defer src.Close()
	assert.EqualValues(t, 48000, src.Frames)
	assert.Equal(t, 6, src.Format.Channels)
	assert.Equal(t, 404, s.call("GET", "/api/deliveries/"+d.Id.String()+"/files/1", nil, nil))

	s.brokenOff(d, made[0], b)

	// A master of another width than the spec's is refused, whatever the browser showed.
	require.Equal(t, 200, s.call("POST", path+"/width", map[string]any{"version": s.reel(p).Version, "outputs": 5}, nil))
	var problem contract.Problem
	assert.Equal(t, 422, s.call("POST", path+"/deliveries", asked, &problem))
	assert.Equal(t, "width", problem.Code)
}

// brokenOff changes the last samples of a delivered file on disk, its time put back, and asks for it: nobody gets what could be
// taken for all of it, and the delivery says so.
func (s *server) brokenOff(d contract.Delivery, path string, whole []byte) {
	t := s.t
	long, err := os.Stat(path)
	require.NoError(t, err)
	before := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chmod(path, 0o600))
	require.NoError(t, os.WriteFile(path, append(bytes.Clone(whole[:len(whole)-3]), 1, 2, 3), 0o600))
	require.NoError(t, os.Chtimes(path, before, before))
	now, err := os.Stat(path)
	require.NoError(t, err)
	require.Equal(t, long.Size(), now.Size())
	at := "/api/deliveries/" + d.Id.String()
	for _, what := range []string{"/files/0", "/all.zip"} {
		resp, err := http.Get(s.url + at + what)
		require.NoError(t, err)
		got, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		assert.Error(t, err, "%s: the connection breaks off after %d bytes", what, len(got))
		if what == "/files/0" {
			assert.Less(t, len(got), len(whole))
			assert.True(t, bytes.HasPrefix(whole, got), "what came is as it was proven")
		}
	}
	var said contract.Delivery
	require.Equal(t, 200, s.call("GET", at, nil, &said))
	require.NotNil(t, said.Damaged)
	assert.Equal(t, "not_as_proven", said.Damaged.Code)
	var kept contract.Scrub
	require.Equal(t, 200, s.call("GET", "/api/scrub", nil, &kept))
	assert.Equal(t, 1, kept.Amiss)
	assert.Equal(t, 1, kept.Deliveries)
	require.NoError(t, os.Truncate(path, 1000))
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", at+"/files/0", nil, &problem), "one that is known to be other before it is sent is a problem")
	assert.Equal(t, "not_as_proven", problem.Code)

	var key contract.PublicKey
	require.Equal(t, 200, s.call("GET", "/api/key", nil, &key))
	public, err := attest.ParseKey(key.Pem)
	require.NoError(t, err)
	_, text := s.ask("GET", at+"/papers/proof", nil, nil)
	signed, err := attest.Read(strings.NewReader(text))
	require.NoError(t, err)
	assert.True(t, signed.Holds())
	assert.True(t, public.Equal(signed.Key))
	assert.Equal(t, key.Fingerprint, *said.SignedBy)
}

// listen collects a production's events.
func (s *server) listen(production string) <-chan contract.Event {
	s.t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	s.t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, "GET", s.url+"/api/productions/"+production+"/events", nil)
	require.NoError(s.t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	s.t.Cleanup(func() { resp.Body.Close() })
	require.Equal(s.t, "text/event-stream", resp.Header.Get("Content-Type"))
	out := make(chan contract.Event, 1000)
	go func() {
		lines := bufio.NewScanner(resp.Body)
		for lines.Scan() {
			if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				var e contract.Event
				if json.Unmarshal([]byte(data), &e) == nil {
					out <- e
				}
			}
		}
	}()
	return out
}

// A production has several reels: copied, cut down to a span, renamed, removed and brought back; each with its own tracks,
// and what is said of a take is changed in all of them.
func TestSeveralReels(t *testing.T) {
	s := start(t, "")
	p, r := s.laid()
	path := "/api/productions/" + p + "/reels"
	at := r.Doc.Tracks[0].Clips[0].At
	edit := func(id fmt.Stringer, version int64, what string, actions ...any) (e contract.ReelEdited) {
		require.Equal(t, 200, s.call("POST", "/api/reels/"+id.String()+"/edits", map[string]any{"version": version, "what": what, "actions": actions}, &e))
		return e
	}
	marker := func(id string, at int64) map[string]any { return map[string]any{"id": id, "at": at, "name": id} }
	e := edit(r.Id, r.Version, "mark", map[string]any{"set_markers": map[string]any{"put": []any{marker("in", at+5000), marker("out", at+40000)}}})
	assert.Len(t, e.Changes.Markers, 2)

	var copied, cut contract.Reel
	require.Equal(t, 201, s.call("POST", path, map[string]any{"name": "Whole copy", "copy": r.Id}, &copied))
	assert.Len(t, copied.Doc.Tracks, 8)
	require.Equal(t, 201, s.call("POST", path, map[string]any{"name": "Trailer", "copy": r.Id, "from": at + 4800, "to": at + 9600}, &cut))
	assert.Equal(t, []int64{at + 4800, at + 9600}, []int64{cut.WorkedOut.Start, cut.WorkedOut.End})
	for _, tr := range cut.Doc.Tracks {
		assert.EqualValues(t, 4800, tr.Clips[0].In)
		assert.EqualValues(t, 4800, tr.Clips[0].Length)
	}
	assert.Equal(t, "in", cut.Doc.Markers[0].Name)
	assert.Len(t, cut.Doc.Markers, 1)
	var problem contract.Problem
	assert.Equal(t, 409, s.call("POST", path, map[string]any{"name": "trailer"}, &problem))
	assert.Equal(t, "exists", problem.Code)
	assert.Equal(t, 404, s.call("POST", path, map[string]any{"name": "x", "copy": "0190a000-0000-7000-8000-000000000001"}, &problem))

	// An edit of one leaves the others; a stem that is given in the sheet is sent to in all.
	edit(cut.Id, cut.Version, "remove a track", map[string]any{"remove_track": map[string]any{"id": cut.Doc.Tracks[0].ID}})
	strand := s.takes(p)[0].Strands[2].Id
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "stem", "cells": []any{map[string]any{"row": strand, "field": "stem", "value": "FX"}}}, nil))
	reels := func() (names []string) {
		var all []contract.ReelListed
		require.Equal(t, 200, s.call("GET", path, nil, &all))
		for _, l := range all {
			var one contract.Reel
			require.Equal(t, 200, s.call("GET", "/api/reels/"+l.Id.String(), nil, &one))
			boom := ""
			for _, tr := range one.Doc.Tracks {
				if tr.Label == "Boom" {
					boom = one.Doc.Weave.Sends[tr.ID][0].To
				}
			}
			names = append(names, fmt.Sprintf("%s %d %s", l.Name, l.Tracks, boom))
		}
		return names
	}
	assert.Equal(t, []string{"Reel 1 8 FX", "Whole copy 8 FX", "Trailer 7 FX"}, reels())

	require.Equal(t, 204, s.call("PATCH", "/api/reels/"+cut.Id.String(), map[string]any{"name": "Promo"}, nil))
	require.Equal(t, 204, s.call("DELETE", "/api/reels/"+copied.Id.String(), nil, nil))
	assert.Equal(t, []string{"Reel 1 8 FX", "Promo 7 FX"}, reels())
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	assert.Equal(t, []string{"Reel 1 8 FX", "Whole copy 8 FX", "Promo 7 FX"}, reels())
	for _, id := range []fmt.Stringer{r.Id, copied.Id} {
		require.Equal(t, 204, s.call("DELETE", "/api/reels/"+id.String(), nil, nil))
	}
	assert.Equal(t, 409, s.call("DELETE", "/api/reels/"+cut.Id.String(), nil, &problem))
	assert.Equal(t, "last_reel", problem.Code)
	assert.Equal(t, []string{"Promo 7 FX"}, reels())

	// As an OpenTimelineIO document, there and back.
	otio, b := s.ask("GET", "/api/reels/"+cut.Id.String()+"/otio", nil, nil)
	require.Equal(t, 200, otio.StatusCode)
	assert.Equal(t, "application/vnd.opentimelineio+json", otio.Header.Get("Content-Type"))
	assert.Contains(t, string(b), `"target_url": "poly8_s24.wav"`)
	var again contract.Reel
	require.Equal(t, 201, s.call("POST", path, map[string]any{"name": "Again", "otio": string(b)}, &again))
	was, is := s.reelAt(cut), again
	assert.Equal(t, was.Doc, is.Doc)
	assert.Equal(t, 422, s.call("POST", path, map[string]any{"name": "Other", "otio": `{"OTIO_SCHEMA":"Timeline.1"}`}, &problem))
	assert.Equal(t, "not_a_reel", problem.Code)
	assert.Equal(t, 422, s.call("POST", "/api/productions/"+s.production()+"/reels", map[string]any{"name": "Elsewhere", "otio": string(b)}, &problem))
	assert.Equal(t, "no_such_strand", problem.Code)

	// Markers as a table, there and back.
	resp, b := s.ask("GET", "/api/reels/"+cut.Id.String()+"/markers", nil, nil)
	require.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, string(b), ",0,in,,\n")
	require.Equal(t, 200, s.call("POST", "/api/reels/"+cut.Id.String()+"/markers", map[string]any{"table": string(b) + "10:00:00:05,3,more,plum,\n"}, &e))
	assert.Len(t, e.Changes.Markers, 3)
	assert.Equal(t, 422, s.call("POST", "/api/reels/"+cut.Id.String()+"/markers", map[string]any{"table": "x"}, &problem))
	assert.Equal(t, "bad_markers", problem.Code)
}

// A line is borrowed from another take of the scene, where its sound goes alike, or from another strand of the same take; it
// can be heard in place before, and is laid over that strand alone.
func TestALineIsBorrowed(t *testing.T) {
	s := start(t, "")
	p := s.production()
	const rate = 48000
	// The same bursts in both takes, a second and a quarter later in the second, and softer.
	speak := func(late int, level float64) []float64 {
		x := make([]float64, 8*rate)
		for k, at := range []float64{1, 1.3, 2, 2.2, 3.1, 3.9, 4.2, 5} {
			for i := range (900 + 700*(k%3)) * 10 {
				if n := int(at*rate) + late + i; n < len(x) {
					x[n] = level * math.Sin(float64(i)*0.05*float64(k+1))
				}
			}
		}
		return x
	}
	for name, channels := range map[string][][]float64{"5-1": {speak(0, 0.5), speak(0, 0.2)}, "5-2": {speak(rate*5/4, 0.3), speak(rate*5/4, 0.1)}} {
		file := filepath.Join(t.TempDir(), name+".wav")
		testmedia.Write(t, file, audio.S24, rate, channels...)
		s.uploadFile(p, file)
	}
	s.settled(p, 2)
	var first contract.Take
	for _, tk := range s.takes(p) {
		var cells []any
		cells = append(cells, map[string]any{"row": tk.Id, "field": "scene", "value": "5"})
		for i, st := range tk.Strands {
			cells = append(cells, map[string]any{"row": st.Id, "field": "label", "value": []string{"Boom", "Lav"}[i]})
		}
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "label", "cells": cells}, nil))
		if tk.Name == "5-1" {
			first = tk
		}
	}
	require.NotEmpty(t, first.Name)
	r := s.reel(p)
	path := "/api/reels/" + r.Id.String()
	require.Equal(t, 200, s.call("POST", path+"/takes", map[string]any{"takes": []string{first.Id.String()}}, nil))
	r = s.reel(p)
	track, at := r.Doc.Tracks[0], r.Doc.Tracks[0].Clips[0].At
	var all []contract.Lendable
	from, to := at+2*rate-4800, at+3*rate-4800
	require.Equal(t, 200, s.call("GET", fmt.Sprintf("%s/lendable?track=%s&from=%d&to=%d", path, track.ID, from, to), nil, &all))
	require.Len(t, all, 2)
	assert.Equal(t, []any{false, "Boom", contract.LendableByShape}, []any{all[0].Take == first.Id, all[0].Label, all[0].By})
	assert.InDelta(t, 2*rate-4800+rate*5/4, all[0].In, rate/50, "a second and a quarter later")
	assert.Equal(t, []any{first.Id, "Lav", contract.LendableByTake, int64(2*rate - 4800)}, []any{all[1].Take, all[1].Label, all[1].By, all[1].In})

	// A strand that is none, or another production's, brings nothing into the reel.
	other := s.production()
	s.uploadFile(other, testmedia.Path(t, "stereo_u8.wav"))
	s.settled(other, 1)
	for _, strand := range []string{"none", "01a00000-0000-7000-8000-000000000000", s.takes(other)[0].Strands[0].Id.String()} {
		var pr contract.Problem
		wrong := []any{map[string]any{"borrow": map[string]any{"track": track.ID, "from": from, "to": to, "strand": strand, "in": 0, "name": "5-1", "fade": 0}}}
		assert.Equal(t, 422, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "borrow", "actions": wrong}, &pr), strand)
		assert.Equal(t, "no_such_strand", pr.Code)
	}
	borrow := []any{map[string]any{"borrow": map[string]any{"track": track.ID, "from": from, "to": to, "strand": all[1].Strand, "in": all[1].In, "name": "5-1", "fade": 0}}}
	doing, err := json.Marshal(borrow)
	require.NoError(t, err)
	sound := fmt.Sprintf("%s/sound?track=%s&from=%d&to=%d", path, track.ID, from, to)
	was, asIf := s.heard(sound), s.heard(sound+"&doing="+url.QueryEscape(string(doing)))
	for i, v := range was.sound[0] {
		require.InDelta(t, 0.4*v, asIf.sound[0][i], 1e-6, "the lav is softer than the boom")
	}
	assert.Equal(t, r.Version, s.reel(p).Version, "nothing was done yet")
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "borrow", "actions": borrow}, nil))
	assert.Equal(t, asIf.sound, s.heard(sound).sound)
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", sound+"&doing=nonsense", nil, &problem))
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("%s/lendable?track=%s&from=%d&to=%d", path, track.ID, at+9*rate, at+10*rate), nil, &problem))
}
