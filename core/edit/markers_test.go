package edit_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

var pal = timecode.Rate{Num: 25, Den: 1}

func TestMarkersAsATable(t *testing.T) {
	markers := []reel.Marker{
		{ID: "a", At: 36000 * 48000, Name: "Pier, \"wide\"", Colour: "plum", Note: "two\nlines"},
		{ID: "b", At: 36001*48000 + 1920, Length: 25 * 1920, Name: "Ambience ÅÄÖ"},
	}
	var b bytes.Buffer
	require.NoError(t, edit.WriteMarkers(&b, markers, pal, 48000))
	assert.Equal(t, "timecode,length,name,colour,note\n10:00:00:00,0,\"Pier, \"\"wide\"\"\",plum,\"two\nlines\"\n10:00:01:01,25,Ambience ÅÄÖ,,\n", b.String())
	ids := []string{"a", "b"}
	back, err := edit.ReadMarkers(b.Bytes(), pal, 48000, func() string { id := ids[0]; ids = ids[1:]; return id })
	require.NoError(t, err)
	assert.Equal(t, markers, back)

	other, err := edit.ReadMarkers([]byte("\ufeffName,Reviewer, Timecode\r\nhum,Ines,10:00:00:12\r\n"), pal, 48000, newID)
	require.NoError(t, err)
	assert.Equal(t, "hum", other[0].Name, "other orders, other columns, a byte order mark")
	for text, says := range map[string]string{
		"":                                 "line 1 of the table of markers: it names no columns timecode and name",
		"timecode,note\n":                  "names no columns timecode and name",
		"timecode,name\n10:00:00:25,x\n":   "line 2 of the table of markers: ",
		"timecode,name\n\n10:00:00:00,\n":  "line 3 of the table of markers: a marker needs a name",
		"timecode,name,length\n0:0,x,2s\n": "line 2",
		"timecode,name,colour\n10:00:00:00,x,mauve\n":         "expected one of citron",
		"timecode,name,length\n10:00:00:00,x,-3\n":            "expected frames",
		"timecode,name\n10:00:00:00,\"never closed\n\n\n\n\n": "line 2",
	} {
		_, err := edit.ReadMarkers([]byte(text), pal, 48000, newID)
		require.ErrorContains(t, err, says, text)
	}
}

func FuzzReadMarkers(f *testing.F) {
	f.Add([]byte("timecode,length,name,colour,note\n10:00:00:00,0,x,plum,y\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		markers, err := edit.ReadMarkers(b, pal, 48000, newID)
		if err != nil {
			return
		}
		var out bytes.Buffer
		require.NoError(t, edit.WriteMarkers(&out, markers, pal, 48000))
		again, err := edit.ReadMarkers(out.Bytes(), pal, 48000, newID)
		require.NoError(t, err)
		require.Len(t, again, len(markers))
	})
}
