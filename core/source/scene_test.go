package source_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/adm"
	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/wave"
)

// described writes a file of so many channels with chunks of a description, and gathers what it says.
func described(t *testing.T, channels int, chunks []wave.RawChunk, ixml *wave.IXML) source.Facts {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.wav")
	f, err := os.Create(path)
	require.NoError(t, err)
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: audio.S24, Channels: channels, SampleRate: 48000}, Container: wave.BW64, Extra: chunks, IXML: ixml})
	require.NoError(t, err)
	_, err = w.Write(make([]byte, channels*3*10))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	require.NoError(t, f.Close())
	src, err := source.Open(path)
	require.NoError(t, err)
	defer src.Close()
	return src.Gather("x.wav")
}

func TestLabelsAndGroupsOfADescription(t *testing.T) {
	l51, err := audio.ParseLayout("5.1")
	require.NoError(t, err)
	st, err := audio.ParseLayout("stereo")
	require.NoError(t, err)
	field, err := audio.ParseLayout("ambisonic 1 SN3D")
	require.NoError(t, err)
	up, err := audio.ParseLayout("5.1.4")
	require.NoError(t, err)
	axml, chna, err := adm.Marshal(adm.Scene{Programme: "P", Rate: 48000, Bits: 24, Elements: []adm.Element{
		{Name: "Deck", Layout: field, Tracks: []int{3, 2, 1, 0}}, {Name: "Mix", Layout: l51, Tracks: []int{4, 6, 5, 9, 7, 8}}, {Name: "MX", Layout: st, Tracks: []int{11, 10}},
		{Name: "Up", Layout: up, Tracks: []int{12, 13, 14, 15, 16, 17, 18, 19, 20, 21}},
	}})
	require.NoError(t, err)
	chunks := []wave.RawChunk{{ID: "chna", Data: chna}, {ID: "axml", Data: axml}}
	f := described(t, 23, chunks, nil)
	assert.Empty(t, f.Snags)
	var labels []string
	for _, tr := range f.Tracks[:12] {
		labels = append(labels, tr.Label)
		assert.Equal(t, "adm", tr.LabelSource)
	}
	assert.Equal(t, []string{"Deck ACN 3", "Deck ACN 2", "Deck ACN 1", "Deck ACN 0", "Mix L", "Mix C", "Mix R", "Mix Ls", "Mix Rs", "Mix LFE", "MX R", "MX L"}, labels)
	assert.Equal(t, "", f.Tracks[22].Label, "what is not described has no label")
	assert.Equal(t, []take.Reading{
		{Kind: take.Ambisonic, Positions: []int{4, 3, 2, 1}, Order: []audio.Speaker{}, From: take.FromContainer, Why: "the file itself says so"},
		{Kind: take.Surround, Positions: []int{5, 7, 6, 10, 8, 9}, Order: l51.Speakers, From: take.FromContainer, Why: "the file itself says so"},
		{Kind: take.Stereo, Positions: []int{12, 11}, Order: []audio.Speaker{}, From: take.FromContainer, Why: "the file itself says so"},
	}, take.FactReadings(f.Groups), "a take is not read as what it has no reading for")
	require.NoError(t, take.CheckReadings(take.FactReadings(f.Groups), 23))

	// What iXML names keeps its name.
	x := wave.NewIXML()
	x.SetTracks([]wave.IXMLTrack{{Interleave: 5, Name: "Centre stage"}})
	f = described(t, 23, chunks, x)
	assert.Equal(t, []string{"Centre stage", "ixml"}, []string{f.Tracks[4].Label, f.Tracks[4].LabelSource})
	assert.Equal(t, "Mix C", f.Tracks[5].Label)

	// A description that is not understood stops nothing.
	f = described(t, 23, []wave.RawChunk{{ID: "chna", Data: chna}, {ID: "axml", Data: axml[:len(axml)/2]}}, nil)
	require.Len(t, f.Snags, 1)
	assert.Equal(t, "adm_unreadable", f.Snags[0].Code)
	assert.Equal(t, "", f.Tracks[0].Label)
}
