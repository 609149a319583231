package httpapi_test

import (
	"fmt"
	"math"
	"net/url"
	"path/filepath"
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/wave"
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
	require.Len(t, m.Buses, 7, "four stems, and three groups of outputs that are stems as they are")
	assert.Equal(t, "DX", *m.Buses[4].As)
	assert.Equal(t, m.Buses[0].IntegratedLufs, m.Buses[4].IntegratedLufs)
	assert.Empty(t, m.Buses[4].Verdicts, "it is not asked twice")
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

	for _, kind := range []string{"csv", "pdf"} {
		resp, says := s.ask("GET", "/api/reels/"+r.Id.String()+"/measurement."+kind+"?limits=r128-short", nil, nil)
		require.Equal(t, 200, resp.StatusCode)
		assert.Contains(t, resp.Header.Get("Content-Disposition"), "loudness."+kind)
		assert.Contains(t, says, map[string]string{"csv": "integrated loudness,-23.0 LUFS ± 0.5 LU", "pdf": "%PDF-"}[kind])
	}

	loud := *dx.IntegratedLufs
	send(version, -6)
	m = measured("a85")
	assert.InDelta(t, loud-6, *m.Buses[0].IntegratedLufs, 0.2)
	assert.Equal(t, "ATSC A/85", m.Asked)
	var problem contract.Problem
	assert.Equal(t, 400, s.call("GET", "/api/reels/"+r.Id.String()+"/measurement?limits=nobody", nil, &problem))

	// Limits of one's own, and those of the specification that the reel is held against, which asks for none.
	m = measured("own&own=" + url.QueryEscape(`{"name":"ours","integrated_lufs":-20,"max_true_peak_dbtp":-3}`))
	assert.Equal(t, "ours", m.Asked)
	assert.Len(t, m.Buses[0].Verdicts, 2)
	m = measured("spec")
	assert.Empty(t, m.Buses[0].Verdicts)
	assert.Equal(t, 422, s.call("GET", "/api/reels/"+r.Id.String()+"/measurement?limits=own&own=%7B%7D", nil, &problem))
	assert.Equal(t, "bad_limits", problem.Code)
}

// A correction of a mix is one gain of all its stems: what is foreseen is what is measured after it, the mix is still the
// sum of its stems, and it is undone in one step.
func TestAMixIsCorrectedWithItsStems(t *testing.T) {
	s := start(t, "")
	p, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	send := func(track, stem string) map[string]any {
		return map[string]any{"set_sends": map[string]any{"from": track, "sends": []any{map[string]any{"to": stem, "gain_db": -6, "patch": map[string]any{"preset": "both"}}}}}
	}
	add := map[string]any{"weave": map[string]any{"add_bus": map[string]any{"bus": map[string]any{"id": "full", "name": "Full mix", "role": "mix", "layout": "stereo"}, "members": []any{map[string]any{"bus": "DX", "gain_db": 0}, map[string]any{"bus": "MX", "gain_db": 0}}}}}
	var after contract.ReelEdited
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "x", "actions": []any{send(r.Doc.Tracks[2].ID, "DX"), send(r.Doc.Tracks[4].ID, "MX"), add}}, &after))
	var c contract.Correction
	require.Equal(t, 200, s.worked("POST", path+"/correction", map[string]any{"bus": "full", "integrated_lufs": -30, "stems": true}, &c))
	assert.ElementsMatch(t, []string{"DX", "MX"}, c.Buses)
	assert.InDelta(t, -30, *c.Foreseen.IntegratedLufs, 0.05)
	weave := func(change map[string]any) {
		require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": after.Version, "what": "correct", "actions": []any{map[string]any{"weave": change}}}, &after))
	}
	weave(map[string]any{"set_correction": map[string]any{"correction": c.Correction}})
	require.Len(t, after.Changes.Routing.Corrections, 1)
	measured := func() contract.MeasuredBus {
		var m contract.Measurement
		for m.Total == 0 || m.Done < m.Total {
			require.Equal(t, 200, s.call("GET", path+"/measurement", nil, &m))
		}
		i := slices.IndexFunc(m.Buses, func(b contract.MeasuredBus) bool { return b.Name == "Full mix" })
		return m.Buses[i]
	}
	full := measured()
	require.NotNil(t, full.Before)
	assert.InDelta(t, *c.Before.IntegratedLufs, *full.Before.IntegratedLufs, 1e-9)
	require.NotNil(t, full.Correction)
	assert.False(t, full.Correction.Stale)
	assert.NotNil(t, full.Dialogue, "DX is speech")
	assert.InDelta(t, -30, *full.IntegratedLufs, 0.05)
	var nulls []contract.NullFigure
	require.Equal(t, 200, s.call("GET", path+"/weave/nulls", nil, &nulls))
	if nulls[0].WorstDb != nil {
		assert.Less(t, *nulls[0].WorstDb, -130.0, "within steps of 24 bits")
	}
	// Another sound than that for which it was worked out is said, and made anew it is right again.
	weave(map[string]any{"set_levels": map[string]any{"levels": map[string]any{"MX": map[string]any{"gain_db": -2}}}})
	full = measured()
	assert.True(t, full.Correction.Stale)
	require.Equal(t, 200, s.worked("POST", path+"/correction", map[string]any{"bus": "full", "integrated_lufs": -30, "max_true_peak_dbtp": -14, "stems": true}, &c))
	assert.Equal(t, full.Correction.Correction.ID, c.Correction.ID, "it takes the place of the one that is there")
	weave(map[string]any{"set_correction": map[string]any{"correction": c.Correction}})
	full = measured()
	assert.False(t, full.Correction.Stale)
	assert.InDelta(t, -30, *full.IntegratedLufs, 0.1)
	assert.LessOrEqual(t, full.TruePeak.Value, -13.95)
	require.Equal(t, 200, s.call("GET", path+"/weave/nulls", nil, &nulls))
	if nulls[0].WorstDb != nil {
		assert.Less(t, *nulls[0].WorstDb, -130.0, "with peaks held, too")
	}
	// It is turned off and on, drawn in, and taken off.
	id := full.Correction.Correction.ID
	weave(map[string]any{"alter_correction": map[string]any{"id": id, "off": true}})
	full = measured()
	assert.Nil(t, full.Before)
	weave(map[string]any{"alter_correction": map[string]any{"id": id, "off": false, "gain": []any{map[string]any{"at": r.Doc.Tracks[2].Clips[0].At, "value": -6}}}})
	assert.True(t, measured().Correction.Correction.ByHand)
	weave(map[string]any{"remove_correction": map[string]any{"id": id}})
	assert.Nil(t, measured().Correction)
	assert.Equal(t, 422, s.call("POST", path+"/edits", map[string]any{"version": after.Version, "what": "x", "actions": []any{map[string]any{"weave": map[string]any{"remove_correction": map[string]any{"id": id}}}}}, nil))
	require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/undo", nil, nil))
	assert.Len(t, s.reel(p).Doc.Weave.Corrections, 1)
	var problem contract.Problem
	assert.Equal(t, 422, s.call("POST", path+"/correction", map[string]any{"bus": "full", "integrated_lufs": -69}, &problem))
	assert.Equal(t, "not_reached", problem.Code)
	assert.Equal(t, 422, s.call("POST", path+"/correction", map[string]any{"bus": "nobody", "integrated_lufs": -23}, &problem))
}

