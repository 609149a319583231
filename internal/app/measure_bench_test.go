package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// BenchmarkMeasure measures the stereo mix of a reel of two hours with true peaks, all of it, and after an edit of one clip.
func BenchmarkMeasure(b *testing.B) {
	f := setup(b)
	f.take("poly8_s24.wav", "a.wav")
	strands := f.strands(f.takes()[0])
	const seconds = 7200
	doc := reel.New()
	doc.Weave.Buses = []weave.Bus{{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"}}
	doc.Weave.Outputs = []weave.Output{{Name: "L", Bus: "full"}, {Name: "R", Bus: "full", Channel: 1}}
	doc.Weave.Groups = nil
	for t := range 4 {
		tr := reel.Track{ID: fmt.Sprint("track-", t), Label: fmt.Sprint("Track ", t), Layout: "mono"}
		for n := range seconds / 2 {
			tr.Clips = append(tr.Clips, reel.Clip{ID: fmt.Sprintf("clip-%d-%d", t, n), Strands: []string{strands[t].ID.String()}, Name: "x", At: int64(n)*96000 + int64(t%2)*48000, In: 100 + int64(n%900), Length: 47000})
		}
		doc.Tracks = append(doc.Tracks, tr)
		doc.Weave.Sends[tr.ID] = []weave.Send{{To: "full", GainDB: -9, Patch: weave.Patch{Preset: weave.Pan, Law: -3, Position: float64(t)/2 - 0.75}}}
	}
	r := store.Reel{ID: store.NewID(), ProductionID: f.p.ID, Name: "Long", Version: 1, Doc: doc}
	require.NoError(b, doc.Check())
	require.NoError(b, f.Store.InsertReel(f.ctx, r))
	all := func() {
		for {
			m, err := f.Measure(f.ctx, r.ID)
			require.NoError(b, err)
			if m.Done == m.Total {
				return
			}
		}
	}
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			// Another gain is another sound, all over.
			e, err := f.EditReel(f.ctx, r.ID, -1, "gain", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{SetLevels: &weave.SetLevels{Levels: map[string]weave.Level{"full": {GainDB: float64(b.N%20) + b.Elapsed().Seconds()/1e4}}}}}}})
			require.NoError(b, err)
			r.Version = e.Version
			all()
		}
		b.ReportMetric(seconds*float64(b.N)/b.Elapsed().Seconds(), "×realtime")
	})
	all()
	b.Run("after an edit", func(b *testing.B) {
		for n := 0; b.Loop(); n++ {
			e, err := f.EditReel(f.ctx, r.ID, r.Version, "gain", []edit.Action{{Set: &edit.Set{Clips: []string{"clip-2-1800"}, AddDB: float64(n%2*2 - 1)}}})
			require.NoError(b, err)
			r.Version = e.Version
			all()
		}
	})
}
