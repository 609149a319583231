package app_test

import (
	"math"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/core/audio"
	"zestyloom/core/monitor"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

const hour = 3600 * 48000

// playing plays from a sample on.
func playing(rate int, from int64) monitor.Order { return monitor.Order{Rate: rate, From: from} }

// speech is something that has a course: noise in bursts.
func speech(seed uint64, frames int) []float64 {
	rnd := rand.New(rand.NewPCG(seed, 5))
	x := make([]float64, frames)
	loud, y := 0.0, 0.0
	for i := range x {
		if i%4800 == 0 {
			loud = rnd.Float64() * rnd.Float64() * 0.5
		}
		y += 0.4 * (rnd.NormFloat64() - y)
		x[i] = math.Max(-0.9, math.Min(0.9, loud*y))
	}
	return x
}

// record takes a recording in that says scene, take, roll and start, and returns its take.
func (f *fixture) record(name, scene, roll string, start int64, channels ...[]float64) store.Take {
	f.t.Helper()
	path := filepath.Join(f.t.TempDir(), name)
	x := wave.NewIXML()
	for _, v := range [][2]string{{"SCENE", scene}, {"TAKE", "1"}, {"TAPE", roll}} {
		x.Set(v[0], v[1])
	}
	testmedia.WriteAs(f.t, path, wave.Options{
		Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: len(channels)}, IXML: x,
		Bext: &wave.Bext{OriginationDate: "2026-03-14", TimeReference: uint64(start), Version: 1},
	}, channels...)
	file := f.takeFile(path, name)
	strands, err := f.Store.StrandsOfFiles(f.ctx, []uuid.UUID{file.ID})
	require.NoError(f.t, err)
	t, err := f.Store.Take(f.ctx, strands[0].TakeID)
	require.NoError(f.t, err)
	return t
}

// again is a take as it is now.
func (f *fixture) again(t store.Take) store.Take {
	f.t.Helper()
	now, err := f.Store.Take(f.ctx, t.ID)
	require.NoError(f.t, err)
	return now
}

// compared proposes pairs and has all of them compared.
func (f *fixture) compared() (out []store.Sync) {
	f.t.Helper()
	_, err := f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(f.t, err)
	rows, err := f.Store.Syncs(f.ctx, f.p.ID)
	require.NoError(f.t, err)
	for _, r := range rows {
		require.NoError(f.t, f.Align(f.ctx, r.ID))
		r, err := f.Store.Sync(f.ctx, r.ID)
		require.NoError(f.t, err)
		out = append(out, r)
	}
	return out
}

// A second recorder whose clock ran fast is lined up while it lies in the reel: its clips move along, its
// drift is corrected, and its last sample is where its sound was heard.
func TestADriftingRecorderIsCorrected(t *testing.T) {
	f := setup(t)
	const seconds, ppm = 75, 100.0
	scene := speech(1, (seconds+1)*48000)
	f.record("A.wav", "30", "A1", 10*hour, scene[:seconds*48000], scene[:seconds*48000])
	fast := make([]float64, seconds*48000)
	for i := range fast { // between samples by a straight line: good enough to be found and corrected
		at := float64(i)/(1+ppm*1e-6) + 1000.0
		k := int(at)
		fast[i] = scene[k] + (at-float64(k))*(scene[k+1]-scene[k])
	}
	b := f.record("B.wav", "30", "B1", 10*hour, fast)
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{b.ID}, false))
	require.NoError(t, err)
	before := r.Doc.Tracks[0].Clips[0]
	assert.EqualValues(t, 10*hour, before.At)

	pairs := f.compared()
	require.Len(t, pairs, 1)
	require.Equal(t, "aligned", pairs[0].State, pairs[0].Body.Reason)
	assert.InDelta(t, ppm, pairs[0].Body.Drift, 1)
	f.decide(pairs[0].ID, true)
	now := f.again(b)
	assert.InDelta(t, 10*hour+1000, float64(*now.StartSamples), 2)
	assert.InDelta(t, ppm, now.DriftSet, 1)
	r, err = f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	after := r.Doc.Tracks[0].Clips[0]
	assert.Equal(t, *now.StartSamples, after.At)
	assert.InDelta(t, float64(before.Length)/(1+ppm*1e-6), float64(after.Length), 2)
	h, err := f.Listen(f.ctx, []string{after.Strands[0]}, app.Listening{Order: playing(48000, after.Length-4800)})
	require.NoError(t, err)
	defer h.Close()
	block, err := h.Next(f.ctx)
	require.NoError(t, err)
	at := int(after.At-10*hour) + int(after.Length-4800)
	for i, v := range block.Sound[0] {
		require.InDelta(t, scene[at+i], v, 0.15, "sample %d before the end: %g ppm are 360 samples by then", i-4800, ppm)
	}
	f.undo()
	r, err = f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, before, r.Doc.Tracks[0].Clips[0])
	assert.Zero(t, f.again(b).DriftSet)
}

