package source_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/wave"
)

func info(channels int, x *wave.IXML, b *wave.Bext) *source.Info {
	return &source.Info{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: channels}, Frames: 10, IXML: x, Bext: b}
}

func doc(t *testing.T, s string) *wave.IXML {
	t.Helper()
	x, err := wave.ParseIXML([]byte("<BWFXML>" + s + "</BWFXML>"))
	require.NoError(t, err)
	return x
}

func list(tracks ...wave.IXMLTrack) *wave.IXML {
	x := wave.NewIXML()
	x.SetTracks(tracks)
	return x
}

func TestLabels(t *testing.T) {
	tr := func(rec, il int, name string) wave.IXMLTrack {
		return wave.IXMLTrack{Recorder: rec, Interleave: il, Name: name}
	}
	whole := list(tr(1, 1, "MixL"), tr(3, 2, "Boom"), tr(7, 3, "Lav"))
	lines := &wave.Bext{Description: "sTRK1=A\nsTRK2=B\nsTRK3=C"}
	for name, c := range map[string]struct {
		info *source.Info
		file string
		want []source.TrackFact
	}{
		"by interleave, not by order": {info(2, list(tr(5, 2, "Second"), tr(9, 1, "First")), nil), "x.wav", []source.TrackFact{{1, "First", "ixml", 9}, {2, "Second", "ixml", 5}}},
		"no interleave: in order":     {info(2, list(tr(5, 0, "First"), tr(9, 0, "Second")), nil), "x.wav", []source.TrackFact{{1, "First", "ixml", 5}, {2, "Second", "ixml", 9}}},
		"mono with the whole list":    {info(1, whole, nil), "21A_3.wav", []source.TrackFact{{1, "Boom", "ixml", 3}}},
		"mono with its own track":     {info(1, list(tr(7, 3, "Lav")), nil), "whatever.wav", []source.TrackFact{{1, "Lav", "ixml", 7}}},
		"description lines":           {info(3, nil, lines), "x.wav", []source.TrackFact{{1, "A", "bext", 1}, {2, "B", "bext", 2}, {3, "C", "bext", 3}}},
		"sparse description lines":    {info(3, nil, &wave.Bext{Description: "TRK2=B"}), "x.wav", []source.TrackFact{{1, "", "", 0}, {2, "B", "bext", 2}, {3, "", "", 0}}},
		"mono with all lines":         {info(1, nil, lines), "x_2.wav", []source.TrackFact{{1, "B", "bext", 2}}},
		"iXML before description":     {info(2, list(tr(1, 1, "X"), tr(2, 2, "")), &wave.Bext{Description: "sTRK1=A\nsTRK2=B"}), "x.wav", []source.TrackFact{{1, "X", "ixml", 1}, {2, "B", "bext", 2}}},
		"unnamed is not another's":    {info(4, list(tr(7, 1, "MixL"), tr(8, 2, "MixR"), tr(1, 3, ""), tr(3, 4, "Lav Ines")), &wave.Bext{Description: "sTRK3=Lav Ines"}), "x.wav", []source.TrackFact{{1, "MixL", "ixml", 7}, {2, "MixR", "ixml", 8}, {3, "", "", 1}, {4, "Lav Ines", "ixml", 3}}},
		"lines by channel number":     {info(3, list(tr(7, 1, "MixL"), tr(1, 2, ""), tr(2, 3, "Lav")), &wave.Bext{Description: "sTRK1=MixL\nsTRK3=Lav"}), "x.wav", []source.TrackFact{{1, "MixL", "ixml", 7}, {2, "", "", 1}, {3, "Lav", "ixml", 2}}},
		"mono, nothing tells which":   {info(1, whole, lines), "21A.wav", []source.TrackFact{{1, "", "", 0}}},
		"mono, numbered by channel":   {info(1, list(tr(7, 1, "MixL"), tr(8, 2, "MixR")), nil), "21A_2.wav", []source.TrackFact{{1, "MixR", "ixml", 8}}},
		"no character XML can't hold": {info(1, nil, &wave.Bext{Description: "TRK1=Lav\x01\x7f Ines\x02"}), "x.wav", []source.TrackFact{{1, "Lav   Ines", "bext", 1}}},
		"by the name":                 {info(1, nil, nil), "mix_LFE.wav", []source.TrackFact{{1, "LFE", "name", 0}}},
		"a poly file has no speaker":  {info(2, nil, nil), "mix_LFE.wav", []source.TrackFact{{1, "", "", 0}, {2, "", "", 0}}},
	} {
		assert.Equal(t, c.want, c.info.Gather(c.file).Tracks, name)
	}
}

