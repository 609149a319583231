package adm

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"fmt"
	"math"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

func layout(t testing.TB, name string) audio.Layout {
	t.Helper()
	l, err := audio.ParseLayout(name)
	require.NoError(t, err, name)
	return l
}

// names are all layouts that can be described.
func describable() (out []string) {
	for _, l := range audio.Beds() {
		if l.Name != "mid-side" {
			out = append(out, l.Name)
		}
	}
	for order := 0; order <= audio.MaxOrder; order++ {
		for _, norm := range []audio.Norm{audio.SN3D, audio.N3D, audio.FuMa} {
			if norm != audio.FuMa || order <= audio.MaxFuMa {
				out = append(out, fmt.Sprintf("ambisonic %d %s", order, norm))
			}
		}
	}
	return append(out, "custom L R Top@0/90", "custom Ls Rs C LFE Back@180")
}

// Every layout comes back as it was, with its name, contents and tracks, whatever the tracks' order in the file.
func TestEveryLayoutComesBack(t *testing.T) {
	for _, name := range describable() {
		l := layout(t, name)
		s := Scene{Programme: "Lantern Ferry & \"Reel\" <1>", Rate: 48000, Bits: 24, Frames: 48000*3725 + 12345,
			Loudness: &Loudness{-23.04, 7.1, -1.25, math.NaN(), -18.5}}
		e := Element{Name: "DX é", Content: Dialogue, Layout: l, GainDB: -1.5}
		for i := range l.Count {
			e.Tracks = append(e.Tracks, (i*7+3)%l.Count)
			if l.Count%7 == 0 {
				e.Tracks[i] = l.Count - 1 - i
			}
		}
		e.Loudness = &Loudness{-27.5, math.NaN(), -3.14, -20.01, -24}
		s.Elements = []Element{e}
		room, err := Room(s)
		require.NoError(t, err)
		axml, chna, err := Marshal(s)
		require.NoError(t, err, name)
		assert.LessOrEqual(t, len(axml), room)
		got, err := Parse(axml, chna, l.Count, 48000)
		require.NoError(t, err, name)
		assert.True(t, math.IsNaN(got.Loudness.Momentary))
		got.Loudness.Momentary, s.Loudness.Momentary = 0, 0
		assert.True(t, math.IsNaN(got.Elements[0].Loudness.Range))
		got.Elements[0].Loudness.Range, e.Loudness.Range = 0, 0
		s.Bits = 0 // of no interest to who reads
		assert.Equal(t, s, got, name)
	}
}

func TestStemsBesideEachOther(t *testing.T) {
	var s Scene
	s.Programme, s.Rate, s.Bits = "P", 48000, 24
	at := 0
	for i, v := range []struct {
		layout  string
		content Content
	}{{"5.1", Dialogue}, {"5.1", Music}, {"7.1.4", Effects}, {"stereo", Mix}, {"ambisonic 3 SN3D", Undefined}, {"stereo", VoiceOver}, {"mono", Mixed}} {
		l := layout(t, v.layout)
		e := Element{Name: fmt.Sprint("stem ", i), Content: v.content, Layout: l}
		for range l.Count {
			e.Tracks = append(e.Tracks, at)
			at++
		}
		s.Elements = append(s.Elements, e)
	}
	axml, chna, err := Marshal(s)
	require.NoError(t, err)
	got, err := Parse(axml, chna, at, 48000)
	require.NoError(t, err)
	s.Bits = 0
	assert.Equal(t, s, got)
	assert.Equal(t, 1, bytes.Count(axml, []byte("<audioPackFormat audioPackFormatID=\"AP_00011001\"")), "a layout is defined once")
	// What is referred to is there, and each ID once.
	ids := map[string]int{}
	for _, m := range regexp.MustCompile(`(?:ID|UID)="((?:APR|ACO|AO|AP|AC|AS|AT|ATU|AB)_[0-9a-f_]+)"`).FindAllSubmatch(axml, -1) {
		ids[string(m[1])]++
	}
	for id, n := range ids {
		assert.Equal(t, 1, n, id)
	}
	for _, m := range regexp.MustCompile(`<\w+IDRef>([^<]+)<`).FindAllSubmatch(axml, -1) {
		assert.Equal(t, 1, ids[string(m[1])], "%s", m[1])
	}
	assert.NotContains(t, string(axml), "audioObjectIDRef></")
}