// A camera that ran through several takes: what they say of it agrees, and is accepted together.
func TestSeveralTakesOfOneCamera(t *testing.T) {
	f := setup(t)
	scene := speech(2, 60*48000)
	const start = 10 * hour
	for i, at := range []int64{2, 20, 42} {
		f.record(string(rune('A'+i))+".wav", string(rune('1'+i)), "A1", start+at*48000, scene[at*48000:(at+14)*48000], scene[at*48000:(at+14)*48000])
	}
	cam := f.record("CAM_B_0001.wav", "", "", start+100*48000, scene)
	rows, err := f.Store.FilesAfter(f.ctx, f.p.ID, uuid.UUID{}, 10)
	require.NoError(t, err)
	for _, r := range rows {
		if r.Name == "CAM_B_0001.wav" { // it has a picture
			_, err := f.Store.Pool.Exec(f.ctx, `UPDATE files SET facts = facts || '{"picture": {"width": 16}}' WHERE id = $1`, r.ID)
			require.NoError(t, err)
		}
	}
	pairs := f.compared()
	require.Len(t, pairs, 3)
	for _, p := range pairs {
		require.Equal(t, "aligned", p.State, p.Body.Reason)
	}

	// Somebody moves one by hand, and takes that back.
	require.NoError(t, f.NudgeSync(f.ctx, pairs[0].ID, 480, 0))
	assert.Equal(t, "stale", code(f.NudgeSync(f.ctx, pairs[0].ID, 1, 0)))
	f.undo()
	s, err := f.Store.Sync(f.ctx, pairs[0].ID)
	require.NoError(t, err)
	assert.Zero(t, s.Nudge)

	left := int64(480)
	_, err = f.DecideSync(f.ctx, pairs[0].ID, app.Decision{Accept: true, Nudge: &left})
	assert.Equal(t, "stale", code(err), "decided on where it was meanwhile")
	assert.Equal(t, 2, f.decide(pairs[0].ID, true), "the two others say the same")
	assert.InDelta(t, start, float64(*f.again(cam).StartSamples), 1)
	all, err := f.Store.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	for _, p := range all {
		assert.Equal(t, "accepted", p.State)
	}
	assert.Equal(t, "ended", code(f.NudgeSync(f.ctx, pairs[0].ID, 1, 0)))
	f.undo()
	assert.Equal(t, cam.StartSamples, f.again(cam).StartSamples)

	// Its clock is set right for the day: what it filmed next meets its take by timecode.
	require.NoError(t, f.SetClock(f.ctx, pairs[0].ID, true))
	clocks, err := f.Store.Clocks(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, clocks, 1)
	assert.Equal(t, []any{"CAM_B", "2026-03-14"}, []any{clocks[0].Camera, clocks[0].Day})
	assert.InDelta(t, -100*48000, float64(clocks[0].Late), 1)
	_, err = f.DecideSync(f.ctx, pairs[1].ID, app.Decision{Accept: true, ByTimecode: true})
	require.NoError(t, err)
	assert.InDelta(t, start, float64(*f.again(cam).StartSamples), 1, "by its timecode, the clock set right")
	f.undo()
	f.undo()
	clocks, err = f.Store.Clocks(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Empty(t, clocks)

	// Both are heard where they lie, and little is left of one without the other.
	h, err := f.ListenToPair(f.ctx, pairs[0].ID, nil, nil, app.Listening{Order: playing(0, 48000)})
	require.NoError(t, err)
	defer h.Close()
	block, err := h.Next(f.ctx)
	require.NoError(t, err)
	assert.InDeltaSlice(t, block.Sound[0], block.Sound[1], 1e-6, "the same sound at the same time")
	d, err := f.Difference(f.ctx, pairs[0].ID, nil, nil, 0, 48000, 50)
	require.NoError(t, err)
	assert.Less(t, d.LeftDB, -100.0)
	_, err = f.ListenToPair(f.ctx, uuid.New(), nil, nil, app.Listening{})
	assert.ErrorIs(t, err, app.ErrNotFound)
}

// What can't be told by ear can still be lined up by timecode, and only by that.
func TestByTimecodeAlone(t *testing.T) {
	f := setup(t)
	f.record("A.wav", "5", "A1", 10*hour, speech(3, 20*48000), speech(3, 20*48000))
	b := f.record("B.wav", "5", "B1", 10*hour+777, speech(4, 18*48000))
	pairs := f.compared()
	require.Len(t, pairs, 1)
	require.NotEqual(t, align.Certain, pairs[0].Body.Certainty)
	if pairs[0].State == "none" {
		assert.Equal(t, "not_aligned", f.decideCode(pairs[0].ID))
	}
	require.NoError(t, f.NudgeSync(f.ctx, pairs[0].ID, 3, 0))
	_, err := f.DecideSync(f.ctx, pairs[0].ID, app.Decision{Accept: true, ByTimecode: true})
	require.NoError(t, err)
	assert.EqualValues(t, 10*hour+780, *f.again(b).StartSamples)
}

// A strand that is let go shows how far from home it is, its clips move with it, and one action brings
// it home.
func TestLetGoAndBroughtHome(t *testing.T) {
	f := setup(t)
	x := speech(5, 5*48000)
	tk := f.record("A.wav", "5", "A1", 10*hour, x, speech(6, 5*48000))
	st := f.strands(tk)
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	_, err = f.LayTakes(f.ctx, r.ID, []uuid.UUID{tk.ID}, false)
	require.NoError(t, err)
	require.NoError(t, f.SetDetached(f.ctx, st[0].ID, true, 0, 0))
	require.NoError(t, f.SetDetached(f.ctx, st[0].ID, true, 1920, 0))
	assert.Equal(t, "stale", code(f.SetDetached(f.ctx, st[0].ID, true, 5, 0)))
	assert.Equal(t, "too_far", code(f.SetDetached(f.ctx, st[0].ID, true, 2*hour, 1920)))
	at := func() (ats []int64) {
		r, err = f.Store.ReelOf(f.ctx, f.p.ID)
		require.NoError(t, err)
		for _, tr := range r.Doc.Tracks {
			ats = append(ats, tr.Clips[0].At)
		}
		return ats
	}
	assert.Equal(t, []int64{10*hour + 1920, 10 * hour}, at(), "the other stays")
	detached, err := f.DetachedInReel(f.ctx, f.p, r.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]int64{st[0].ID.String(): 1920}, detached)
	h, err := f.Listen(f.ctx, []string{st[0].ID.String(), st[1].ID.String()}, app.Listening{Order: playing(0, 1920)})
	require.NoError(t, err)
	defer h.Close()
	b, err := h.Next(f.ctx)
	require.NoError(t, err)
	assert.InDelta(t, x[5], b.Sound[0][5], 1e-6, "in its take it is heard where it lies now")

	require.NoError(t, f.SetDetached(f.ctx, st[0].ID, false, 0, 1920))
	assert.Equal(t, []int64{10 * hour, 10 * hour}, at())
	f.undo()
	assert.Equal(t, []int64{10*hour + 1920, 10 * hour}, at())
	f.undo()
	f.undo()
	assert.Equal(t, []int64{10 * hour, 10 * hour}, at())
	s, err := f.Store.Strand(f.ctx, st[0].ID)
	require.NoError(t, err)
	assert.False(t, s.Detached)
}

