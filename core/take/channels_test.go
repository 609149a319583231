package take_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/survey"
	"zestyloom/core/take"
)

// What two channels or six are is worked out where two witnesses agree, and asked where they do not: nothing is taken to be
// mono, or a pair, in silence.
func TestChannels(t *testing.T) {
	pair := survey.Relation{Kind: survey.Pair, A: 1, B: 2, Alike: 0.8}
	apart := survey.Relation{Kind: survey.SameSource, A: 1, B: 2, Delay: 90, Certain: true}
	mix := survey.Relation{Kind: survey.Mix, A: 1, Of: []survey.Part{{Channel: 3}}}
	two, six, eight := make([]string, 2), make([]string, 6), make([]string, 8)
	for name, c := range map[string]struct {
		known         take.Known
		silent        []int
		certain, asks []string
	}{
		"nothing names two channels":       {take.Known{Name: "REC_12.wav", Labels: two}, nil, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"numbers name nothing":             {take.Known{Name: "a.wav", Labels: []string{"Track 1", "ch2"}}, nil, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"a header alone":                   {take.Known{Name: "a.wav", Labels: two, Mask: 3}, nil, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"header and sound":                 {take.Known{Name: "a.wav", Labels: two, Mask: 3, Found: survey.Findings{Relations: []survey.Relation{pair}}}, nil, []string{"stereo pair"}, nil},
		"name and sound":                   {take.Known{Name: "Deck.stereo.wav", Labels: two, Found: survey.Findings{Relations: []survey.Relation{pair}}}, nil, []string{"stereo pair"}, nil},
		"header and name":                  {take.Known{Name: "1M1_MX.wav", Labels: two, Mask: 3}, nil, []string{"stereo pair"}, nil},
		"two microphones with a header":    {take.Known{Name: "a ST.wav", Labels: two, Mask: 3, Found: survey.Findings{Relations: []survey.Relation{apart}}}, nil, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"one side is empty":                {take.Known{Name: "VO_stereo.wav", Labels: two, Mask: 3}, []int{2}, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"a name that says apart":           {take.Known{Name: "Ines_dual.wav", Labels: two}, nil, nil, nil},
		"a name against a header":          {take.Known{Name: "Ines mono.wav", Labels: two, Mask: 3}, nil, nil, []string{"channels 1 and 2 are a stereo pair"}},
		"labels that name something":       {take.Known{Name: "a.wav", Labels: []string{"Boom", ""}, Mask: 3}, nil, nil, nil},
		"sides of one label":               {take.Known{Name: "a.wav", Labels: []string{"Score L", "Score R"}}, nil, []string{"stereo pair"}, nil},
		"the container has said it":        {take.Known{Name: "a.mov", Labels: two, Given: []take.Reading{{Kind: take.Stereo, Positions: []int{1, 2}}}}, nil, nil, nil},
		"six channels, nothing named":      {take.Known{Name: "a.wav", Labels: six}, nil, nil, []string{"channels 1, 2, 3, 4, 5 and 6 are a 5.1 in broadcast order (L R C LFE Ls Rs)"}},
		"six channels of a recorder":       {take.Known{Name: "a.wav", Labels: six, Recorded: true}, nil, nil, nil},
		"mask and name":                    {take.Known{Name: "Mix_5.1.wav", Labels: six, Mask: 0x3F}, nil, []string{"5.1 in broadcast order (L R C LFE Ls Rs)"}, nil},
		"a name that says film":            {take.Known{Name: "Mix 5.1 film.wav", Labels: six}, nil, nil, []string{"channels 1, 2, 3, 4, 5 and 6 are a 5.1 in film order (L C R Ls Rs LFE)"}},
		"a mask that the name contradicts": {take.Known{Name: "Mix 5.1 film.wav", Labels: six, Mask: 0x3F}, nil, nil, []string{"channels 1, 2, 3, 4, 5 and 6 are a 5.1 in broadcast order (L R C LFE Ls Rs)"}},
		"a recorder's eight":               {take.Known{Name: "a.wav", Labels: eight}, nil, nil, nil},
		"eight with a mask":                {take.Known{Name: "a.wav", Labels: eight, Mask: 0x63F}, nil, nil, []string{"channels 1, 2, 3, 4, 5, 6, 7 and 8 are a 7.1 in mask order (L R C LFE Lsr Rsr Lss Rss)"}},
		"with a mix of the others":         {take.Known{Name: "a.wav", Labels: eight, Mask: 0x63F, Found: survey.Findings{Relations: []survey.Relation{mix}}}, nil, nil, []string{"channel 1 is the mix"}},
		"four that are called ambisonic":   {take.Known{Name: "Deck_ambiX.wav", Labels: make([]string, 4)}, nil, nil, []string{"channels 1, 2, 3 and 4 are an ambisonic, order 1, ACN recording"}},
		"four that are called nothing":     {take.Known{Name: "Deck.wav", Labels: make([]string, 4)}, nil, nil, nil},
		"W X Y Z":                          {take.Known{Name: "Deck.wav", Labels: []string{"W", "X", "Y", "Z"}}, nil, nil, []string{"channels 1, 2, 3 and 4 are an ambisonic, order 1, FuMa"}},
	} {
		k := c.known
		k.OneFile, k.Rate, k.Found.Channels = true, 48000, sounding(len(k.Labels), c.silent...).Channels
		certain, rest := take.Channels(k)
		var names, asks []string
		for _, r := range certain {
			names = append(names, r.Name())
			assert.NotEmpty(t, r.Why, name)
			assert.NotEmpty(t, r.From, name)
		}
		for _, s := range rest {
			if s.Asks {
				asks = append(asks, s.Says)
			}
		}
		assert.Equal(t, c.certain, names, name)
		assert.Equal(t, c.asks, asks, name)
		assert.NoError(t, take.CheckReadings(certain, len(k.Labels)), name)
		k.OneFile = false
		if _, rest := take.Channels(k); name != "W X Y Z" {
			for _, s := range rest {
				assert.False(t, s.Asks && s.Kind == "pair", "%s: mono files are separate", name)
			}
		}
	}
}

func TestProposedLabels(t *testing.T) {
	assert.Equal(t, "VO EN", take.ProposedLabel("VO_EN.wav", 1, 1))
	assert.Equal(t, "1M2 Lights Out", take.ProposedLabel("1M2 Lights Out.wav", 1, 1))
	assert.Equal(t, "REC0007 3", take.ProposedLabel("REC0007.wav", 3, 8))
	assert.Equal(t, "Strand", take.ProposedLabel("_.wav", 1, 1))
}