// The chunk chna by hand, from BS.2088: counts, then 40 bytes a track.
func TestTableByHand(t *testing.T) {
	s := Scene{Programme: "P", Rate: 48000, Bits: 24, Elements: []Element{{Name: "MX", Layout: layout(t, "stereo"), Tracks: []int{4, 5}}}}
	_, chna, err := Marshal(s)
	require.NoError(t, err)
	want := append([]byte{2, 0, 2, 0, 5, 0}, "ATU_00000001AT_00011001_01AP_00011001\x00"...)
	want = append(want, 6, 0)
	want = append(want, "ATU_00000002AT_00011002_01AP_00011001\x00"...)
	assert.Equal(t, want, chna)
	assert.Equal(t, 4+2*40, len(chna))
}

func TestDefinitionsSayWhatTheStandardsSay(t *testing.T) {
	s := Scene{Programme: "P", Rate: 48000, Bits: 24, Frames: 72000, Elements: []Element{{Name: "X", Content: Music, Layout: layout(t, "7.1.4"), Tracks: []int{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}}}}
	axml, _, err := Marshal(s)
	require.NoError(t, err)
	text := string(axml)
	require.NoError(t, xml.Unmarshal(axml, new(struct{ XMLName xml.Name })))
	for _, label := range []string{"M+030", "M-030", "M+000", "LFE1", "M+090", "M-090", "M+135", "M-135", "U+045", "U-045", "U+135", "U-135"} {
		assert.Equal(t, 1, strings.Count(text, "<speakerLabel>"+label+"</speakerLabel>"), label)
	}
	assert.Contains(t, text, `end="00:00:01.24000S48000"`)
	assert.Contains(t, text, `<dialogue nonDialogueContentKind="1">0</dialogue>`)
	assert.Contains(t, text, `<frequency typeDefinition="lowPass">120</frequency>`)
	s.Elements[0].Layout, s.Elements[0].Tracks = layout(t, "ambisonic 1 FuMa"), []int{0, 1, 2, 3}
	axml, _, err = Marshal(s)
	require.NoError(t, err)
	var degrees []string
	for _, m := range regexp.MustCompile(`<order>(\d)</order>\s*<degree>(-?\d)</degree>`).FindAllStringSubmatch(string(axml), -1) {
		degrees = append(degrees, m[1]+" "+m[2])
	}
	assert.Equal(t, []string{"0 0", "1 1", "1 -1", "1 0"}, degrees, "W X Y Z")
}

func TestWhatStandsNowhereIsRefused(t *testing.T) {
	for _, name := range []string{"mid-side", "discrete 3"} {
		l := layout(t, name)
		assert.Error(t, Can(l))
		_, _, err := Marshal(Scene{Rate: 48000, Elements: []Element{{Name: "x", Layout: l, Tracks: make([]int, l.Count)}}})
		require.Error(t, err)
		assert.Equal(t, "no_place", snag.Of(err).Code)
	}
	_, _, err := Marshal(Scene{Rate: 48000, Elements: []Element{{Name: "x", Layout: layout(t, "5.1"), Tracks: []int{0}}}})
	assert.Error(t, err)
}

func TestRoomIsEnough(t *testing.T) {
	s := Scene{Programme: "P", Rate: 48000, Bits: 24, Elements: []Element{{Name: "X", Layout: layout(t, "stereo"), Tracks: []int{0, 1}}}}
	room, err := Room(s)
	require.NoError(t, err)
	for _, v := range []float64{0, -23, -70.123, 12.5, math.Inf(-1)} {
		s.Loudness = &Loudness{v, v, v, v, v}
		axml, _, err := Marshal(s)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(axml), room)
	}
}

// table makes a chna of tracks.
func table(rows ...[3]string) []byte {
	var list []track
	for i, r := range rows {
		list = append(list, track{i + 1, r[0], r[1], r[2]})
	}
	return marshalCHNA(list)
}

func wrapped(inside string) []byte {
	return []byte(`<?xml version="1.0" encoding="UTF-8"?><frame version="ITU-R_BS.2076-2"><audioFormatExtended>` + inside + `</audioFormatExtended></frame>`)
}

