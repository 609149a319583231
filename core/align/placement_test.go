package align_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

var pal = timecode.Rate{Num: 25, Den: 1}

const hour = int64(48000) * 3600

func at(samples int64) *int64 { return &samples }

func recorder(start int64) align.Take {
	return align.Take{Name: "21A-T3", Recorder: "RX8", Roll: "LF07", Day: "2026-05-04", Rate: 48000, Frames: 480000, Stated: at(start), Start: at(start)}
}

func camera(start int64, rate int) align.Take {
	return align.Take{Name: "A003C012", Day: "2026-05-04", Camera: true, Rate: rate, Frames: int64(rate) * 10, Stated: at(start), Start: at(start)}
}

func TestWhoseClockATimecodeIsOf(t *testing.T) {
	for want, take := range map[string]align.Take{
		"RX8 LF07": {Name: "x", Recorder: "RX8", Roll: "LF07"},
		"RX8":      {Name: "x", Recorder: "RX8"},
		"LF07":     {Name: "x", Roll: "LF07"},
		"A":        {Name: "A003C012", Roll: "LF07", Camera: true},
		"CAM_B":    {Name: "CAM_B_0031"},
	} {
		assert.Equal(t, want, take.Clock())
	}
}

// What was heard comes before the timecodes; without either nothing is said. A clock that is known to have been behind is
// set right first, on its day alone.
func TestAPlacementGoesByTheBestThatIsKnown(t *testing.T) {
	ref, cam := recorder(10*hour), camera(10*hour+96000, 48000)
	heard := align.Alignment{Certainty: align.Certain, Offset: 95000, DriftKnown: true, Drift: 12, Rate: 48000}
	p := align.Place(ref, cam, heard, 5, nil, pal)
	assert.Equal(t, align.BySound, p.By)
	assert.Equal(t, 95005.0, p.Offset)
	assert.Equal(t, 12.0, p.Drift)
	assert.EqualValues(t, 96000, *p.Timecode)

	heard.DriftKnown, heard.Start, heard.End = false, 94990, 95010
	heard.Offset = 94990
	assert.Equal(t, 95000.0, align.Place(ref, cam, heard, 0, nil, pal).Offset, "halved where it can't be corrected")

	none := align.Alignment{Certainty: align.None}
	late := align.Clocks{{Clock: "A", Day: "2026-05-04", Late: 44100, Rate: 44100}, {Clock: "A", Day: "2026-05-05", Late: 1, Rate: 1}}
	p = align.Place(ref, cam, none, -3, late, pal)
	assert.Equal(t, align.ByClocks, p.By)
	assert.Equal(t, 96000.0+48000-3, p.Offset)
	assert.Equal(t, 1.0, p.Late)

	cam.Stated = nil
	p = align.Place(ref, cam, none, 0, late, pal)
	assert.Equal(t, align.ByNothing, p.By)
	_, ok := p.Apart(10 * hour)
	assert.False(t, ok)
}

// Accepted, the take begins at its offset from the reference in its own samples, to the nearest one, across midnight too.
func TestWhereATakeBeginsOnceAccepted(t *testing.T) {
	heard := func(offset, drift float64) align.Alignment {
		return align.Alignment{Certainty: align.Certain, Offset: offset, DriftKnown: true, Drift: drift, Rate: 48000}
	}
	day := 24 * hour
	for _, c := range []struct {
		ref    int64
		rate   int
		offset float64
		want   int64
	}{
		{10 * hour, 48000, 96000.4, 10*hour + 96000},
		{10 * hour, 44100, 48001, 10*44100*3600 + 44101}, // 44100.92
		{10*hour + 1, 96000, 0, 20*hour + 2},
		{0, 48000, -1, day - 1},
		{day - 1, 48000, 3, 2},
	} {
		p := align.Place(recorder(c.ref), camera(0, c.rate), heard(c.offset, 12.3456), 0, nil, pal)
		start, drift, err := p.Accepted(false)
		require.NoError(t, err)
		assert.Equal(t, c.want, start, "%+v", c)
		assert.InDelta(t, 12.35, drift, 1e-9, "in steps that can be corrected")
		ms, ok := p.Apart(start)
		assert.True(t, ok)
		assert.Zero(t, ms)
		ms, _ = p.Apart(start - int64(c.rate))
		assert.Equal(t, 1000.0, ms)
	}
}

func TestAPlacementThatCantBeAccepted(t *testing.T) {
	ref, cam := recorder(10*hour), camera(10*hour, 48000)
	none := align.Alignment{Certainty: align.None}
	start, drift, err := align.Place(ref, cam, none, 7, nil, pal).Accepted(true)
	require.NoError(t, err)
	assert.Equal(t, 10*hour+7, start)
	assert.Zero(t, drift)
	_, _, err = align.Place(ref, cam, none, 0, nil, pal).Accepted(false)
	assert.Equal(t, "not_aligned", snag.Of(err).Code)

	heard := align.Alignment{Certainty: align.Certain, DriftKnown: true}
	cam.Stated = nil
	_, _, err = align.Place(ref, cam, heard, 0, nil, pal).Accepted(true)
	assert.Equal(t, "no_start", snag.Of(err).Code)
	_, err = align.Place(ref, cam, heard, 0, nil, pal).ClockError()
	assert.Equal(t, "no_start", snag.Of(err).Code)
	ref.Start = nil
	_, _, err = align.Place(ref, cam, heard, 0, nil, pal).Accepted(false)
	assert.Equal(t, "no_start", snag.Of(err).Code)
	assert.ErrorContains(t, err, "21A-T3")
}

