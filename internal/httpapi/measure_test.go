package httpapi_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// A reel is measured against limits, and after an edit but what it touches.
func TestReelsAreMeasured(t *testing.T) {
	s := start(t, "")
	p := s.production()
	x := make([]float64, 48000*35)
	for i := range x { // a square wave of 500 Hz, soft, and loud from 20 to 30 s
		x[i] = 0.05
		if i >= 48000*20 && i < 48000*30 {
			x[i] = 0.9
		}
		if i/48%2 == 1 {
			x[i] = -x[i]
		}
	}
	path := filepath.Join(t.TempDir(), "tone.wav")
	testmedia.Write(t, path, audio.S24, 48000, x)
	s.uploadFile(p, path)
	s.settled(p, 1)
	take := s.takes(p)[0]
	require.Equal(t, 200, s.call("POST", "/api/reels/"+s.reel(p).Id.String()+"/takes", map[string]any{"takes": []string{take.Id.String()}}, nil))
	r := s.reel(p)
	track := r.Doc.Tracks[0].ID
	send := func(version int64, gain float64) int64 {
		var after contract.ReelEdited
		require.Equal(t, 200, s.call("POST", "/api/reels/"+r.Id.String()+"/edits", map[string]any{"version": version, "what": "send", "actions": []any{map[string]any{"set_sends": map[string]any{"from": track, "sends": []any{map[string]any{"to": "DX", "gain_db": gain, "patch": map[string]any{"preset": "both"}}}}}}}, &after))
		return after.Version
	}
	version := send(r.Version, 0)
	measured := func(limits string) (m contract.Measurement) {
		for range 50 {
			require.Equal(t, 200, s.call("GET", "/api/reels/"+r.Id.String()+"/measurement?limits="+limits, nil, &m))
			if m.Done == m.Total {
				return m
			}
		}
		t.Fatal("it does not come to an end")
		return m
	}
	m := measured("r128-short")
	require.Len(t, m.Buses, 4)
	assert.Equal(t, 16, m.Total, "four stems of four chunks")
	dx := m.Buses[0]
	assert.Equal(t, "DX", dx.Name)
	require.NotNil(t, dx.IntegratedLufs)
	assert.Len(t, *dx.ShortTermLine, 350)
	assert.Nil(t, m.Buses[1].IntegratedLufs, "nothing is in MX")
	require.Len(t, dx.Verdicts, 3)
	assert.False(t, dx.Verdicts[0].Pass)
	require.NotEmpty(t, dx.Breaks)
	assert.Equal(t, "short-term loudness", dx.Breaks[0].What)
	start := r.Doc.Tracks[0].Clips[0].At
	assert.InDelta(t, start+48000*20, dx.Breaks[0].From, 48000*3)
	assert.Contains(t, dx.Breaks[0].Says, "LU too high")

	loud := *dx.IntegratedLufs
	send(version, -6)
	m = measured("a85")
	assert.InDelta(t, loud-6, *m.Buses[0].IntegratedLufs, 0.2)
	assert.Equal(t, "ATSC A/85", m.Limits.Name)
	var problem contract.Problem
	assert.Equal(t, 400, s.call("GET", "/api/reels/"+r.Id.String()+"/measurement?limits=nobody", nil, &problem))
}
