package app_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/internal/store"
)

// full is a reel of 64 tracks and 5,000 clips of real strands, tied across the tracks, with 20,000 envelope points.
func (f *fixture) full() store.Reel {
	f.t.Helper()
	f.take("poly8_s24.wav", "a.wav")
	strands := f.strands(f.takes()[0])
	doc := reel.New()
	const tracks, clips = 64, 5000
	for t := range tracks {
		tr := reel.Track{ID: fmt.Sprintf("track-%d", t), Label: fmt.Sprint("Track ", t), Layout: "mono", Clips: []reel.Clip{}}
		for n := range (clips - t + tracks - 1) / tracks {
			c := reel.Clip{ID: fmt.Sprintf("clip-%d-%d", t, n), Strands: []string{strands[t%8].ID.String()}, Name: fmt.Sprintf("%dA-%d", n, t), At: int64(n) * 96000, In: 480, Length: 40000, Tie: fmt.Sprintf("tie-%d", n)}
			for p := range 4 {
				c.Gain = append(c.Gain, automation.Point{At: int64(p) * 1000, Value: -float64(p)})
			}
			tr.Clips = append(tr.Clips, c)
		}
		doc.Tracks = append(doc.Tracks, tr)
	}
	r := store.Reel{ID: store.NewID(), ProductionID: f.p.ID, Name: "Full", Version: 1, Doc: doc}
	require.NoError(f.t, doc.Check())
	require.NoError(f.t, f.Store.InsertReel(f.ctx, r))
	r, err := f.Store.Reel(f.ctx, r.ID)
	require.NoError(f.t, err)
	return r
}

// BenchmarkEdit is what the server does for one edit of a reel of 64 tracks and 5,000 clips, PostgreSQL with it, and how
// many bytes say what has changed.
func BenchmarkEdit(b *testing.B) {
	f := setup(b)
	r := f.full()
	version := r.Version
	for name, a := range map[string]func(n int) edit.Action{
		"one clip": func(n int) edit.Action {
			return edit.Action{Set: &edit.Set{Clips: []string{"clip-7-30"}, AddDB: float64(n%2*2 - 1)}}
		},
		"a tie of 64 clips": func(n int) edit.Action {
			return edit.Action{Move: &edit.Move{Clips: []string{"clip-7-30"}, By: int64(n%2*2-1) * 1920}}
		},
		"all that lies after": func(n int) edit.Action {
			return edit.Action{InsertTime: &edit.InsertTime{At: 95000, By: 100}}
		},
	} {
		b.Run(name, func(b *testing.B) {
			bytes := 0
			for n := 0; b.Loop(); n++ {
				e, err := f.EditReel(f.ctx, r.ID, version, name, []edit.Action{a(n)})
				if err != nil {
					b.Fatal(err)
				}
				version = e.Version
				said, err := json.Marshal(reel.Diff(e.Was, e.Doc))
				if err != nil {
					b.Fatal(err)
				}
				bytes = len(said)
			}
			b.ReportMetric(float64(bytes), "bytes/edit")
		})
	}
}