// A take is measured by itself: what is one sound in it as that, with its figures as of the file.
func TestATakeIsMeasured(t *testing.T) {
	s := start(t, "")
	p := s.production()
	left, right := make([]float64, 48000*6), make([]float64, 48000*6)
	for i := range left {
		left[i] = 0.25 * math.Sin(2*math.Pi*997*float64(i)/48000)
		right[i] = left[i]
	}
	path := filepath.Join(t.TempDir(), "tone.wav")
	testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: 2, Mask: 3}}, left, right)
	s.uploadFile(p, path)
	s.settled(p, 1)
	take := s.takes(p)[0]
	var m contract.Measurement
	for m.Total == 0 || m.Done < m.Total {
		require.Equal(t, 200, s.call("GET", "/api/takes/"+take.Id.String()+"/measurement?limits=a85", nil, &m))
	}
	require.NotEmpty(t, m.Buses)
	// A sine of 997 Hz at -12.04 dBFS on two channels: -12.04 LUFS, by the definition of the scale.
	total := 0.0
	for _, b := range m.Buses {
		require.NotNil(t, b.IntegratedLufs, b.Name)
		total += math.Pow(10, *b.IntegratedLufs/10)
		assert.InDelta(t, -12.04, b.TruePeak.Value, 0.05)
	}
	assert.InDelta(t, -12.04, 10*math.Log10(total), 0.05)
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", "/api/takes/"+take.Id.String()+"/measurement?limits=spec", nil, &problem))
	assert.Equal(t, 404, s.call("GET", "/api/takes/"+uuid.NewString()+"/measurement", nil, &problem))
}

// loud is the power of what is heard on the left, in dB.
func (s *server) loud(path string) float64 {
	sum := 0.0
	for _, v := range s.heard(path).sound[0] {
		sum += float64(v) * float64(v)
	}
	return 10 * math.Log10(sum)
}

// What is heard of a corrected reel is it without the correction where that is asked for, as loud as is asked for.
func TestBeforeACorrectionIsHeard(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	sent := map[string]any{"set_sends": map[string]any{"from": r.Doc.Tracks[2].ID, "sends": []any{map[string]any{"to": "DX", "gain_db": 0, "patch": map[string]any{"preset": "both"}}}}}
	correct := map[string]any{"weave": map[string]any{"set_correction": map[string]any{"correction": map[string]any{"bus": "DX", "buses": []string{"DX"}, "target": map[string]any{}, "gain_db": -20, "print": ""}}}}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "x", "actions": []any{sent, correct}}, nil))
	at := r.Doc.Tracks[2].Clips[0].At
	loud := func(query string) float64 {
		return s.loud(fmt.Sprintf("%s/sound?bus=DX&from=%d&to=%d%s", path, at, at+9600, query))
	}
	now := loud("")
	require.False(t, math.IsInf(now, 0))
	assert.InDelta(t, now+20, loud("&uncorrected=true"), 0.01)
	assert.InDelta(t, now, loud("&uncorrected=true&gain_db=-20"), 0.01)
}