// The members of a set arrive one by one: how they are read follows what is there, until a person has said
// how.
func TestReadingsFollowTheMembers(t *testing.T) {
	f := setup(t)
	var files []store.File
	for i, speaker := range []string{"L", "C", "R", "Ls", "Rs", "LFE"} {
		path := filepath.Join(t.TempDir(), "x.wav")
		testmedia.Write(t, path, audio.S24, 48000, speech(uint64(20+i), 4800))
		files = append(files, f.takeFile(path, "EP2_DX_"+string(rune('1'+i))+"_"+speaker+".wav"))
	}
	ts := f.takes()
	require.Len(t, ts, 1)
	five := take.Reading{Kind: take.Surround, Positions: []int{1, 2, 3, 4, 5, 6}, Order: []audio.Speaker{"L", "R", "C", "LFE", "Ls", "Rs"}, From: take.FromSet, Why: "the names of its files say so"}
	assert.Equal(t, []take.Reading{five}, ts[0].Readings)
	require.NoError(t, f.edit(cell(ts[0].ID, "readings", []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}})))
	require.NoError(t, f.MoveFile(f.ctx, files[5].ID, nil))
	assert.Equal(t, []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}, f.again(ts[0]).Readings, "what was said by hand stays")
	for _, tk := range f.takes() {
		if tk.ID != ts[0].ID {
			assert.Empty(t, tk.Readings, "one by itself is read with nothing")
		}
	}
}

