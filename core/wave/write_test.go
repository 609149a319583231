package wave

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
)

func write(t *testing.T, o Options, samples []byte, limit int64) (string, *Header) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.wav")
	f, err := os.Create(path)
	require.NoError(t, err)
	w, err := NewWriter(f, o)
	require.NoError(t, err)
	if limit > 0 {
		w.limit = limit
	}
	_, err = w.Write(samples)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	st, err := f.Stat()
	require.NoError(t, err)
	h, err := Read(f, st.Size())
	require.NoError(t, err)
	got := make([]byte, len(samples))
	_, err = f.ReadAt(got, h.DataOffset)
	require.NoError(t, err)
	require.Equal(t, samples, got)
	require.NoError(t, f.Close())
	return path, h
}

func TestWrittenFilesReadBack(t *testing.T) {
	for _, c := range []audio.Coding{audio.U8, audio.S16, audio.S24, audio.S32, audio.F32, audio.F64} {
		for _, channels := range []int{1, 2, 3, 8} {
			for _, limit := range []int64{0, 10} { // 10 bytes: everything is promoted to RF64
				o := Options{Format: Format{Coding: c, SampleRate: 96000, Channels: channels}, Extra: []RawChunk{{"cue ", []byte("odd")}}}
				samples := bytes.Repeat([]byte{7}, 13*channels*c.Bytes())
				_, h := write(t, o, samples, limit)
				want := RIFF
				if limit > 0 {
					want = RF64
				}
				assert.Equal(t, want, h.Container)
				assert.Equal(t, c, h.Format.Coding)
				assert.Equal(t, channels, h.Format.Channels)
				assert.Equal(t, 96000, h.Format.SampleRate)
				assert.EqualValues(t, 13, h.Frames)
				assert.Equal(t, o.Extra, h.Extra)
				assert.Empty(t, h.Snags)
			}
		}
	}
}

func TestExtensibleWhereItMustBe(t *testing.T) {
	for _, c := range []struct {
		f    Format
		size int
	}{
		{Format{Coding: audio.S16, Channels: 2}, 16}, {Format{Coding: audio.S16, Channels: 3}, 40}, {Format{Coding: audio.S24, Channels: 1}, 40},
		{Format{Coding: audio.F32, Channels: 2}, 18}, {Format{Coding: audio.F32, Channels: 6}, 40}, {Format{Coding: audio.S16, Channels: 2, Mask: 0x30}, 40},
		{Format{Coding: audio.S16, Channels: 1, ValidBits: 12}, 40},
	} {
		assert.Len(t, c.f.marshal(), c.size, "%+v", c.f)
	}
}

func TestAGrowingFileIsReadable(t *testing.T) {
	f, err := os.Create(filepath.Join(t.TempDir(), "x.wav"))
	require.NoError(t, err)
	defer f.Close()
	w, err := NewWriter(f, Options{Format: Format{Coding: audio.S24, SampleRate: 48000, Channels: 2}})
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 600)) // and then the power goes
	require.NoError(t, err)
	st, err := f.Stat()
	require.NoError(t, err)
	h, err := Read(f, st.Size())
	require.NoError(t, err)
	assert.EqualValues(t, 100, h.Frames)
	assert.Equal(t, []string{"size_lost"}, codes(h))
}

func TestPartFramesAreAnError(t *testing.T) {
	f, err := os.Create(filepath.Join(t.TempDir(), "x.wav"))
	require.NoError(t, err)
	defer f.Close()
	w, err := NewWriter(f, Options{Format: Format{Coding: audio.S24, SampleRate: 48000, Channels: 2}})
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 7))
	require.NoError(t, err)
	assert.ErrorContains(t, w.Close(), "whole frames")
}

func TestBext(t *testing.T) {
	b := &Bext{
		Description: "sSCENE=21A", Originator: "Loom", OriginatorReference: "R1", OriginationDate: "2026-03-14", OriginationTime: "22:10:05",
		TimeReference: 3830640000 + 1<<33, Version: 2, UMID: [64]byte{1, 2}, Loudness: [5]int16{-2300, 500, -100, -1800, -2000}, CodingHistory: "A=PCM\r\n",
	}
	got, err := ParseBext(b.Marshal())
	require.NoError(t, err)
	assert.Equal(t, b, got)
	got, err = ParseBext(b.Marshal()[:400]) // an old writer's short chunk
	require.NoError(t, err)
	assert.Equal(t, b.TimeReference, got.TimeReference)
	assert.Equal(t, NotGiven, got.Loudness[0])
	_, err = ParseBext(make([]byte, 100))
	assert.Error(t, err)
	raw := b.Marshal()
	copy(raw, "Caf\xe9\x00rest")
	got, err = ParseBext(raw)
	require.NoError(t, err)
	assert.Equal(t, "Café", got.Description, "Latin-1")
	long := &Bext{Description: string(bytes.Repeat([]byte("é"), 200))}
	got, err = ParseBext(long.Marshal())
	require.NoError(t, err)
	assert.Equal(t, string(bytes.Repeat([]byte("é"), 128)), got.Description, "cut at a letter's edge")
}

