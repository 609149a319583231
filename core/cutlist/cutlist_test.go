package cutlist_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/columns"
	"zestyloom/core/cutlist"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

var pal = timecode.Rate{Num: 25, Den: 1}

const rate = 48000

func at(tc string) int64 {
	f, err := pal.Parse(tc)
	if err != nil {
		panic(err)
	}
	return pal.SampleAt(f, rate)
}

const edl = `TITLE: LANTERN FERRY EP2
FCM: NON-DROP FRAME

001  LF07     V     C        22:10:33:00 22:10:36:00 10:00:00:00 10:00:03:00
* FROM CLIP NAME: 21A-3
001  LF07     A     C        22:10:33:00 22:10:36:00 10:00:00:00 10:00:03:00
002  LF07     V     C        22:10:40:00 22:10:40:00 10:00:03:00 10:00:03:00
002  LF07     V     D    012 22:11:05:00 22:11:08:00 10:00:03:00 10:00:06:00
* FROM CLIP NAME: 21A-3
* TO CLIP NAME: 22-1
M2   LF07       050.0       22:11:05:00
003  BL       V     C        00:00:00:00 00:00:01:00 10:00:06:00 10:00:07:00
004  LF 09    V     C        23:59:59:00 00:00:01:00 10:00:07:00 10:00:09:00
* SCENE: 30
* TAKE: 2
`

func TestEditDecisionLists(t *testing.T) {
	l, err := cutlist.Parse([]byte(strings.ReplaceAll(edl, "\n", "\r\n")), pal, rate, nil)
	require.NoError(t, err)
	assert.Equal(t, "LANTERN FERRY EP2", l.Title)
	assert.Equal(t, []cutlist.Event{
		{Number: "001", Name: "21A-3", Reel: "LF07", In: at("22:10:33:00"), At: at("10:00:00:00"), Length: 3 * rate},
		{Number: "002", Name: "22-1", Reel: "LF07", In: at("22:11:05:00"), At: at("10:00:03:00"), Length: 3 * rate, Fade: 12 * 1920},
		{Number: "004", Reel: "LF 09", Scene: "30", Take: "2", In: at("23:59:59:00"), At: at("10:00:07:00"), Length: 2 * rate},
	}, l.Events)
	require.Len(t, l.Left, 1)
	assert.Contains(t, l.Left[0], "changes the speed")
	for text, says := range map[string]string{
		"":            "no event",
		"hello there": "no event",
		"001  LF07  V  C  22:10:33:00 22:10:36:00 10:00:00:00":             "line 1",
		"TITLE: x\n001  LF07  V  C  22:10:33:25 22:10:36:00 1:0:0:0 1:0:0": "line 2",
		"001  R  V  C  22:10:33:30 22:10:36:00 10:00:00:00 10:00:03:00":    "frames to 24",
		"{}":                 "expected an OpenTimelineIO Timeline",
		`{"OTIO_SCHEMA`:      "not understood",
		"source_in,x\n1":     "no event",
		"source_in,x,y\n1,2": "say what its columns hold",
		"source_in,source_out,record_in,name\n10:00:00:00,10:00:01:00,0:0:0:0,\"open": "quotation mark",
		"source_in,source_out,record_in\n10:00:00:00,10:00:00:00,0:0:0:0":             "ends where it begins",
	} {
		_, err := cutlist.Parse([]byte(text), pal, rate, nil)
		require.ErrorContains(t, err, says, text)
	}
}

