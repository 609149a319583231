package take_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/source"
	"zestyloom/core/take"
)

// f makes a file from words: family, scene/take, start, length, set size and recorder track.
func f(name string, words ...string) take.File {
	x := take.File{Key: name, Name: name, Channels: 1, SampleRate: 48000, Frames: 48000, Facts: source.Facts{Start: -1, Tracks: make([]source.TrackFact, 1)}}
	for _, w := range words {
		key, v, _ := strings.Cut(w, "=")
		n := 0
		fmt.Sscan(v, &n)
		switch key {
		case "family":
			x.Facts.Family = v
		case "take":
			x.Facts.Scene, x.Facts.Take, _ = strings.Cut(v, "/")
		case "roll":
			x.Facts.Roll = v
		case "start":
			x.Facts.Start = int64(n)
		case "frames":
			x.Frames = int64(n)
		case "of":
			x.Facts.SetSize = n
		case "track":
			x.Facts.Tracks[0].RecorderTrack = n
		case "rate":
			x.SampleRate = n
		case "channels":
			x.Channels, x.Facts.Tracks = n, make([]source.TrackFact, n)
		case "pin":
			x.Pin = v
		case "folder":
			x.Folder, x.Key = v, v+"/"+x.Key
		case "alone":
			x.Alone = true
		default:
			panic(w)
		}
	}
	return x
}

// shape writes groups down: members in order, "?" behind those that need an eye, codes of snags.
func shape(groups []take.Group) (out []string) {
	for _, g := range groups {
		var names, codes []string
		for _, m := range g.Members {
			names = append(names, strings.TrimSuffix(m.Name, ".wav"))
		}
		for _, s := range g.Snags {
			codes = append(codes, s.Code)
		}
		line := strings.Join(names, " + ")
		if !g.Certain {
			line += " ?"
		}
		if codes != nil {
			line += " " + strings.Join(codes, ",")
		}
		out = append(out, line)
	}
	return out
}