// How far a clock was off is the shorter way round the day, and set right by it the timecodes say what was heard.
func TestHowFarAClockWasOff(t *testing.T) {
	heard := align.Alignment{Certainty: align.Certain, DriftKnown: true, Offset: 4 * 48000}
	for _, c := range []struct{ stated, want int64 }{{12 * hour, -2*hour + 4*48000}, {23 * hour, 11*hour + 4*48000}, {9 * hour, hour + 4*48000}} {
		ref, cam := recorder(10*hour), camera(c.stated, 48000)
		e, err := align.Place(ref, cam, heard, 0, nil, pal).ClockError()
		require.NoError(t, err)
		assert.Equal(t, align.ClockError{Clock: "A", Day: "2026-05-04", Late: c.want, Rate: 48000}, e)
		assert.EqualValues(t, 4*48000, *align.Place(ref, cam, heard, 0, align.Clocks{e}, pal).Timecode)
	}
}

// Pairs of one take agree within a millisecond, and what clocks drift by between their references.
func TestPairsThatAgree(t *testing.T) {
	heard := func(offset float64) align.Alignment {
		return align.Alignment{Certainty: align.Certain, DriftKnown: true, Offset: offset}
	}
	cam := camera(12*hour, 48000)
	own := align.Place(recorder(10*hour), cam, heard(48000), 0, nil, pal)
	start, _, err := own.Accepted(false)
	require.NoError(t, err)
	for _, c := range []struct {
		ref, apart int64 // samples
		want       bool
	}{{10 * hour, 48, true}, {10 * hour, 49, false}, {10 * hour, -49, false}, {11 * hour, -17000, true}, {11 * hour, 17400, false}} {
		other := align.Place(recorder(c.ref), cam, heard(float64(10*hour+48000-c.ref+c.apart)), 0, nil, pal)
		assert.Equal(t, c.want, own.Agrees(other, start), "%+v", c)
	}
	unknown := recorder(0)
	unknown.Start = nil
	assert.False(t, own.Agrees(align.Place(unknown, cam, heard(0), 0, nil, pal), start))
}

func candidate(t align.Take, id, scene, slot string, channels int) align.Candidate {
	return align.Candidate{Take: t, ID: id, Scene: scene, Slot: slot, Channels: channels}
}

func TestWhatIsToBeLinedUp(t *testing.T) {
	long := recorder(10 * hour)
	long.Frames *= 3
	second := recorder(10*hour + 48000)
	second.Recorder, second.Roll = "BAG", "B01"
	takes := []align.Candidate{
		candidate(long, "a", "21A", "3", 8),
		candidate(recorder(10*hour), "b", "21A", "4", 8),
		candidate(second, "c", "21A", "3", 2),
		candidate(camera(10*hour+96000, 48000), "d", "", "", 2),
		{Take: recorder(10 * hour), ID: "e", Scene: "M1", Slot: "1", Channels: 2, Finished: true},
	}
	got := align.Propose(takes, nil, pal)
	said := func(pairs []align.Pair) (out []string) {
		for _, p := range pairs {
			out = append(out, takes[p.Take].ID+takes[p.Ref].ID)
		}
		return out
	}
	// The second recorder to the take of its slate; the camera to all that it meets, what is about as long as it first.
	assert.Equal(t, []string{"ca", "db", "dc", "da"}, said(got))
	assert.Contains(t, got[0].Why, "10.0 s in common")

	// A camera whose clock is off meets none, and is listened for in the takes of its day.
	takes[3].Take = camera(2*hour, 48000)
	got = align.Propose(takes, nil, pal)
	assert.Equal(t, []string{"ca", "db", "dc", "da"}, said(got))
	assert.Contains(t, got[1].Why, "clock may be off")
	takes[3].Day = "2026-05-05"
	assert.Equal(t, []string{"ca"}, said(align.Propose(takes, nil, pal)))
	// Known to be eight hours behind, it meets them again.
	assert.Len(t, align.Propose(takes, align.Clocks{{Clock: "A", Day: "2026-05-05", Late: 8 * hour, Rate: 48000}}, pal), 4)
}

// Of two recorders with as many channels one stays, never both; of very many takes few are proposed.
func TestProposalsAreFew(t *testing.T) {
	a, b := recorder(10*hour), recorder(10*hour)
	b.Roll = "B01"
	takes := []align.Candidate{candidate(a, "a", "1", "1", 2), candidate(b, "b", "1", "1", 2)}
	assert.Equal(t, []align.Pair{{Ref: 0, Take: 1, Why: "their timecodes have 10.0 s in common"}}, align.Propose(takes, nil, pal))
	takes[0].Channels = 1
	assert.Len(t, align.Propose(takes, nil, pal), 1)

	takes = []align.Candidate{candidate(camera(10*hour, 48000), "cam", "", "", 1)}
	for i := range 100 {
		takes = append(takes, candidate(recorder(10*hour), fmt.Sprint(i), "1", fmt.Sprint(i), 8))
	}
	assert.Len(t, align.Propose(takes, nil, pal), 24)
}
