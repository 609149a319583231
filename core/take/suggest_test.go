package take_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/survey"
	"zestyloom/core/take"
)

func sounding(n int, silent ...int) survey.Findings {
	f := survey.Findings{Channels: make([]survey.Channel, n)}
	for c := range f.Channels {
		f.Channels[c].Peak = 0.5
	}
	for _, s := range silent {
		f.Channels[s-1].Peak = 0
	}
	return f
}

func says(ss []take.Suggestion) (out []string) {
	for _, s := range ss {
		out = append(out, s.Says+" ("+s.Certainty+")")
	}
	return out
}

func TestSuggest(t *testing.T) {
	blank := make([]string, 8)
	relation := func(r ...survey.Relation) survey.Findings {
		f := sounding(8)
		f.Relations = r
		return f
	}
	of := []survey.Part{{Channel: 3}, {Channel: 4}}
	for name, c := range map[string]struct {
		labels []string
		f      survey.Findings
		want   []string
	}{
		"nothing to say": {blank, sounding(8), nil},
		"two mixes": {blank, relation(survey.Relation{Kind: survey.Mix, A: 1, Of: of, RestDB: -90}, survey.Relation{Kind: survey.Mix, A: 2, Of: of, RestDB: -70}),
			[]string{"channels 1 and 2 are the mix, and laid on a track that is off (certain)"}},
		"a mix that is barely one":  {blank, relation(survey.Relation{Kind: survey.Mix, A: 8, Of: of, RestDB: -45}), []string{"channel 8 is the mix (likely)"}},
		"a mix that is labelled so": {[]string{"MixL", "", "", "", "", "", "", ""}, relation(survey.Relation{Kind: survey.Mix, A: 1, Of: of, RestDB: -90}), nil},
		"empty channels":            {blank, sounding(8, 7, 8), []string{"channels 7 and 8 are empty (certain)"}},
		"all of it is empty":        {blank[:2], sounding(2, 1, 2), nil},
		"the same twice":            {blank, relation(survey.Relation{Kind: survey.Identical, A: 3, B: 4}), []string{"channels 3 and 4 hold the same (certain)"}},
		"inverted lav": {[]string{"Lav Ines", "Boom", "", "", "", "", "", ""}, relation(survey.Relation{Kind: survey.SameSource, A: 1, B: 2, Delay: 118, Inverted: true}),
			[]string{"channel 1 is inverted against 2 (possible)"}},
		"the one that most are inverted against": {blank, relation(survey.Relation{Kind: survey.SameSource, A: 3, B: 5, Inverted: true}, survey.Relation{Kind: survey.SameSource, A: 3, B: 6, Inverted: true}),
			[]string{"channel 3 is inverted against 5 and 6 (likely)"}},
		"a pair by its sound":             {blank, relation(survey.Relation{Kind: survey.Pair, A: 5, B: 6}), []string{"channels 5 and 6 are a stereo pair (likely)"}},
		"a pair by its labels":            {[]string{"FX L", "FX R", "x"}, sounding(3), []string{"channels 1 and 2 are a stereo pair (certain)"}},
		"sides of two pairs":              {[]string{"FX L", "Deck R"}, sounding(2), nil},
		"right before left":               {[]string{"FX R", "FX L"}, sounding(2), nil},
		"the mix's own sides":             {[]string{"MixL", "MixR"}, sounding(2), nil},
		"mid and side":                    {[]string{"Wind M", "Wind S"}, sounding(2), []string{"channels 1 and 2 are a mid-side pair, decoded (certain)"}},
		"surround, film order":            {[]string{"L", "C", "R", "Ls", "Rs", "LFE"}, sounding(6), []string{"channels 1, 2, 3, 4, 5 and 6 are a 5.1 in film order (L C R Ls Rs LFE) (certain)"}},
		"surround after a boom":           {[]string{"Boom", "S L", "S R", "S C", "S LFE", "S Ls", "S Rs"}, sounding(7), []string{"channels 2, 3, 4, 5, 6 and 7 are a 5.1 in broadcast order (L R C LFE Ls Rs) (certain)"}},
		"ambisonic":                       {[]string{"Amb W", "Amb Y", "Amb Z", "Amb X"}, sounding(4), []string{"channels 1, 2, 3 and 4 are an ambisonic, order 1, ACN recording (certain)"}},
		"ambisonic by numbers":            {[]string{"ACN0", "ACN1", "ACN2", "ACN3"}, sounding(4), []string{"channels 1, 2, 3 and 4 are an ambisonic, order 1, ACN recording (certain)"}},
		"what a layout holds is meant so": {[]string{"S L", "S R"}, survey.Findings{Channels: sounding(2).Channels, Relations: []survey.Relation{{Kind: survey.SameSource, A: 1, B: 2, Delay: 9, Inverted: true, Certain: true}}}, []string{"channels 1 and 2 are a stereo pair (certain)"}},
		"W X Y Z":                         {[]string{"W", "X", "Y", "Z"}, sounding(4), []string{"channels 1, 2, 3 and 4 are an ambisonic, order 1, FuMa (likely)"}},
		"capsules, in another order":      {[]string{"Deck BLD", "Deck FLU", "Deck BRU", "Deck FRD"}, sounding(4), []string{"channels 1, 2, 3 and 4 are an A-format recording, FLU FRD BLD BRU (likely)"}},
		"of two recordings":               {[]string{"A W", "A X", "B Y", "B Z"}, sounding(4), nil},
		"in an order of nobody's":         {[]string{"Z", "X", "Y", "Q"}, sounding(4), nil},
		"one source, two microphones": {blank, relation(survey.Relation{Kind: survey.SameSource, A: 3, B: 4, Delay: -96, Certain: true}),
			[]string{"channel 3 hears what channel 4 hears, 2.0 ms later (possible)"}},
	} {
		t.Run(name, func(t *testing.T) {
			got := take.Suggest(take.Known{Labels: c.labels, Found: c.f, Rate: 48000})
			assert.Equal(t, c.want, says(got))
			for _, s := range got {
				assert.NotEmpty(t, s.Reason)
				assert.True(t, len(s.Edits) > 0 || s.Read != nil, "accepting must change something")
				if s.Read != nil {
					assert.NoError(t, take.CheckReadings([]take.Reading{*s.Read}, len(c.labels)))
				}
			}
		})
	}
}

