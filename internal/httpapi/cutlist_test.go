package httpapi_test

import (
	"fmt"
	"math"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/cutlist"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// A cut list is shown event by event, with what is found and why something is not; laid, every strand of every take lies
// where picture has cut it to, tied, mixes off, and dissolves fade.
func TestACutListIsLaid(t *testing.T) {
	s := start(t, "")
	p := s.production()
	const at = 22 * 3600 * 48000
	file := filepath.Join(t.TempDir(), "21A-3.wav")
	channels := make([][]float64, 8)
	for c := range channels {
		channels[c] = make([]float64, 48000)
		for i := range channels[c] {
			channels[c][i] = math.Sin(float64(i*(c+1)) / 50)
		}
	}
	o := wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 8}, Bext: &wave.Bext{TimeReference: at}}
	testmedia.WriteAs(t, file, o, channels...)
	s.uploadFile(p, file)
	s.settled(p, 1)
	var cells []any
	for i, st := range s.takes(p)[0].Strands[:3] {
		cells = append(cells, map[string]any{"row": st.Id, "field": "label", "value": []string{"MixL", "MixR", "Boom"}[i]})
	}
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "label", "cells": cells}, nil))
	var r contract.Reel
	require.Equal(t, 201, s.call("POST", "/api/productions/"+p+"/reels", map[string]any{"name": "Cut"}, &r))
	path := "/api/reels/" + r.Id.String() + "/cut-list"
	tk := s.takes(p)[0]
	tc := func(frames int64) string {
		f := at/1920 + frames // 1920 samples a frame
		return fmt.Sprintf("%02d:%02d:%02d:%02d", f/90000, f/1500%60, f/25%60, f%25)
	}
	list := fmt.Sprintf(`TITLE: Ferry
001  R1  V  C      %s %s 10:00:00:00 10:00:00:10
* FROM CLIP NAME: %s
002  R1  V  C      %s %s 10:00:00:10 10:00:00:10
002  R1  V  D 005  %s %s 10:00:00:10 10:00:00:15
* TO CLIP NAME: %s
003  R9  V  C      23:00:00:00 23:00:01:00 10:00:01:00 10:00:02:00
* FROM CLIP NAME: elsewhere
`, tc(2), tc(12), tk.Name, tc(0), tc(0), tc(14), tc(19), tk.Name)
	var c contract.CutList
	require.Equal(t, 200, s.call("POST", path, map[string]any{"text": list}, &c))
	require.Len(t, c.Events, 3)
	assert.Equal(t, []any{"Ferry", contract.Edl, "10:00:00:00"}, []any{c.Title, c.Kind, c.Events[0].Timecode})
	assert.Len(t, c.Events[0].Takes, 1)
	assert.Empty(t, c.Events[2].Takes)
	assert.Contains(t, c.Events[2].Says, "elsewhere")
	assert.Equal(t, r.Version, s.reelAt(r).Version, "nothing is laid yet")

	var e contract.ReelEdited
	require.Equal(t, 200, s.call("POST", path+"/lay", map[string]any{"text": list, "handle": 480}, &e))
	now := s.reelAt(r)
	ten := int64(36000 * 48000)
	var boom []string
	ties := map[string]int{}
	for _, tr := range now.Doc.Tracks {
		for _, cl := range tr.Clips {
			ties[cl.Tie]++
			if tr.Label == "Boom" {
				boom = append(boom, fmt.Sprintf("%d+%d of %d, in %d out %d", cl.At-ten, cl.Length, cl.In, cl.FadeIn.Length, cl.FadeOut.Length))
			}
		}
		if tr.Label == "MixL" {
			assert.True(t, tr.Off)
		}
	}
	// The first has a handle before it; it goes on for five frames under what fades in. The second has a handle behind.
	assert.Equal(t, []string{"-480+29280 of 3360, in 0 out 9600", "19200+10080 of 26880, in 9600 out 0"}, boom)
	assert.Len(t, ties, 2)
	for _, n := range ties {
		assert.Equal(t, 8, n, "every strand of the take, tied")
	}
	// Tracks are written as lists of their own, by whole frames: the first clip begins a quarter of a frame before one.
	var written []cutlist.Event
	for _, tr := range now.Doc.Tracks {
		if tr.Label != "Boom" {
			continue
		}
		code, head, text := s.get("/api/reels/" + r.Id.String() + "/edl?track=" + tr.ID)
		require.Equal(t, 200, code)
		assert.Contains(t, head.Get("Content-Disposition"), "Test Cut Boom.edl")
		back, err := cutlist.Parse(text, timecode.Rate{Num: 25, Den: 1}, 48000, nil)
		require.NoError(t, err, string(text))
		written = append(written, back.Events...)
	}
	require.Len(t, written, 2)
	assert.Equal(t, cutlist.Event{Number: "001", Name: tk.Name, Reel: "21A-3", File: "21A-3.wav", In: at + 2*1920, At: ten, Length: 15 * 1920}, written[0])
	assert.Equal(t, []int64{at + 26880, ten + 19200}, []int64{written[1].In, written[1].At})
	status, _, _ := s.get("/api/reels/" + r.Id.String() + "/edl?track=none")
	assert.Equal(t, 404, status)
	// The second version: the first event is ten frames later, the dissolve is gone, and one has come.
	second := fmt.Sprintf(`TITLE: Ferry 2
001  R1  V  C      %s %s 10:00:00:10 10:00:00:20
* FROM CLIP NAME: %s
002  R1  V  C      %s %s 10:00:02:00 10:00:02:02
* FROM CLIP NAME: %s
`, tc(2), tc(12), tk.Name, tc(22), tc(24), tk.Name)
	require.Equal(t, 200, s.call("POST", path, map[string]any{"text": second}, &c))
	assert.Equal(t, []contract.CutEventSince{contract.CutEventSinceMoved, contract.CutEventSinceNew}, []contract.CutEventSince{c.Events[0].Since, c.Events[1].Since})
	assert.Equal(t, []contract.GoneEvent{{Name: tk.Name, Timecode: "10:00:00:10"}}, c.Gone)
	require.Equal(t, 200, s.call("POST", path+"/lay", map[string]any{"text": second}, &e))
	for _, tr := range s.reelAt(r).Doc.Tracks {
		if tr.Label == "Boom" && len(tr.Clips) > 0 {
			for _, cl := range tr.Clips {
				assert.Contains(t, []int64{ten + 19200 - 480, ten + 96000}, cl.At)
			}
		}
	}
	for range 2 {
		require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	}
	assert.Empty(t, s.reelAt(r).Doc.Tracks)
	var problem contract.Problem
	assert.Equal(t, 422, s.call("POST", path, map[string]any{"text": "not a list"}, &problem))
	assert.Equal(t, "bad_cut_list", problem.Code)
	assert.Equal(t, 422, s.call("POST", path+"/lay", map[string]any{"text": "source_in,source_out,record_in\n01:00:00:00,01:00:01:00,01:00:00:00\n"}, &problem))
	assert.Equal(t, "nothing_to_lay", problem.Code)
}

func (s *server) reelAt(r contract.Reel) (now contract.Reel) {
	require.Equal(s.t, 200, s.call("GET", "/api/reels/"+r.Id.String(), nil, &now))
	return now
}
