package take_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/source"
	"zestyloom/core/take"
)

func file(name string, channels int, change func(*take.File)) take.File {
	f := take.File{Key: name, Name: name, Channels: channels, SampleRate: 48000, Frames: 1000, Facts: source.Facts{Start: -1, Tracks: make([]source.TrackFact, channels)}}
	if change != nil {
		change(&f)
	}
	return f
}

func TestSetKeys(t *testing.T) {
	meta := func(scene, tk, roll, family string, start int64) func(*take.File) {
		return func(f *take.File) {
			f.Facts.Scene, f.Facts.Take, f.Facts.Roll, f.Facts.Family, f.Facts.Start = scene, tk, roll, family, start
		}
	}
	same := [][2]take.File{
		{file("a.wav", 1, meta("1", "2", "", "F", 5)), file("b.wav", 1, meta("1", "2", "", "F", 9))},
		{file("a.wav", 1, meta("1", "2", "R", "", 5)), file("b.wav", 1, meta("1", "2", "R", "", 5))},
		{file("21A-T03_1.wav", 1, nil), file("21a-t03_A2.wav", 1, nil)},
		{file("mix_L.wav", 1, nil), file("mix_LFE.wav", 1, nil)},
	}
	for _, p := range same {
		a, ok1 := take.SetKey(p[0])
		b, ok2 := take.SetKey(p[1])
		assert.True(t, ok1 && ok2)
		assert.Equal(t, a, b, "%s and %s", p[0].Name, p[1].Name)
	}
	apart := [][2]take.File{
		{file("a_1.wav", 1, meta("1", "2", "", "F", 5)), file("a_2.wav", 1, meta("1", "2", "", "G", 5))},
		{file("a_1.wav", 1, meta("1", "2", "", "", 5)), file("a_2.wav", 1, meta("1", "3", "", "", 5))},
		{file("a_1.wav", 1, meta("1", "2", "A", "", 5)), file("a_2.wav", 1, meta("1", "2", "B", "", 5))},
		{file("a_1.wav", 1, meta("1", "2", "", "", 5)), file("a_2.wav", 1, meta("1", "2", "", "", 6))},
		{file("a_1.wav", 1, nil), file("b_2.wav", 1, nil)},
	}
	for _, p := range apart {
		a, _ := take.SetKey(p[0])
		b, _ := take.SetKey(p[1])
		assert.NotEqual(t, a, b, "%s and %s", p[0].Name, p[1].Name)
	}
	for _, f := range []take.File{file("poly_1.wav", 8, meta("1", "2", "", "F", 5)), file("alone.wav", 1, nil)} {
		_, ok := take.SetKey(f)
		assert.False(t, ok, f.Name)
	}
}

func TestFits(t *testing.T) {
	a := file("a_1.wav", 1, nil)
	assert.Nil(t, take.Fits(file("a_2.wav", 1, func(f *take.File) { f.Frames += take.LengthTolerance }), a))
	for code, change := range map[string]func(*take.File){
		"member_length": func(f *take.File) { f.Frames += take.LengthTolerance + 1 },
		"member_rate":   func(f *take.File) { f.SampleRate = 44100 },
		"member_start":  func(f *take.File) { f.Facts.Start = 1 },
	} {
		s := take.Fits(file("a_2.wav", 1, change), a)
		if assert.NotNil(t, s, code) {
			assert.Equal(t, code, s.Code)
		}
	}
}

func TestSortAndMissing(t *testing.T) {
	set := []take.File{file("a_10.wav", 1, nil), file("a_2.wav", 1, nil), file("a_1.wav", 1, nil)}
	take.Sort(set)
	assert.Equal(t, []string{"a_1.wav", "a_2.wav", "a_10.wav"}, []string{set[0].Name, set[1].Name, set[2].Name})
	gap := take.Missing(set)
	require.Len(t, gap, 1)
	assert.Contains(t, gap[0].Message, "3, 4, 5, 6, 7, 8, 9")
	announced := []take.File{file("x.wav", 1, func(f *take.File) { f.Facts.SetSize = 4 })}
	require.Len(t, take.Missing(announced), 1)
	assert.Contains(t, take.Missing(announced)[0].Message, "1 of the 4")
	assert.Empty(t, take.Missing(set[:2]))
	assert.Empty(t, take.Missing([]take.File{file("m_L.wav", 1, nil), file("m_R.wav", 1, nil)}))
}

func TestIsMix(t *testing.T) {
	for _, l := range []string{"MixL", "MixR", "mix l", "MIX-R", "Mix", "Mix 1", "mix_right"} {
		assert.True(t, take.IsMix(l), l)
	}
	for _, l := range []string{"", "Boom", "Mixer room", "MX", "Lav Mix", "Mixed"} {
		assert.False(t, take.IsMix(l), l)
	}
}
