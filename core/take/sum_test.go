package take_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/survey"
	"zestyloom/core/take"
)

// Takes of one machine began and ended together; finished files say nothing of their start, and are of one thing by their names.
func TestBeside(t *testing.T) {
	poly := take.Span{Name: "T01.wav", SampleRate: 48000, Start: 1000, Frames: 480000, Channels: 6}
	for name, c := range map[string]struct {
		change func(*take.Span)
		want   bool
	}{
		"the same":            {func(*take.Span) {}, true},
		"64 samples later":    {func(s *take.Span) { s.Start += 64 }, true},
		"65 samples later":    {func(s *take.Span) { s.Start += 65 }, false},
		"65 samples longer":   {func(s *take.Span) { s.Frames += 65 }, false},
		"another rate":        {func(s *take.Span) { s.SampleRate = 96000 }, false},
		"one without a start": {func(s *take.Span) { s.Start = -1 }, false},
	} {
		o := poly
		c.change(&o)
		assert.Equal(t, c.want, poly.Beside(o), name)
		assert.Equal(t, c.want, o.Beside(poly), name)
	}
	for _, c := range []struct {
		a, b string
		want bool
	}{{"Lights DX.wav", "Lights Full.wav", true}, {"Drums.wav", "MIX.wav", true}, {"a_mixdown.wav", "b.wav", true}, {"Drums.wav", "Bass.wav", false}, {"", "Bass.wav", false}} {
		x, y := poly, poly
		x.Name, y.Name, x.Start, y.Start = c.a, c.b, -1, -1
		assert.Equal(t, c.want, x.Beside(y), "%s %s", c.a, c.b)
	}
	one := take.Span{Name: "a.wav", SampleRate: 48000, Start: 0, Frames: 10, Channels: 1}
	wide, most, mix := one, one, one
	wide.Channels, most.Channels, mix.Name = 8, 63, "A mix.wav"
	for _, c := range []struct {
		spans  []take.Span
		set    []int
		likely int
	}{
		{[]take.Span{one, one}, nil, 0}, // of two channels none is a mix
		{[]take.Span{one, one, one}, []int{0, 1, 2}, 0},
		{[]take.Span{wide, one, wide}, []int{1, 0, 2}, 1},
		{[]take.Span{wide, one, one}, []int{0, 1, 2}, 0},
		{[]take.Span{one, wide, mix}, []int{2, 0, 1}, 1},
		{[]take.Span{one, most, one}, nil, 0}, // too many to compare
	} {
		for of := range c.spans {
			set, likely := take.AllBeside(c.spans, of)
			assert.Equal(t, c.set, set)
			assert.Equal(t, c.likely, likely)
		}
	}
}

func TestSums(t *testing.T) {
	mix := func(a int, rest float64, of ...int) survey.Relation {
		r := survey.Relation{Kind: survey.Mix, A: a, RestDB: rest}
		for _, c := range of {
			r.Of = append(r.Of, survey.Part{Channel: c})
		}
		return r
	}
	names, wide := []string{"DX", "MX", "MIX"}, []int{2, 2, 2}
	all := []survey.Relation{mix(5, -90, 1, 3), mix(6, -70, 2, 4)}
	got := take.Sums(names, wide, all)
	assert.Nil(t, got[0])
	assert.Nil(t, got[1])
	assert.Equal(t, &take.Sum{Positions: []int{1, 2}, Of: []string{"DX", "MX"}, RestDB: -70, Certain: true}, got[2])
	assert.Nil(t, take.Sums(names, wide, all[:1])[2], "one side of it is no mix")
	assert.Nil(t, take.Sums(names, wide, []survey.Relation{mix(5, -90, 1, 6), mix(6, -90, 2, 4)})[2], "of itself")
	assert.False(t, take.Sums(names, wide, []survey.Relation{mix(5, -90, 1, 3), mix(6, -45, 2, 4)})[2].Certain)
	assert.NotNil(t, take.Sums(names, wide, []survey.Relation{{Kind: survey.Identical, A: 5, B: 6}, mix(5, -90, 1, 3)})[2], "both sides are the same")

	for _, c := range []struct {
		labels  []string
		certain bool
		want    bool
	}{
		{[]string{"", ""}, true, true}, {[]string{"Track 1", "Track 2"}, true, true}, {[]string{"L", "R"}, true, true}, {[]string{"MixL", "MixR"}, false, true},
		{[]string{"", ""}, false, false}, {[]string{"Score L", "Score R"}, true, false}, {[]string{"MixL", "Boom"}, true, false}, {[]string{"MixL"}, true, false},
	} {
		assert.Equal(t, c.want, take.Sum{Positions: []int{1, 2}, Certain: c.certain}.Applies(c.labels), "%v", c)
	}
}

// Pieces lie within the recording and reach both of its ends.
func TestPieces(t *testing.T) {
	assert.Equal(t, [][2]int64{{0, 120 * 48000}}, take.Pieces(120*48000, 48000))
	ps := take.Pieces(3600*48000+7, 48000)
	assert.Len(t, ps, 12)
	for i, p := range ps {
		assert.EqualValues(t, 480000, p[1])
		if i > 0 {
			assert.Greater(t, p[0], ps[i-1][0]+ps[i-1][1])
		}
	}
	assert.EqualValues(t, 3600*48000+7, ps[11][0]+ps[11][1])
}