func TestStart(t *testing.T) {
	stamp := func(lo, rate string) string {
		return "<SPEED><TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>" + lo + "</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO><TIMESTAMP_SAMPLE_RATE>" + rate + "</TIMESTAMP_SAMPLE_RATE></SPEED>"
	}
	for name, c := range map[string]struct {
		info *source.Info
		want int64
		code string
	}{
		"none":                    {info(1, nil, nil), -1, ""},
		"bext":                    {info(1, nil, &wave.Bext{TimeReference: 480}), 480, ""},
		"midnight":                {info(1, nil, &wave.Bext{}), 0, ""},
		"bext of 0, iXML silent":  {info(1, doc(t, "<SCENE>1</SCENE>"), &wave.Bext{}), -1, ""},
		"iXML alone":              {info(1, doc(t, stamp("960", "48000")), nil), 960, ""},
		"iXML at another rate":    {info(1, doc(t, stamp("96000", "96000")), nil), 48000, ""},
		"both, alike":             {info(1, doc(t, stamp("960", "48000")), &wave.Bext{TimeReference: 960}), 960, ""},
		"both, bext not filled":   {info(1, doc(t, stamp("960", "48000")), &wave.Bext{}), 960, ""},
		"both, not alike":         {info(1, doc(t, stamp("960", "48000")), &wave.Bext{TimeReference: 480}), 480, "start_disagrees"},
		"beyond belief":           {info(1, nil, &wave.Bext{TimeReference: 1 << 60}), -1, "start_unbelievable"},
		"beyond belief, unsigned": {info(1, nil, &wave.Bext{TimeReference: 1<<64 - 1}), -1, "start_unbelievable"},
	} {
		f := c.info.Gather("x.wav")
		assert.Equal(t, c.want, f.Start, name)
		if c.code == "" {
			assert.Empty(t, f.Snags, name)
		} else if assert.Len(t, f.Snags, 1, name) {
			assert.Equal(t, c.code, f.Snags[0].Code, name)
		}
	}
}

func TestTakeFacts(t *testing.T) {
	f := info(1, nil, &wave.Bext{Description: "sSCENE=21A\nsTAKE=3\nsTAPE=R1\nsSPEED=029.970-DF\nsNOTE=rain\nsCIRCLED=TRUE\nsPROJECT=LF"}).Gather("x.wav")
	assert.Equal(t, []string{"21A", "3", "R1", "rain", "LF"}, []string{f.Scene, f.Take, f.Roll, f.Note, f.Project})
	assert.True(t, f.Circled && f.Rate.Drop)
	pulled := info(1, doc(t, "<SPEED><FILE_SAMPLE_RATE>48048</FILE_SAMPLE_RATE></SPEED>"), nil).Gather("x.wav")
	require.Len(t, pulled.Snags, 1)
	assert.Equal(t, "rate_disagrees", pulled.Snags[0].Code)
	pulled = info(1, doc(t, "<SPEED><DIGITIZER_SAMPLE_RATE>48048</DIGITIZER_SAMPLE_RATE></SPEED>"), nil).Gather("x.wav")
	require.Len(t, pulled.Snags, 1)
	assert.Equal(t, "rate_pulled", pulled.Snags[0].Code)
}

func TestParseName(t *testing.T) {
	for in, want := range map[string]source.Name{
		"21A-T03_1.wav": {Stem: "21A-T03", Number: 1}, "21A-T03_A12.wav": {Stem: "21A-T03", Number: 12}, "21AT03.L.wav": {Stem: "21AT03", Speaker: "L"},
		"mix_LFE.wav": {Stem: "mix", Speaker: "LFE"}, "x_Ch01.wav": {Stem: "x", Number: 1}, "x-Tr1.wav": {Stem: "x", Number: 1}, "x track 1.wav": {Stem: "x", Number: 1},
		"a/b/mix_sub.wav": {Stem: "mix", Speaker: "LFE"}, "mix left surround.wav": {Stem: "mix", Speaker: "Ls"}, "mix_Lrs.wav": {Stem: "mix", Speaker: "Lsr"},
		"plain.wav": {Stem: "plain"}, "21A-T03.wav": {Stem: "21A-T03"}, "_1.wav": {Stem: "_1"}, "x_.wav": {Stem: "x_"}, "x_0.wav": {Stem: "x_0"}, "L.wav": {Stem: "L"},
		"LF_MX_3_R.wav": {Stem: "LF_MX_3", Speaker: "R", Series: "LF_MX", Place: 3}, "Reel.2 R.wav": {Stem: "Reel.2", Speaker: "R", Series: "Reel", Place: 2},
		"EP 1.2 R.wav": {Stem: "EP 1.2", Speaker: "R"}, "FX 5.1 L.wav": {Stem: "FX 5.1", Speaker: "L"}, "Mix v1.2.wav": {Stem: "Mix v1.2"}, "Mix v1.2 L.wav": {Stem: "Mix v1.2", Speaker: "L"}, "21A.1.wav": {Stem: "21A", Number: 1}, "LF_DX_LFE.wav": {Stem: "LF_DX", Speaker: "LFE"}, "R2_2026_L.wav": {Stem: "R2_2026", Speaker: "L"},
	} {
		assert.Equal(t, want, source.ParseName(in), in)
	}
}

// A list that names a channel twice is told: another channel is without its name.
func TestADoubledIndexIsTold(t *testing.T) {
	x := wave.NewIXML()
	x.SetTracks([]wave.IXMLTrack{{Interleave: 1, Recorder: 1, Name: "Boom"}, {Interleave: 1, Recorder: 2, Name: "Lav"}})
	i := source.Info{Format: wave.Format{Channels: 2, SampleRate: 48000}, IXML: x}
	f := i.Gather("a.wav")
	require.NotEmpty(t, f.Snags)
	assert.Equal(t, "doubled_index", f.Snags[0].Code)
	assert.Equal(t, "Boom", f.Tracks[0].Label)
}
