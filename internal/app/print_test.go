package app_test

import (
	"os"
	"slices"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/printing"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// analysed does the analysis of whatever arrives, as another worker would, until the test ends.
func (f *fixture) analysed(t *testing.T) {
	done := make(chan struct{})
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-done:
				return
			case <-time.After(20 * time.Millisecond):
			}
			files, err := f.Store.FilesAfter(f.ctx, f.p.ID, uuid.Nil, 100)
			if !assert.NoError(t, err) {
				return
			}
			for _, file := range files {
				if file.State == "waiting" {
					assert.NoError(t, f.Analyse(f.ctx, file.ID))
				}
			}
		}
	}()
	t.Cleanup(func() {
		close(done)
		<-ended
	})
}

// A print becomes a recording with a take and labels of its own, lies where what it was made of lay, and is undone by whoever
// ordered it.
func TestPrintInPlace(t *testing.T) {
	f := setup(t)
	_, r, _ := laidReel(t, f)
	f.analysed(t)
	before := r.Doc
	clip := before.Tracks[2].Clips[0]
	asked := printing.Order{Tracks: []string{before.Tracks[2].ID, before.Tracks[3].ID}, From: clip.At + 4800, To: clip.At + 9600}
	planned, _, err := f.PlanPrints(f.ctx, r.ID, asked)
	require.NoError(t, err)
	require.Len(t, planned, 1)
	ctx := app.WithSession(f.ctx, "ines")
	rows, err := f.OrderPrints(ctx, r.ID, asked)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	list, err := f.Store.Unfinished(f.ctx, f.p.ID)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, []any{order.Print, order.Waiting, int64(4800), 48000}, []any{list[0].Kind, list[0].State, list[0].Frames, list[0].SampleRate})
	require.NoError(t, f.Make(f.ctx, rows[0].ID))
	row, err := f.Store.Print(f.ctx, rows[0].ID)
	require.NoError(t, err)
	require.Equal(t, order.Proven, row.State, row.ErrorMessage)
	assert.NoDirExists(t, f.Media.Attempted(f.Media.Order(order.Print, row.ID), row.Attempt), "it is a recording now")

	now, err := f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Len(t, now.Doc.Tracks, len(before.Tracks)+2, "what it was made of lies on tracks of its own")
	printed := now.Doc.Tracks[2].Clips[1]
	assert.Equal(t, []any{clip.Name + ", printed", clip.At + 4800, int64(4800), int64(0)}, []any{printed.Name, printed.At, printed.Length, printed.In})
	takes := f.takes()
	require.Len(t, takes, 2)
	i := slices.IndexFunc(takes, func(tk store.Take) bool { return f.strands(tk)[0].FileID == *row.FileID })
	require.GreaterOrEqual(t, i, 0)
	strands := f.strands(takes[i])
	require.Len(t, strands, 2)
	assert.Equal(t, strands[0].ID.String(), printed.Strands[0])
	assert.Equal(t, before.Tracks[2].Label, strands[0].Label)
	assert.Contains(t, takes[i].Note, "printed from Reel 1")
	require.NotNil(t, takes[i].StartSamples)
	assert.Equal(t, clip.At+4800, *takes[i].StartSamples)
	of, err := f.Store.PrintOf(f.ctx, *row.FileID)
	require.NoError(t, err)
	assert.Equal(t, row.ID, of.ID)

	// Its job, if it runs once more, does nothing; whoever ordered it takes it back, and nobody else.
	require.NoError(t, f.Make(f.ctx, row.ID))
	what, err := f.Undo(app.WithSession(f.ctx, "odell"), f.p.ID, "")
	require.NoError(t, err)
	assert.NotContains(t, what, "print")
	what, err = f.Undo(ctx, f.p.ID, "")
	require.NoError(t, err)
	assert.Contains(t, what, "print")
	now, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, before.Tracks[2].Clips, now.Doc.Tracks[2].Clips)
}

// What was edited meanwhile is not covered up: the print is among the takes, says why it was not laid, and is forgotten. A source
// that is gone fails it; it is made again alone.
func TestAPrintThatIsInTheWay(t *testing.T) {
	f := setup(t)
	file, r, _ := laidReel(t, f)
	f.analysed(t)
	asked := printing.Order{Tracks: []string{r.Doc.Tracks[0].ID}}
	rows, err := f.OrderPrints(f.ctx, r.ID, asked)
	require.NoError(t, err)
	state := func() store.Print {
		require.NoError(t, f.Make(f.ctx, rows[0].ID))
		p, err := f.Store.Print(f.ctx, rows[0].ID)
		require.NoError(t, err)
		return p
	}
	original := f.Media.Path(file.Path)
	require.NoError(t, os.Rename(original, original+".away"))
	p := state()
	assert.Equal(t, order.Failed, p.State)
	assert.Contains(t, p.ErrorMessage, "a.wav")
	require.NoError(t, os.Rename(original+".away", original))
	r, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	up := 3.0
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "louder", []edit.Action{{Set: &edit.Set{Clips: []string{r.Doc.Tracks[0].Clips[0].ID}, GainDB: &up}}})
	require.NoError(t, err)
	require.NoError(t, f.step(p.ID, order.Retry))
	p = state()
	assert.Equal(t, []string{"failed", "changed_since"}, []string{string(p.State), p.ErrorCode})
	require.NotNil(t, p.FileID, "it is a recording all the same")
	assert.Len(t, f.takes(), 2)
	now, err := f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Len(t, now.Doc.Tracks, len(r.Doc.Tracks))
	// Brought back to what it was, it is laid without being made again.
	_, err = f.Undo(f.ctx, f.p.ID, "")
	require.NoError(t, err)
	require.NoError(t, f.step(p.ID, order.Retry))
	p = state()
	assert.Equal(t, order.Proven, p.State, p.ErrorMessage)
	assert.Len(t, f.takes(), 2)

	// A bus: what feeds it is put aside, and the print feeds it.
	rows, err = f.OrderPrints(f.ctx, r.ID, printing.Order{Bus: "DX"})
	require.NoError(t, err)
	p = state()
	require.Equal(t, order.Proven, p.State, p.ErrorMessage)
	now, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	last := now.Doc.Tracks[len(now.Doc.Tracks)-1]
	assert.Equal(t, []any{"DX print", "stereo", 1}, []any{last.Label, last.Layout, len(last.Clips)})
	assert.Len(t, last.Clips[0].Strands, 2)
	stem, ok := now.Doc.Weave.StemOf(last.ID)
	assert.True(t, ok)
	assert.Equal(t, "DX", stem.Name)
	_, err = f.OrderPrints(f.ctx, r.ID, printing.Order{Clips: []string{"none"}})
	assert.Equal(t, "nothing_chosen", code(err))
	held, err := f.OrderPrints(f.ctx, r.ID, printing.Order{Clips: []string{last.Clips[0].ID}})
	require.NoError(t, err)
	for _, step := range []order.Move{order.Hold, order.Next, order.Cancel} {
		require.NoError(t, f.step(held[0].ID, step), step)
	}
}