func TestDescription(t *testing.T) {
	d := ParseDescription("sSCENE=21A\r\nsTAKE=3\r\nsTRK2=Lav Ines\r\nsTRK1=Boom\r\njust words\r\nzX=1")
	assert.Equal(t, "21A", d.Get("SCENE"))
	assert.Equal(t, "3", d.Get("TAKE"))
	assert.Equal(t, []Track{{1, "Boom"}, {2, "Lav Ines"}}, d.Tracks())
	assert.Equal(t, "21A", ParseDescription("SCENE=21A\nTRK1=x").Get("SCENE"), "without the small letter")
	out := d.WithTracks([]Track{{5, "Plant"}, {6, ""}}, [2]string{"TAPE", "R1"}, [2]string{"TAKE", "4"}, [2]string{"NOTE", ""})
	assert.Equal(t, "sSCENE=21A\r\nsTAKE=4\r\njust words\r\nzX=1\r\nzTAPE=R1\r\nzTRK5=Plant", out.String())
	var many []Track
	for i := range 40 {
		many = append(many, Track{i + 1, "A label of some length"})
	}
	s := Description{}.WithTracks(many).String()
	assert.LessOrEqual(t, len(s), 256)
	for _, tr := range ParseDescription(s).Tracks() {
		assert.Equal(t, "A label of some length", tr.Name, "only whole lines are written")
	}
}

const recorderXML = `<?xml version="1.0" encoding="UTF-8"?>
<BWFXML><IXML_VERSION>2.10</IXML_VERSION><PROJECT>Lantern &amp; Ferry</PROJECT><SCENE>21A</SCENE><TAKE>3</TAKE><TAPE>LF07</TAPE>
<TAKE_TYPE>NO_GOOD, WILD_TRACK</TAKE_TYPE><CIRCLED>TRUE</CIRCLED><MYSTERY kind="x"><DEEP>kept</DEEP></MYSTERY>
<SPEED><TIMECODE_RATE>30000/1001</TIMECODE_RATE><TIMECODE_FLAG>DF</TIMECODE_FLAG><TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>1</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_HI>
<TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO>5</TIMESTAMP_SAMPLES_SINCE_MIDNIGHT_LO><TIMESTAMP_SAMPLE_RATE>48000</TIMESTAMP_SAMPLE_RATE></SPEED>
<TRACK_LIST><TRACK_COUNT>2</TRACK_COUNT><TRACK><CHANNEL_INDEX>7</CHANNEL_INDEX><INTERLEAVE_INDEX>2</INTERLEAVE_INDEX><NAME>Lav</NAME><COLOUR>red</COLOUR></TRACK>
<TRACK><CHANNEL_INDEX>3</CHANNEL_INDEX><INTERLEAVE_INDEX>1</INTERLEAVE_INDEX><NAME>Boom</NAME></TRACK></TRACK_LIST></BWFXML>`

func TestIXML(t *testing.T) {
	utf16 := func(s string, big bool) []byte {
		out := []byte{0xFF, 0xFE}
		if big {
			out = []byte{0xFE, 0xFF}
		}
		for _, r := range s {
			if big {
				out = append(out, byte(r>>8), byte(r))
			} else {
				out = append(out, byte(r), byte(r>>8))
			}
		}
		return out
	}
	for name, b := range map[string][]byte{
		"UTF-8": []byte(recorderXML), "padded": append([]byte(recorderXML), 0, 0, 0), "with a mark": append([]byte("\xEF\xBB\xBF"), recorderXML...),
		"UTF-16LE": utf16(recorderXML, false), "UTF-16BE": utf16(recorderXML, true), "rubbish after it": append([]byte(recorderXML), "<<<"...),
	} {
		x, err := ParseIXML(b)
		if !assert.NoError(t, err, name) {
			continue
		}
		assert.Equal(t, "Lantern & Ferry", x.Get("PROJECT"), name)
		assert.True(t, x.Flag("CIRCLED") && x.Flag("NO_GOOD") && x.Flag("WILD_TRACK") && !x.Flag("FALSE_START"), name)
		assert.Equal(t, timecode.Rate{Num: 30000, Den: 1001, Drop: true}, x.Rate(), name)
		s, r, ok := x.Start()
		assert.True(t, ok && s == 1<<32+5 && r == 48000, name)
		assert.Equal(t, []string{"7 2 Lav", "3 1 Boom"}, said(x), name)
	}
	for name, s := range map[string]string{
		"entities": `<!DOCTYPE x [<!ENTITY a "aaaa">]><BWFXML>&a;</BWFXML>`, "another root": "<x/>", "cut": "<BWFXML><SCENE>2", "empty": "",
		"deep": string(bytes.Repeat([]byte("<a>"), 100)),
	} {
		_, err := ParseIXML([]byte(s))
		assert.Error(t, err, name)
	}
}

