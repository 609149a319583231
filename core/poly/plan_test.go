package poly_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/take"
)

func recorded(labels []string, readings ...take.Reading) poly.Recorded {
	r := poly.Recorded{Name: "21A-T3", Facts: source.Facts{Project: "Lantern Ferry", Scene: "21A", Take: "3", Roll: "LF07"}, Readings: readings}
	for i, l := range labels {
		r.Strands = append(r.Strands, poly.Placed{Strand: poly.Strand{Path: "a.wav", Channel: i + 1, Label: l}, Position: i + 1})
	}
	return r
}

func pair(a, b int) take.Reading { return take.Reading{Kind: take.Stereo, Positions: []int{a, b}} }

// planned is what a plan says, in a line a file.
func planned(t *testing.T, r poly.Recorded, packing poly.Packing, pattern string) (out []string) {
	t.Helper()
	files, err := poly.Plan(r, packing, pattern)
	require.NoError(t, err)
	for _, f := range files {
		var channels []int
		for _, s := range f.Strands {
			channels = append(channels, s.Channel)
		}
		out = append(out, fmt.Sprintf("%s%v%v", f.Path, channels, f.Order))
	}
	return out
}

func TestWhichFilesATakeBecomes(t *testing.T) {
	five := []string{"Boom", "Amb L", "Amb R", "", "Lav/Büro"}
	for _, c := range []struct {
		packing poly.Packing
		pattern string
		read    []take.Reading
		want    []string
	}{
		{poly.Together, "", []take.Reading{pair(2, 3)}, []string{"LF07_21A-T3.wav[1 2 3 4 5][]"}},
		{poly.Each, "", []take.Reading{pair(2, 3)}, []string{
			"LF07_21A-T3_1_Boom.wav[1][]", "LF07_21A-T3_2_Amb L.wav[2][]", "LF07_21A-T3_3_Amb R.wav[3][]", "LF07_21A-T3_4.wav[4][]", "LF07_21A-T3_5_Lav-Büro.wav[5][]",
		}},
		{poly.Pairs, "{channel} {label}", []take.Reading{pair(2, 3)}, []string{"1 Boom.wav[1][]", "2-3 Amb L+Amb R.wav[2 3][L R]", "4.wav[4][]", "5 Lav-Büro.wav[5][]"}},
		// Sides that do not stand beside each other, left before right, are no file of their own; nor is mid and side.
		{poly.Pairs, "{channel}", []take.Reading{pair(2, 4), pair(3, 1)}, []string{"1.wav[1][]", "2.wav[2][]", "3.wav[3][]", "4.wav[4][]", "5.wav[5][]"}},
		{poly.Pairs, "{channel}", []take.Reading{pair(3, 2)}, []string{"1.wav[1][]", "2.wav[2][]", "3.wav[3][]", "4.wav[4][]", "5.wav[5][]"}},
		{poly.Pairs, "{channel}", []take.Reading{{Kind: take.MidSide, Positions: []int{1, 2}}, pair(4, 5)}, []string{"1.wav[1][]", "2.wav[2][]", "3.wav[3][]", "4-5.wav[4 5][L R]"}},
		{poly.Pairs, "{channel}", []take.Reading{pair(1, 2), pair(3, 4)}, []string{"1-2.wav[1 2][L R]", "3-4.wav[3 4][L R]", "5.wav[5][]"}},
	} {
		assert.Equal(t, c.want, planned(t, recorded(five, c.read...), c.packing, c.pattern), "%s %s %v", c.packing, c.pattern, c.read)
	}
}

// A take that is one thing says so in its file: its speakers in the order that its channels stand in.
func TestAWholeTakeSaysWhatItIs(t *testing.T) {
	six := []string{"", "", "", "", "", ""}
	film := []audio.Speaker{"L", "C", "R", "Ls", "Rs", "LFE"}
	surround := take.Reading{Kind: take.Surround, Positions: []int{1, 2, 3, 4, 5, 6}, Order: film}
	assert.Equal(t, []string{"21A.wav[1 2 3 4 5 6][L C R Ls Rs LFE]"}, planned(t, recorded(six, surround), poly.Together, "{scene}"))
	assert.Equal(t, []string{"21A.wav[1 2][L R]"}, planned(t, recorded(six[:2], pair(1, 2)), poly.Together, "{scene}"))
	assert.Equal(t, []string{"21A.wav[1 2 3 4][]"}, planned(t, recorded(six[:4], take.Reading{Kind: take.Ambisonic, Positions: []int{1, 2, 3, 4}}), poly.Together, "{scene}"))
	assert.Equal(t, []string{"21A.wav[1 2 3 4 5 6][]"}, planned(t, recorded(six, pair(1, 2), pair(3, 4)), poly.Together, "{scene}"))
}

func TestAPatternThatNamesNothing(t *testing.T) {
	for _, pattern := range []string{"{nothing}", "{scene", "}"} {
		_, err := poly.Plan(recorded([]string{"Boom"}), poly.Each, pattern)
		assert.Equal(t, "bad_pattern", snag.Of(err).Code, pattern)
	}
}