func TestReadings(t *testing.T) {
	assert.Equal(t, "5.1 in film order (L C R Ls Rs LFE)", take.Reading{Kind: take.Surround, Order: []audio.Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}}.Name())
	got := take.GroupReadings([]take.StreamGroup{{Channels: 2}, {Channels: 1}, {Channels: 1}, {Channels: 2}})
	assert.Equal(t, [][]int{{1, 2}, {5, 6}}, [][]int{got[0].Positions, got[1].Positions})
	assert.NoError(t, take.CheckReadings(got, 6))
	// A stream that is marked as a sound field, with a head-locked pair after it.
	got = take.GroupReadings([]take.StreamGroup{{Channels: 18, Field: true, HeadLocked: true}, {Channels: 2}})
	require.Len(t, got, 3)
	assert.Equal(t, []string{take.Ambisonic, take.Stereo, take.Stereo}, []string{got[0].Kind, got[1].Kind, got[2].Kind})
	assert.Equal(t, []int{17, 18}, got[1].Positions)
	assert.NoError(t, take.CheckReadings(got, 20))
	for name, bad := range map[string][]take.Reading{
		"not there":     {{Kind: take.Stereo, Positions: []int{6, 7}}},
		"twice":         {{Kind: take.Stereo, Positions: []int{1, 2}}, {Kind: take.MidSide, Positions: []int{2, 3}}},
		"three":         {{Kind: take.Stereo, Positions: []int{1, 2, 3}}},
		"five":          {{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4, 5}}},
		"no layout":     {{Kind: take.Surround, Positions: []int{1, 2}, Order: []audio.Speaker{"L", "L"}}},
		"unknown":       {{Kind: "quad", Positions: []int{1, 2}}},
		"order missing": {{Kind: take.Surround, Positions: []int{1, 2, 3}}},
	} {
		assert.Error(t, take.CheckReadings(bad, 6), name)
	}
}

// Every way that is offered is one that can be kept.
func TestWaysToRead(t *testing.T) {
	names := map[int][]string{}
	for n := 1; n <= 40; n++ {
		for _, r := range take.WaysToRead(n) {
			require.NoError(t, take.CheckReadings([]take.Reading{r}, n), "%d: %s", n, r.Name())
			names[n] = append(names[n], r.Name())
		}
	}
	assert.Empty(t, names[1])
	assert.Equal(t, []string{"stereo pair", "mid-side pair, decoded"}, names[2])
	assert.Equal(t, []string{"ambisonic, order 1, ACN", "ambisonic, order 1, FuMa", "A-format recording, FLU FRD BLD BRU"}, names[4])
	assert.Equal(t, []string{"5.1 in broadcast order (L R C LFE Ls Rs)", "5.1 in film order (L C R Ls Rs LFE)", "5.1 in fronts, surrounds, centre order (L R Ls Rs C LFE)"}, names[6])
	assert.Len(t, names[8], 3)
}

// A mask is believed only where nothing else is known, and not much.
func TestMasks(t *testing.T) {
	of := func(labels []string, mask uint32, rs ...survey.Relation) []take.Suggestion {
		f := survey.Findings{Relations: rs, Channels: make([]survey.Channel, len(labels))}
		for i := range f.Channels {
			f.Channels[i].Peak = 0.5
		}
		return take.Suggest(take.Known{OneFile: true, Labels: labels, Mask: mask, Found: f, Rate: 48000})
	}
	blank := make([]string, 6)
	for _, mask := range []uint32{0x3F, 0x60F} {
		got := of(blank, mask)
		require.Len(t, got, 1)
		assert.Equal(t, []any{"surround", take.Possible, "5.1 in broadcast order (L R C LFE Ls Rs)"}, []any{got[0].Kind, got[0].Certainty, got[0].Read.Name()})
		assert.Equal(t, "LFE", got[0].Edits[3].Value)
	}
	got := of(make([]string, 8), 0x63F)
	require.Len(t, got, 1)
	assert.Equal(t, "7.1 in mask order (L R C LFE Lsr Rsr Lss Rss)", got[0].Read.Name())
	for name, mask := range map[string]uint32{"no mask": 0, "a mask of other channels": 0x3, "speakers of no layout that is known": 0x13F} {
		got := of(blank, mask)
		require.Len(t, got, 1, name)
		assert.True(t, got[0].Asks, name)
		assert.Contains(t, got[0].Reason, "nothing names them", name)
	}
	assert.Empty(t, of(make([]string, 8), 0), "eight channels without a mask are microphones")
	assert.Empty(t, of([]string{"Boom", "", "", "", "", ""}, 0x3F), "labels know better")
	assert.NotContains(t, fmt.Sprint(of(blank, 0x3F, survey.Relation{Kind: survey.Mix, A: 1, Of: []survey.Part{{Channel: 2}}})), "5.1")
}