// A table in another language, and one whose headings say nothing, which is read as somebody says.
func TestTablesOfOthers(t *testing.T) {
	l, err := cutlist.Parse([]byte("Quelle In;Quelle Out;Ziel In;Szene\n22:10:33:00;22:10:34:12;10:00:00:00;21A\n"), pal, rate, nil)
	require.NoError(t, err)
	require.Len(t, l.Events, 1)
	assert.Equal(t, "21A", l.Events[0].Scene)
	text := []byte("cut by hand\nA\tB\tC\tD\n22:10:33:00\t22:10:34:12\t10:00:00:00\t21A-3\n")
	bare, err := cutlist.Parse(text, pal, rate, nil)
	assert.Equal(t, "bad_cut_list", snag.Of(err).Code)
	assert.Equal(t, 2, bare.Table.Head)
	assert.Len(t, bare.Table.Columns, 4)
	said, err := cutlist.Parse(text, pal, rate, &columns.Mapping{Head: 2, Fields: []string{"source_in", "source_out", "record_in", "name"}})
	require.NoError(t, err)
	require.Len(t, said.Events, 1)
	assert.Equal(t, "21A-3", said.Events[0].Name)
	assert.Equal(t, l.Events[0].At, said.Events[0].At)
	for _, fields := range [][]string{{"source_in"}, {"nose"}} {
		_, err = cutlist.Parse(text, pal, rate, &columns.Mapping{Head: 2, Fields: fields})
		assert.Error(t, err)
	}
}

func TestPlainTables(t *testing.T) {
	l, err := cutlist.Parse([]byte("Record_In,Source_In,Source_Out,Name,Fade\n10:00:00:00,22:10:33:00,22:10:34:12,21A-3,\n10:00:01:12,22:11:05:00,22:11:06:00,\"22-1, pier\",5\n"), pal, rate, nil)
	require.NoError(t, err)
	assert.Equal(t, []cutlist.Event{
		{Number: "1", Name: "21A-3", In: at("22:10:33:00"), At: at("10:00:00:00"), Length: 37 * 1920},
		{Number: "2", Name: "22-1, pier", In: at("22:11:05:00"), At: at("10:00:01:12"), Length: rate, Fade: 5 * 1920},
	}, l.Events)
}

func span(start, length, r float64) map[string]any {
	time := func(v float64) map[string]any {
		return map[string]any{"OTIO_SCHEMA": "RationalTime.1", "value": v, "rate": r}
	}
	return map[string]any{"OTIO_SCHEMA": "TimeRange.1", "start_time": time(start), "duration": time(length)}
}

func TestOpenTimelineIO(t *testing.T) {
	hour := 3600.0 * 25
	clip := func(name string, start, length float64, more map[string]any) map[string]any {
		c := map[string]any{"OTIO_SCHEMA": "Clip.2", "name": name, "source_range": span(start, length, 25)}
		for k, v := range more {
			c[k] = v
		}
		return c
	}
	doc := map[string]any{
		"OTIO_SCHEMA": "Timeline.1", "name": "Ep 2",
		"global_start_time": map[string]any{"OTIO_SCHEMA": "RationalTime.1", "value": 10 * hour, "rate": 25.0},
		"tracks": map[string]any{"OTIO_SCHEMA": "Stack.1", "children": []any{
			map[string]any{"OTIO_SCHEMA": "Track.1", "kind": "Audio", "name": "A1", "children": []any{clip("sound", 0, 25, nil)}},
			map[string]any{"OTIO_SCHEMA": "Track.1", "kind": "Video", "name": "V1", "children": []any{
				clip("21A-3", 22*hour, 75, map[string]any{"metadata": map[string]any{"cmx_3600": map[string]any{"reel": "LF07"}}}),
				map[string]any{"OTIO_SCHEMA": "Gap.1", "source_range": span(0, 25, 25)},
				clip("", 22*hour+100, 50, map[string]any{"active_media_reference_key": "DEFAULT_MEDIA", "media_references": map[string]any{
					"DEFAULT_MEDIA": map[string]any{"OTIO_SCHEMA": "ExternalReference.1", "target_url": "file:///shoot/22-1%20pier.mov"}}}),
				map[string]any{"OTIO_SCHEMA": "Transition.1", "in_offset": map[string]any{"value": 5.0, "rate": 25.0}, "out_offset": map[string]any{"value": 7.0, "rate": 25.0}},
				clip("22-2", 23*hour, 50, map[string]any{"effects": []any{map[string]any{"OTIO_SCHEMA": "LinearTimeWarp.1"}}}),
				clip("gone", 23*hour, 50, map[string]any{"enabled": false}),
				map[string]any{"OTIO_SCHEMA": "Clip.1", "name": "whole", "media_reference": map[string]any{"OTIO_SCHEMA": "ExternalReference.1", "available_range": span(24*3600*23.976, 24*60, 23.976)}},
			}},
		}},
	}
	b, err := json.Marshal(doc)
	require.NoError(t, err)
	l, err := cutlist.Parse(b, pal, rate, nil)
	require.NoError(t, err)
	ten := at("10:00:00:00")
	assert.Equal(t, []cutlist.Event{
		{Number: "1", Name: "21A-3", Reel: "LF07", In: at("22:00:00:00"), At: ten, Length: 3 * rate},
		{Number: "2", Name: "22-1 pier", In: at("22:00:04:00"), At: ten + 4*rate, Length: 2 * rate},
		{Number: "3", Name: "22-2", In: at("23:00:00:00") - 5*1920, At: ten + 6*rate - 5*1920, Length: 2*rate + 5*1920, Fade: 12 * 1920},
	}[:3], l.Events[:3])
	require.Len(t, l.Events, 4)
	assert.EqualValues(t, 60*48048, l.Events[3].Length, "24 frames of 23.976 last 1.001 seconds")
	assert.Len(t, l.Left, 2, "%v", l.Left)
}