// Files of other programs refer to definitions that are common to all and not in the file.
func TestCommonDefinitions(t *testing.T) {
	rows := [][3]string{}
	for i, ac := range []string{"00010001", "00010002", "00010003", "00010004", "00010005", "00010006"} {
		rows = append(rows, [3]string{fmt.Sprintf("ATU_%08x", i+1), "AT_" + ac + "_01", "AP_00010003"})
	}
	text := wrapped(`<audioObject audioObjectID="AO_1001" audioObjectName="Bed"><audioPackFormatIDRef>AP_00010003</audioPackFormatIDRef>` +
		`<audioTrackUIDRef>ATU_00000006</audioTrackUIDRef><audioTrackUIDRef>ATU_00000001</audioTrackUIDRef><audioTrackUIDRef>ATU_00000002</audioTrackUIDRef><audioTrackUIDRef>ATU_00000003</audioTrackUIDRef><audioTrackUIDRef>ATU_00000004</audioTrackUIDRef><audioTrackUIDRef>ATU_00000005</audioTrackUIDRef><gain>0.5</gain></audioObject>`)
	s, err := Parse(text, table(rows...), 6, 48000)
	require.NoError(t, err)
	require.Len(t, s.Elements, 1)
	assert.Equal(t, "5.1", s.Elements[0].Layout.Name)
	assert.Equal(t, []int{0, 1, 2, 3, 4, 5}, s.Elements[0].Tracks)
	assert.InDelta(t, -6.02, s.Elements[0].GainDB, 0.01)
	assert.Empty(t, s.Snags)
	// A channel that is not known is said, and its tracks are kept.
	rows[0][1] = "AT_0001ffff_01"
	s, err = Parse(text, table(rows...), 6, 48000)
	require.NoError(t, err)
	assert.Equal(t, audio.Discrete, s.Elements[0].Layout.Kind)
	assert.Len(t, s.Snags, 1)
}

func object(blocks string) []byte {
	return wrapped(`<audioObject audioObjectID="AO_1001" audioObjectName="Gull"><audioTrackUIDRef>ATU_00000001</audioTrackUIDRef></audioObject>` +
		`<audioPackFormat audioPackFormatID="AP_00031001" audioPackFormatName="g" typeLabel="0003"><audioChannelFormatIDRef>AC_00031001</audioChannelFormatIDRef></audioPackFormat>` +
		`<audioChannelFormat audioChannelFormatID="AC_00031001" audioChannelFormatName="g" typeLabel="0003">` + blocks + `</audioChannelFormat>`)
}

func TestObjectsOfOthers(t *testing.T) {
	row := [3]string{"ATU_00000001", "AC_00031001_00", "AP_00031001"}
	still := `<audioBlockFormat><position coordinate="azimuth">45</position><position coordinate="elevation">10</position><position coordinate="distance">0.5</position><gain gainUnit="dB">-3</gain></audioBlockFormat>`
	for _, v := range []struct {
		blocks string
		want   *Object
		snags  int
	}{
		{still, &Object{Direction: audio.Direction{Azimuth: 45, Elevation: 10}, Distance: 0.5, GainDB: -3}, 0},
		{still + still, &Object{Direction: audio.Direction{Azimuth: 45, Elevation: 10}, Distance: 0.5, GainDB: -3}, 0},
		{still + strings.Replace(still, "45", "50", 1), &Object{Direction: audio.Direction{Azimuth: 45, Elevation: 10}, Distance: 0.5, GainDB: -3, Moves: true}, 1},
		{still + strings.Replace(still, "-3", "-4", 1), &Object{Direction: audio.Direction{Azimuth: 45, Elevation: 10}, Distance: 0.5, GainDB: -3, Moves: true}, 1},
		{`<audioBlockFormat><cartesian>1</cartesian><position coordinate="X">-1</position><position coordinate="Y">1</position><position coordinate="Z">0</position></audioBlockFormat>`, &Object{Direction: audio.Direction{Azimuth: 45}, Distance: 1}, 0},
		{`<audioBlockFormat><position coordinate="azimuth">nonsense</position></audioBlockFormat>`, nil, 1},
		{``, nil, 1},
	} {
		s, err := Parse(object(v.blocks), table(row), 1, 48000)
		require.NoError(t, err)
		require.Len(t, s.Elements, 1)
		e := s.Elements[0]
		assert.Equal(t, "Gull", e.Name)
		assert.Equal(t, []int{0}, e.Tracks)
		if v.want == nil {
			assert.Nil(t, e.Object)
		} else if assert.NotNil(t, e.Object) {
			assert.InDelta(t, v.want.Azimuth, e.Object.Azimuth, 1e-9)
			e.Object.Azimuth = v.want.Azimuth
			assert.Equal(t, v.want, e.Object)
		}
		assert.Len(t, s.Snags, v.snags, v.blocks)
	}
}