// What is heard before a treatment is as loud as after it, and another sound.
func TestBeforeATreatmentIsHeard(t *testing.T) {
	s := start(t, "")
	_, r := s.laid()
	path := "/api/reels/" + r.Id.String()
	track := r.Doc.Tracks[2]
	chain := map[string]any{"compressor": map[string]any{"threshold_db": 0, "ratio": 1, "attack_ms": 1, "release_ms": 50, "makeup_db": 9}}
	actions := []any{
		map[string]any{"set_sends": map[string]any{"from": track.ID, "sends": []any{map[string]any{"to": "DX", "gain_db": 0, "patch": map[string]any{"preset": "both"}}}}},
		map[string]any{"set_track": map[string]any{"id": track.ID, "gain_db": -20}},
	}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version, "what": "x", "actions": actions}, nil))
	at := track.Clips[0].At
	loud := func(query string) float64 {
		return s.loud(fmt.Sprintf("%s/sound?bus=DX&from=%d&to=%d%s", path, at, at+9600, query))
	}
	was := loud("")
	treated := map[string]any{"set_track": map[string]any{"id": track.ID, "treat": chain}}
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": r.Version + 1, "what": "x", "actions": []any{treated}}, nil))
	assert.InDelta(t, was+9, loud(""), 0.05)
	assert.InDelta(t, was+9, loud("&untreated="+track.ID), 0.05)
	var shown contract.TreatShown
	require.Equal(t, 200, s.call("POST", path+"/treatment", map[string]any{"high_pass": map[string]any{"hz": 100, "slope": 12}}, &shown))
	assert.Equal(t, "high-pass 100 Hz 12 dB/oct", shown.Says)
	assert.Less(t, shown.Db[0], -20.0)
	var spectrum contract.Spectrum
	require.Equal(t, 200, s.call("GET", fmt.Sprintf("%s/spectrum?of=%s&from=%d&to=%d", path, track.ID, at, at+48000), nil, &spectrum))
	require.Len(t, spectrum.Db, len(spectrum.Hz))
	assert.Greater(t, slices.Max(spectrum.Db), -90.0)
	var down contract.Reduction
	require.Equal(t, 200, s.call("GET", fmt.Sprintf("%s/reduction?of=%s&from=%d&to=%d&points=20", path, track.ID, at, at+48000), nil, &down))
	require.Len(t, *down.Compressor, 20)
	assert.Nil(t, down.DeEsser)
	var problem contract.Problem
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("%s/reduction?of=gone&from=%d&to=%d&points=20", path, at, at+48000), nil, &problem))
	assert.Equal(t, 422, s.call("GET", fmt.Sprintf("%s/spectrum?of=gone&from=%d&to=%d", path, at, at+48000), nil, &problem))
}

// Treatments are kept under a name, replaced, and forgotten; what is kept is never off.
func TestKeptTreatments(t *testing.T) {
	s := start(t, "")
	var all []contract.KeptTreatment
	require.Equal(t, 200, s.call("GET", "/api/treatments", nil, &all))
	require.Empty(t, all)
	keep := func(name string, hz int) (contract.KeptTreatment, int) {
		var kept contract.KeptTreatment
		code := s.call("POST", "/api/treatments", map[string]any{"name": name, "chain": map[string]any{"off": true, "high_pass": map[string]any{"hz": hz, "slope": 18}}}, &kept)
		return kept, code
	}
	first, code := keep(" Boom indoors ", 80)
	require.Equal(t, 200, code)
	assert.Equal(t, "Boom indoors", first.Name)
	assert.Equal(t, "high-pass 80 Hz 18 dB/oct", first.Says)
	again, _ := keep("Boom indoors", 100)
	assert.Equal(t, first.Id, again.Id)
	_, _ = keep("Ambience", 40)
	require.Equal(t, 200, s.call("GET", "/api/treatments", nil, &all))
	require.Len(t, all, 2)
	assert.Equal(t, "Ambience", all[0].Name)
	assert.Equal(t, 100.0, all[1].Chain.HighPass.Hz)
	for _, bad := range []struct {
		name string
		hz   int
	}{{"  ", 80}, {"Too low", 1}} {
		_, code := keep(bad.name, bad.hz)
		assert.Equal(t, 422, code, bad.name)
	}
	require.Equal(t, 204, s.call("DELETE", "/api/treatments/"+first.Id.String(), nil, nil))
	assert.Equal(t, 404, s.call("DELETE", "/api/treatments/"+first.Id.String(), nil, nil))
}
