package audio

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOwnLayouts(t *testing.T) {
	dome := OwnLayout{Format: 1, Name: "Dome", Speakers: []Placed{{Name: "L", Azimuth: 22.5, Distance: 2.5, TrimDB: -1.5}, {Name: "R", Azimuth: -22.5}, {Name: "Top", Elevation: 90, TrimDB: 2}, {Name: "LFE", NoPlace: true}}}
	l, err := dome.Layout()
	require.NoError(t, err)
	assert.Equal(t, "custom L@22.5/0/2.5/-1.5 R@-22.5/0 Top@0/90/0/2 LFE", l.Name)
	assert.Equal(t, dome.Speakers, l.Placed(), "what is said of speakers goes along with the name")
	assert.True(t, l.IsCustom())
	assert.True(t, l.IsLFE(3))
	d, ok := l.Direction(0)
	assert.True(t, ok)
	assert.Equal(t, Direction{22.5, 0}, d, "a known speaker stands where it is said to")
	again, err := ParseLayout(l.Name)
	require.NoError(t, err)
	assert.Equal(t, l, again)
	b, err := json.Marshal(dome)
	require.NoError(t, err)
	read, err := ParseOwnLayout(b)
	require.NoError(t, err)
	assert.Equal(t, dome, read)
	assert.Equal(t, "L 22.5° left, 0° up, 2.5 m, -1.5 dB", dome.Speakers[0].String())
	assert.Equal(t, "LFE without a place", dome.Speakers[3].String())

	// Every bed can be begun with, and comes to the same directions.
	for _, bed := range Beds() {
		o := OwnLayout{Name: "mine", Speakers: bed.Placed()}
		own, err := o.Layout()
		if bed.Name == "mid-side" { // a mid and a side stand nowhere
			assert.Error(t, err)
			continue
		}
		require.NoError(t, err, bed.Name)
		for i := range bed.Count {
			want, there := bed.Direction(i)
			got, is := own.Direction(i)
			assert.Equal(t, there, is)
			assert.Equal(t, want, got, "%s %d", bed.Name, i)
		}
	}
	for name, o := range map[string]OwnLayout{
		"no name":             {Speakers: dome.Speakers},
		"a name of ours":      {Name: "5.1", Speakers: dome.Speakers},
		"no speakers":         {Name: "x"},
		"twice":               {Name: "x", Speakers: []Placed{{Name: "L"}, {Name: "l"}}},
		"a name of two words": {Name: "x", Speakers: []Placed{{Name: "Top left"}}},
		"too far around":      {Name: "x", Speakers: []Placed{{Name: "A", Azimuth: 181}}},
		"too high":            {Name: "x", Speakers: []Placed{{Name: "A", Elevation: 91}}},
		"too far":             {Name: "x", Speakers: []Placed{{Name: "A", Distance: 101}}},
		"too loud":            {Name: "x", Speakers: []Placed{{Name: "A", TrimDB: 21}}},
		"a place for an LFE":  {Name: "x", Speakers: []Placed{{Name: "LFE"}}},
		"no place":            {Name: "x", Speakers: []Placed{{Name: "A", NoPlace: true}}},
		"another format":      {Format: 2, Name: "x", Speakers: dome.Speakers},
	} {
		_, err := o.Layout()
		assert.Error(t, err, name)
	}
	_, err = ParseOwnLayout([]byte(`{"name":"x","speakers":[{"name":"A","azimut":3}]}`))
	assert.ErrorContains(t, err, "azimut")
	for _, bad := range []string{"custom A@0/0/101", "custom A@0/0/2/30", "custom A@0/0/-2"} {
		_, err := ParseLayout(bad)
		assert.Error(t, err, bad)
	}
}