func TestGroups(t *testing.T) {
	for name, c := range map[string]struct {
		files []take.File
		want  []string
	}{
		"a poly file and a mono file of no set": {
			[]take.File{f("a.wav", "channels=8", "take=1/1"), f("alone.wav")}, []string{"a", "alone"}},
		"a family": {
			[]take.File{f("b.wav", "family=F", "track=2", "start=5"), f("a.wav", "family=F", "track=1", "start=5")}, []string{"a + b"}},
		"a family that lacks one": {
			[]take.File{f("a_1.wav", "family=F", "of=3", "start=5"), f("a_3.wav", "family=F", "of=3", "start=5")}, []string{"a_1 + a_3 ? member_missing"}},
		"scene and take": {
			[]take.File{f("x1.wav", "take=21/3", "start=9", "track=1"), f("x2.wav", "take=21/3", "start=9", "track=2"), f("x3.wav", "take=21/4", "start=9", "track=1")}, []string{"x1 + x2", "x3"}},
		"scene and take, without a start": {
			[]take.File{f("x1.wav", "take=21/3", "track=1"), f("x2.wav", "take=21/3", "track=2")}, []string{"x1 + x2 ?"}},
		"the same take on two rolls": {
			[]take.File{f("x1.wav", "take=21/3", "roll=A", "start=9"), f("x2.wav", "take=21/3", "roll=B", "start=9")}, []string{"x1", "x2"}},
		"by name alone": {
			[]take.File{f("21A-T03_2.wav"), f("21a-t03_A1.wav"), f("21A-T04_1.wav")}, []string{"21a-t03_A1 + 21A-T03_2 ?", "21A-T04_1"}},
		"a gap in the numbers": {
			[]take.File{f("a_1.wav"), f("a_2.wav"), f("a_5.wav")}, []string{"a_1 + a_2 + a_5 ? member_missing"}},
		"a pair by speakers": {
			[]take.File{f("m_R.wav"), f("m_L.wav")}, []string{"m_L + m_R ?"}},
		"5.1 in film order": {
			[]take.File{f("m_1_L.wav"), f("m_2_C.wav"), f("m_3_R.wav"), f("m_4_Ls.wav"), f("m_5_Rs.wav"), f("m_6_LFE.wav")}, []string{"m_1_L + m_3_R + m_2_C + m_6_LFE + m_4_Ls + m_5_Rs ?"}},
		"reels are no channels": {
			[]take.File{f("Reel.1 L.wav"), f("Reel.2 R.wav"), f("EP 1.1 L.wav"), f("EP 1.2 R.wav")}, []string{"Reel.1 L ? member_missing", "Reel.2 R ? member_missing", "EP 1.1 L ? member_missing", "EP 1.2 R ? member_missing"}},
		"pairs of two versions": {
			[]take.File{f("Mix v1.1 L.wav"), f("Mix v1.1 R.wav"), f("Mix v1.2 L.wav"), f("Mix v1.2 R.wav")}, []string{"Mix v1.1 L + Mix v1.1 R ?", "Mix v1.2 L + Mix v1.2 R ?"}},
		"pairs of two reels": {
			[]take.File{f("R_1_L.wav"), f("R_1_R.wav"), f("R_2_L.wav"), f("R_2_R.wav")}, []string{"R_1_L + R_1_R ?", "R_2_L + R_2_R ?"}},
		"two folders with equal names": {
			[]take.File{f("a_1.wav", "folder=A"), f("a_2.wav", "folder=A"), f("a_1.wav", "folder=B"), f("a_2.wav", "folder=B")}, []string{"a_1 + a_2 ?", "a_1 + a_2 ?"}},
		"numbered in film order, one not here": {
			[]take.File{f("m_1_L.wav"), f("m_2_C.wav"), f("m_3_R.wav"), f("m_5_Rs.wav"), f("m_6_LFE.wav")}, []string{"m_1_L + m_3_R + m_2_C + m_6_LFE + m_5_Rs ? member_missing"}},
		"5.1 without its centre": {
			[]take.File{f("m_L.wav"), f("m_R.wav"), f("m_LFE.wav"), f("m_Ls.wav"), f("m_Rs.wav")}, []string{"m_L + m_R + m_LFE + m_Ls + m_Rs ? member_missing"}},
		"unequal length within the tolerance": {
			[]take.File{f("a.wav", "family=F", "track=1"), f("b.wav", "family=F", "track=2", "frames=48064")}, []string{"a + b"}},
		"unequal length": {
			[]take.File{f("a.wav", "family=F", "track=1"), f("b.wav", "family=F", "track=2", "frames=48065")}, []string{"a + b ? member_length"}},
		"unequal start": {
			[]take.File{f("a_1.wav", "take=1/1", "start=9"), f("a_2.wav", "take=1/1", "start=9"), f("a_3.wav", "take=1/1", "start=10")}, []string{"a_1 + a_2 ? member_start", "a_3 ? member_start"}},
		"two for one place": {
			[]take.File{f("a_1.wav", "family=F", "start=1"), f("b_1.wav", "family=F", "start=1"), f("a_2.wav", "family=F", "start=1")}, []string{"a_1 + a_2 ? two_for_one_place", "b_1 ? two_for_one_place"}},
		"a stranger by name": {
			[]take.File{f("a_1.wav", "family=F", "take=1/3", "start=1"), f("a_2.wav", "family=F", "take=1/3", "start=1"), f("a_3.wav", "family=G", "take=1/2", "start=7")}, []string{"a_1 + a_2", "a_3 ? member_of_another"}},
		"a family that contradicts itself": {
			[]take.File{f("a_1.wav", "family=F", "take=1/3", "start=1"), f("a_2.wav", "family=F", "take=1/4", "start=1")}, []string{"a_1 + a_2 ? member_of_another"}},
		"another rate": {
			[]take.File{f("a_1.wav", "family=F"), f("a_2.wav", "family=F"), f("a_3.wav", "family=F", "rate=44100")}, []string{"a_1 + a_2", "a_3 ? member_of_another"}},
		"what a person put together stays": {
			[]take.File{f("a_1.wav", "pin=T"), f("zebra.wav", "pin=T"), f("a_2.wav", "pin=U", "alone")}, []string{"a_1 + zebra", "a_2"}},
		"a late member joins what a person accepted": {
			[]take.File{f("a_1.wav", "pin=T", "family=F", "of=3"), f("a_2.wav", "pin=T", "family=F", "of=3"), f("a_3.wav", "family=F", "of=3")}, []string{"a_1 + a_2 + a_3"}},
		"no late member joins one that was split off": {
			[]take.File{f("a_1.wav", "pin=T", "alone", "family=F"), f("a_2.wav", "family=F"), f("a_3.wav", "family=F")}, []string{"a_1", "a_2 + a_3 ? member_missing"}},
	} {
		t.Run(name, func(t *testing.T) {
			assert.ElementsMatch(t, c.want, shape(take.Groups(c.files)))
		})
	}
}