// said is a track list in words.
func said(x *IXML) (out []string) {
	for _, t := range x.Tracks() {
		out = append(out, fmt.Sprint(t.Recorder, " ", t.Interleave, " ", t.Name))
	}
	return out
}

// Comments, prefixes and the marks of other makers come back as they were written.
func TestRewrittenIXMLKeepsCommentsAndPrefixes(t *testing.T) {
	const doc = `<!-- before --><BWFXML xmlns:v="urn:maker"><!-- inside --><v:GAIN v:unit="dB">12</v:GAIN><TRACK_LIST><!-- three --><TRACK><CHANNEL_INDEX>1</CHANNEL_INDEX><v:COLOUR>red</v:COLOUR></TRACK></TRACK_LIST></BWFXML><!-- after -->`
	x, err := ParseIXML([]byte(doc))
	require.NoError(t, err)
	x.SetTracks(x.Tracks())
	out := string(x.Marshal())
	for _, want := range []string{"<!-- before -->", "<!-- inside -->", "<!-- three -->", "<!-- after -->", `xmlns:v="urn:maker"`, `<v:GAIN v:unit="dB">12</v:GAIN>`, "<v:COLOUR>red</v:COLOUR>"} {
		assert.Contains(t, out, want)
	}
	_, err = ParseIXML([]byte("<BWFXML><A></B></BWFXML>"))
	assert.ErrorContains(t, err, "not open")
	// Eight megabytes of comments are refused at once instead of read for minutes.
	_, err = ParseIXML([]byte("<BWFXML>" + strings.Repeat("a<!---->", 1<<20) + "</BWFXML>"))
	assert.ErrorContains(t, err, "comments")
}

func TestAdopt(t *testing.T) {
	parse := func(s string) *IXML {
		x, err := ParseIXML([]byte("<BWFXML>" + s + "</BWFXML>"))
		require.NoError(t, err)
		return x
	}
	x := parse("<SCENE>1</SCENE><SAME><A>1</A></SAME><OTHER>mine</OTHER>")
	differ := x.Adopt(parse("<SCENE>2</SCENE><SAME><!-- c --><A>1</A></SAME><OTHER>yours</OTHER><NEW>n</NEW>"))
	assert.Equal(t, []string{"OTHER"}, differ)
	assert.Equal(t, []string{"1", "mine", "n"}, []string{x.Get("SCENE"), x.Get("OTHER"), x.Get("NEW")})
}

func TestRewrittenIXMLKeepsWhatItDoesNotKnow(t *testing.T) {
	x, err := ParseIXML([]byte(recorderXML))
	require.NoError(t, err)
	y := x.Clone()
	lav := y.Tracks()[0]
	lav.Interleave, lav.Name = 1, `L "a" <b>`
	y.SetTracks([]IXMLTrack{lav})
	y.SetSpeed(48000, 24, -1, timecode.Rate{})
	y.SetFileSet("F1", "name", 2, 1)
	z, err := ParseIXML(y.Marshal())
	require.NoError(t, err)
	assert.Contains(t, string(z.Marshal()), `<MYSTERY kind="x">`)
	assert.Contains(t, string(z.Marshal()), "<DEEP>kept</DEEP>")
	assert.Contains(t, string(z.Marshal()), "<COLOUR>red</COLOUR>")
	assert.Equal(t, []string{`7 1 L "a" <b>`}, said(z))
	_, _, ok := z.Start()
	assert.False(t, ok, "a start that is not known is not written")
	assert.Equal(t, "F1", z.FileSet("FAMILY_UID"))
	assert.Len(t, x.Tracks(), 2, "the clone is apart")
	z.SetSpeed(48000, 24, 1<<33+7, timecode.Rate{})
	s, _, _ := z.Start()
	assert.EqualValues(t, 1<<33+7, s)
}

func FuzzParseIXML(f *testing.F) {
	f.Add([]byte(recorderXML))
	f.Add([]byte("\xFF\xFE<\x00"))
	f.Fuzz(func(t *testing.T, b []byte) {
		x, err := ParseIXML(b)
		if err != nil {
			return
		}
		again, err := ParseIXML(x.Marshal())
		if err != nil {
			t.Fatalf("what was read can't be read again: %v\n%s", err, x.Marshal())
		}
		if a, b := x.Tracks(), again.Tracks(); len(a) != len(b) {
			t.Fatalf("%d tracks became %d", len(a), len(b))
		}
	})
}