// Once a camera's clock is set right for its day, what it filmed meets by timecode the take that it heard,
// and no other has to be tried; on another day its clock counts as it is.
func TestAClockThatWasOffIsRemembered(t *testing.T) {
	f := setup(t)
	scene := speech(7, 60*48000)
	const late = 7211 * 48000
	f.record("A.wav", "1", "A1", 10*hour, scene[:14*48000], scene[:14*48000])
	f.record("B.wav", "2", "A1", 10*hour+40*48000, scene[40*48000:54*48000], scene[40*48000:54*48000])
	camera := func(name string, at int64) store.Take {
		heard := scene[at*48000 : (at+10)*48000]
		tk := f.record(name, "", "", 10*hour+at*48000-late, heard, heard)
		_, err := f.Store.Pool.Exec(f.ctx, `UPDATE files SET facts = facts || '{"picture": {"width": 16}}' WHERE name = $1`, name)
		require.NoError(t, err)
		return tk
	}
	camera("CAM_A_0001.wav", 2)
	pairs := f.compared()
	require.Len(t, pairs, 2, "its timecode meets neither: both are tried")
	var right store.Sync
	for _, p := range pairs {
		if p.State == "aligned" {
			right = p
		}
	}
	require.NoError(t, f.SetClock(f.ctx, right.ID, true))
	second := camera("CAM_A_0002.wav", 42)
	added, err := f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, added, "only the take that it meets by its clock set right")
	rows, err := f.Store.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	i := slices.IndexFunc(rows, func(s store.Sync) bool { return s.Take == second.ID })
	assert.Contains(t, rows[i].Why, "10.0 s in common")
	require.NoError(t, f.Align(f.ctx, rows[i].ID))
	_, err = f.DecideSync(f.ctx, rows[i].ID, app.Decision{Accept: true, ByTimecode: true})
	require.NoError(t, err)
	assert.InDelta(t, 10*hour+42*48000, float64(*f.again(second).StartSamples), 1)

	other := camera("CAM_A_0003.wav", 20)
	_, err = f.Store.Pool.Exec(f.ctx, `UPDATE takes SET day = '2026-03-15' WHERE id = $1`, other.ID)
	require.NoError(t, err)
	_, err = f.ProposeSyncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	rows, err = f.Store.Syncs(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.False(t, slices.ContainsFunc(rows, func(s store.Sync) bool { return s.Take == other.ID }), "of another day, and its timecode meets nothing")
}