// Every file is in exactly one group, and the order of arrival changes nothing.
func TestGroupsAreAPartition(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	for range 300 {
		var files []take.File
		for i := range 1 + r.IntN(12) {
			words := []string{"start=" + pick("1", "1", "2"), "frames=" + pick("1000", "1000", "2000")}
			if r.IntN(2) == 0 {
				words = append(words, "family="+pick("F", "G"))
			}
			if r.IntN(2) == 0 {
				words = append(words, "take="+pick("1/1", "1/2"))
			}
			if r.IntN(6) == 0 {
				words = append(words, "pin="+pick("P", "Q"))
			}
			file := f(pick("a", "b")+pick("_1", "_2", "_L", "_R", "")+".wav", words...)
			file.Key = fmt.Sprint(i)
			files = append(files, file)
		}
		one := shape(take.Groups(files))
		seen := map[string]int{}
		for _, g := range take.Groups(files) {
			require.NotEmpty(t, g.Members)
			require.NotEmpty(t, g.Why)
			for _, m := range g.Members {
				seen[m.Key]++
			}
		}
		require.Len(t, seen, len(files))
		for k, n := range seen {
			require.Equal(t, 1, n, k)
		}
		r.Shuffle(len(files), func(i, j int) { files[i], files[j] = files[j], files[i] })
		require.ElementsMatch(t, one, shape(take.Groups(files)))
	}
}

func TestOrderInWords(t *testing.T) {
	film := take.Groups([]take.File{f("LF_DX_1_L.wav"), f("LF_DX_2_C.wav"), f("LF_DX_3_R.wav"), f("LF_DX_4_Ls.wav"), f("LF_DX_5_Rs.wav"), f("LF_DX_6_LFE.wav")})[0]
	assert.Equal(t, "5.1", film.Layout)
	assert.Equal(t, "DX", film.Stem)
	assert.Equal(t, "numbered in film order (L C R Ls Rs LFE), laid in broadcast order (L R C LFE Ls Rs)", film.Order)
	total := take.Groups([]take.File{f("MX_Rt.wav"), f("MX_Lt.wav")})[0]
	assert.Equal(t, "stereo total", total.Layout)
	assert.Equal(t, "MX", total.Stem)
	assert.Equal(t, "Lt Rt", total.Order)
}

func TestGuessStem(t *testing.T) {
	for name, want := range map[string]string{
		"DX_L.wav": "DX", "MX_R.wav": "MX", "LF_VO.wav": "VO", "LF_M&E_L.wav": "M&E", "lf-ep2-sfx-Ls.wav": "FX", "LF_mix_LFE.wav": "Full mix",
		"LF DX mix L.wav": "DX", "LF_DXtra_L.wav": "", "21A-T03_1.wav": "", "Max.wav": "",
	} {
		assert.Equal(t, want, take.GuessStem(name), name)
	}
}

func TestIsMix(t *testing.T) {
	for _, l := range []string{"MixL", "MixR", "mix l", "MIX-R", "Mix", "Mix 1", "mix_right"} {
		assert.True(t, take.IsMix(l), l)
	}
	for _, l := range []string{"", "Boom", "Mixer room", "MX", "Lav Mix", "Mixed"} {
		assert.False(t, take.IsMix(l), l)
	}
}