// A layout of BS.2051 with its upper speakers at 30° and 110° is the 5.1.4 of ours, wherever its tracks are.
func TestNearbyPlaces(t *testing.T) {
	labels := []string{"U-110", "M+030", "M-030", "LFE1", "M+000", "M+110", "M-110", "U+030", "U-030", "U+110"}
	var text strings.Builder
	var rows [][3]string
	for i, l := range labels {
		fmt.Fprintf(&text, `<audioChannelFormat audioChannelFormatID="AC_0001%04x" typeDefinition="DirectSpeakers"><audioBlockFormat><speakerLabel>urn:itu:bs:2051:0:speaker:%s</speakerLabel></audioBlockFormat></audioChannelFormat>`, 0x2001+i, l)
		rows = append(rows, [3]string{fmt.Sprintf("ATU_%08x", i+1), fmt.Sprintf("AC_0001%04x_00", 0x2001+i), "AP_00012001"})
	}
	s, err := Parse(wrapped(text.String()), table(rows...), 10, 48000)
	require.NoError(t, err)
	require.Len(t, s.Elements, 1, "also without an object")
	assert.Equal(t, "5.1.4", s.Elements[0].Layout.Name)
	assert.Equal(t, []int{1, 2, 4, 3, 5, 6, 7, 8, 9, 0}, s.Elements[0].Tracks)
}

func TestBrokenDescriptions(t *testing.T) {
	s := Scene{Programme: "P", Rate: 48000, Bits: 24, Elements: []Element{{Name: "X", Layout: layout(t, "stereo"), Tracks: []int{0, 1}}}}
	axml, chna, err := Marshal(s)
	require.NoError(t, err)
	for what, v := range map[string][2][]byte{
		"no table":    {axml, nil},
		"a short one": {axml, chna[:50]},
		"no text":     {nil, chna},
		"other text":  {[]byte("<a><b/></a>"), chna},
		"cut text":    {axml[:len(axml)/2], chna},
		"no XML":      {[]byte("\x00\x01\x02<"), chna},
	} {
		_, err := Parse(v[0], v[1], 2, 48000)
		require.Error(t, err, what)
		assert.Equal(t, "bad_adm", snag.Of(err).Code, what)
	}
	// Tracks that are not in the file are said.
	got, err := Parse(axml, chna, 1, 48000)
	require.NoError(t, err)
	assert.NotEmpty(t, got.Snags)
	// Padding behind the text is none of it.
	got, err = Parse(append(bytes.Clone(axml), "   \x00\x00"...), chna, 2, 48000)
	require.NoError(t, err)
	assert.Equal(t, "stereo", got.Elements[0].Layout.Name)
}

func TestTimes(t *testing.T) {
	for text, want := range map[string]int64{"00:00:01.50000": 72000, "01:00:00": 172800000, "00:00:01.24000S48000": 72000, "00:00:00.00500S01000": 24000} {
		got, ok := samples(text, 48000)
		assert.True(t, ok, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "1", "00:61:00.0", "00:00:01.5S0", "00:00:x", "-1:00:00"} {
		_, ok := samples(text, 48000)
		assert.False(t, ok, text)
	}
	for _, rate := range []int{44100, 48000, 96000, 192000} {
		for _, frames := range []int64{1, int64(rate) - 1, int64(rate)*7261 + 17} {
			got, ok := samples(clock(frames, rate), rate)
			assert.True(t, ok)
			assert.Equal(t, frames, got)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, name := range []string{"5.1", "ambisonic 1 SN3D", "custom L R Top@0/90"} {
		l := layout(f, name)
		e := Element{Name: "X", Layout: l}
		for i := range l.Count {
			e.Tracks = append(e.Tracks, i)
		}
		axml, chna, err := Marshal(Scene{Programme: "P", Rate: 48000, Bits: 24, Frames: 100, Elements: []Element{e}})
		require.NoError(f, err)
		f.Add(axml, chna)
	}
	f.Add(object(`<audioBlockFormat><position coordinate="azimuth">1e400</position></audioBlockFormat>`), table([3]string{"ATU_00000001", "AT_00031001_01", "AP_00031001"}))
	f.Add([]byte("<x/>"), binary.LittleEndian.AppendUint16(nil, 65535))
	f.Fuzz(func(t *testing.T, axml, chna []byte) {
		s, err := Parse(axml, chna, 64, 48000)
		if err != nil {
			return
		}
		used := map[int]bool{}
		for _, e := range s.Elements {
			for _, k := range e.Tracks {
				require.True(t, k >= 0 && k < 64)
				_ = used[k]
			}
			require.NotEmpty(t, e.Tracks)
		}
	})
}