// What is named is found by its name, every recorder of it; what is doubtful is said and not taken.
func TestEventsFindTheirTakes(t *testing.T) {
	takes := []cutlist.Take{
		{Name: "21A-1", Scene: "21A", Take: "1", Roll: "LF07", Start: at("22:10:05:00"), Frames: 20 * rate},
		{Name: "21A-3", Scene: "21A", Take: "3", Roll: "LF07", Start: at("22:10:32:10"), Frames: 18 * rate},
		{Name: "21A-3", Scene: "21A", Take: "3", Roll: "LFB02", Start: at("22:10:32:10"), Frames: 18 * rate},
		{Name: "wild", Start: at("22:10:35:00"), Frames: 5 * rate},
		{Name: "lost", Roll: "Z1", Start: -1, Frames: 5 * rate},
	}
	event := func(name, reel, scene, take, in string, seconds int64) cutlist.Event {
		return cutlist.Event{Name: name, Reel: reel, Scene: scene, Take: take, In: at(in), Length: seconds * rate}
	}
	for _, c := range []struct {
		event cutlist.Event
		takes []int
		by    string
		says  string
		short bool
	}{
		{event("21a_03", "", "", "", "22:10:36:00", 3), []int{1, 2}, "name", "by its name", false},
		{event("A017C003", "", "21A", "3", "22:10:36:00", 3), []int{1, 2}, "scene", "by scene", false},
		{event("A017C003", "lf7", "", "", "22:10:36:00", 3), []int{1, 2}, "reel", "by reel", false},
		{event("A017C003", "LF07", "", "", "22:10:10:00", 3), []int{0}, "reel", "by reel", false},
		{event("A017C003", "", "", "", "22:10:10:00", 3), []int{0}, "timecode", "by timecode alone", false},
		{event("A017C003", "", "", "", "22:10:36:00", 3), []int{}, "", "nothing tells which is meant", false},
		{event("21A-3", "", "", "", "22:10:48:00", 9), []int{1, 2}, "name", "by its name", true},
		{event("21A-3", "", "", "", "23:00:00:00", 3), []int{}, "", "take 21A-3 is here, and its timecode does not hold the event", false},
		{event("x", "Z1", "", "", "23:00:00:00", 3), []int{}, "", "has no start timecode", false},
		{event("x", "Q", "", "", "23:00:00:00", 3), []int{}, "", `no take has the name "x", the reel "Q"`, false},
	} {
		m := cutlist.Find(cutlist.List{Events: []cutlist.Event{c.event}}, takes)[0]
		says := fmt.Sprint(c.event.Name, c.event.Reel, c.event.Scene)
		assert.Equal(t, c.takes, m.Takes, says)
		assert.Equal(t, c.by, m.By, says)
		assert.Contains(t, m.Says, c.says, says)
		assert.Equal(t, c.short, m.Short, says)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(edl))
	f.Add([]byte("source_in,source_out,record_in\n10:00:00:00,10:00:01:00,10:00:00:00\n"))
	f.Add([]byte(`{"OTIO_SCHEMA":"Timeline.1","tracks":{"children":[{"OTIO_SCHEMA":"Track.1","children":[{"OTIO_SCHEMA":"Transition.1"},{"OTIO_SCHEMA":"Clip.1","source_range":{"duration":{"value":1e300,"rate":1e-300}}},null]}]}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := cutlist.Parse(b, pal, rate, nil)
		if err != nil {
			return
		}
		for _, e := range l.Events {
			if e.Length <= 0 || e.In < 0 || e.Fade < 0 || e.Fade > e.Length {
				t.Fatalf("%+v", e)
			}
		}
		cutlist.Find(l, []cutlist.Take{{Name: "21A-3", Start: 0, Frames: 1 << 40}})
	})
}

// A frame of an OTIO is where the same frame of timecode is: at rates whose frames are no whole number of samples, too.
func TestFramesOfEveryListAreTheSame(t *testing.T) {
	rate := timecode.Rate{Num: 30000, Den: 1001}
	for _, frame := range []int64{0, 1, 2, 107892, 107893, 1799, 999983} {
		otio := fmt.Sprintf(`{"OTIO_SCHEMA":"Timeline.1","global_start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":29.97,"value":%d},"tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Video","children":[{"OTIO_SCHEMA":"Clip.2","name":"21A-3","source_range":{"OTIO_SCHEMA":"TimeRange.1","start_time":{"OTIO_SCHEMA":"RationalTime.1","rate":29.97,"value":%d},"duration":{"OTIO_SCHEMA":"RationalTime.1","rate":29.97,"value":30}}}]}]}}`, frame, frame)
		l, err := cutlist.Parse([]byte(otio), rate, 48000, nil)
		require.NoError(t, err)
		require.Len(t, l.Events, 1)
		assert.Equal(t, rate.SampleAt(frame, 48000), l.Events[0].In, "frame %d", frame)
	}
}

// Events whose source is not as long as what they record, or runs backwards, are told.
func TestEventsAtOtherSpeeds(t *testing.T) {
	rate := timecode.Rate{Num: 25, Den: 1}
	l, err := cutlist.Parse([]byte(`TITLE: X
001  R1 V C 10:00:00:00 10:00:02:00 01:00:00:00 01:00:01:00
002  R1 V C 10:00:05:00 10:00:04:00 01:00:01:00 01:00:02:00
003  R1 V C 10:00:05:00 10:00:05:01 01:00:02:00 01:00:03:00
004  R1 V C 23:59:59:00 00:00:00:00 01:00:03:00 01:00:04:00
005  R1 V C 10:00:06:00 10:00:07:00 01:00:04:00 01:00:05:00
`), rate, 48000, nil)
	require.NoError(t, err)
	var numbers []string
	for _, e := range l.Events {
		numbers = append(numbers, e.Number)
		assert.EqualValues(t, 48000, e.Length)
	}
	assert.Equal(t, []string{"001", "004", "005"}, numbers)
	require.Len(t, l.Left, 3)
	assert.Contains(t, l.Left[0], "speed 200 %")
	assert.Contains(t, l.Left[1], "backwards")
	assert.Contains(t, l.Left[2], "holds a frame")
}
