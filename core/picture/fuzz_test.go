package picture

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"zestyloom/internal/bounded"
)

// What a program says of a file that somebody made to that end is no more to be trusted than the file.
func FuzzParse(f *testing.F) {
	f.Add([]byte(`{"streams": [{"index": 0, "codec_type": "video", "codec_name": "mjpeg", "width": 160, "height": 90, "r_frame_rate": "25/1", "time_base": "1/12800", "tags": {"timecode": "22:10:30:00"}}, {"index": 1, "codec_type": "audio", "codec_name": "pcm_s24le", "sample_fmt": "s32", "sample_rate": "48000", "channels": 2, "bits_per_sample": 24, "time_base": "1/48000", "start_pts": 480, "duration_ts": 96000}], "format": {"format_name": "mov,mp4", "duration": "2.0"}}`))
	f.Add([]byte(`{"streams": [{"codec_type": "audio", "sample_rate": "9", "channels": -1, "time_base": "1/0"}], "format": {}}`))
	f.Fuzz(func(t *testing.T, b []byte) {
		bounded.Check(t, len(b), func() {
			info, err := parse(b)
			if err != nil {
				return
			}
			if n := len(info.Facts().Tracks); n != info.Format().Channels {
				t.Fatalf("%d tracks for %d channels", n, info.Format().Channels)
			}
			_, _, _ = info.Start(48000)
			_, _ = info.Frames(), info.Lead()
		})
	})
}

func FuzzMXFRate(f *testing.F) {
	f.Add(append(append([]byte{}, mxfTimecodeComponent...), 0x83, 0, 0, 8, 0x15, 0x02, 0, 2, 0, 25))
	f.Add(bytes.Repeat(mxfTimelineTrack, 40))
	f.Fuzz(func(t *testing.T, b []byte) {
		path := filepath.Join(t.TempDir(), "x.mxf")
		if err := os.WriteFile(path, b, 0o600); err != nil {
			t.Fatal(err)
		}
		bounded.Check(t, len(b), func() {
			if rate, ok := mxfRate(path); ok && rate.Zero() {
				t.Fatal("a rate that is none")
			}
		})
	})
}

// Marks for headsets stand in boxes that anybody may have written.
func FuzzHeadset(f *testing.F) {
	entry := box("avc1", make([]byte, pictureFields), Seen(180, "side_by_side").marks())
	stsd := box("stsd", make([]byte, 8), entry)
	hdlr := box("hdlr", make([]byte, 8), []byte(pictureTrack))
	f.Add(box("moov", box("trak", box("mdia", hdlr, box("minf", box("stbl", stsd))))))
	f.Fuzz(func(t *testing.T, b []byte) {
		bounded.Check(t, len(b), func() {
			r := bytes.NewReader(b)
			ways, err := entryWays(r, int64(len(b)), pictureTrack)
			if err != nil {
				return
			}
			for _, way := range ways {
				h, end, err := headsetOf(r, way[6])
				if end > int64(len(b)) {
					t.Fatalf("boxes end at %d of %d", end, len(b))
				}
				if err == nil && h != nil && h.String() == "" {
					t.Fatal("it says nothing")
				}
			}
		})
	})
}
