package demo_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

// ended waits until a delivery is proven or has failed.
func ended(t *testing.T, a *app.App, id uuid.UUID) store.Delivery {
	t.Helper()
	var d store.Delivery
	var err error
	require.Eventually(t, func() bool {
		d, err = a.Store.Delivery(t.Context(), id)
		return err != nil || d.State == order.Proven || d.State == order.Failed
	}, 3*time.Minute, 50*time.Millisecond)
	require.NoError(t, err)
	return d
}

// everySpec delivers the demonstration to every spec that comes with the program: it is proven, other programs read the same
// facts, verify finds it as it is asked for and notices what is changed, and taken back in it is laid as it was sent, and
// holds the same samples when it is delivered again.
func everySpec(t *testing.T, a *app.App, p store.Production, first uuid.UUID) {
	ctx := t.Context()
	specs, err := a.Store.Specs(ctx)
	require.NoError(t, err)
	require.Len(t, specs, len(delivery.Shipped()))
	templates, err := a.WeaveTemplates(ctx)
	require.NoError(t, err)
	whole, err := a.Store.Reel(ctx, first)
	require.NoError(t, err)
	start, _ := whole.Doc.Span()
	for _, spec := range testmedia.Some(specs, 1, 4, 9) {
		t.Run(spec.Name, func(t *testing.T) {
			// A stretch in which all stems sound.
			r, err := a.CreateReel(ctx, p.ID, app.NewReel{Name: "For " + spec.Name, Copy: &first, From: start + 5*48000, To: start + int64(testmedia.Sized(9, 20))*48000 + 77})
			require.NoError(t, err)
			require.NoError(t, a.ChooseSpec(ctx, r.ID, spec.ID))
			if spec.Body.Template != "" {
				i := slices.IndexFunc(templates, func(k app.KeptTemplate) bool { return k.Template.Name == spec.Body.Template })
				require.GreaterOrEqual(t, i, 0)
				_, err = a.EditReel(ctx, r.ID, r.Version, "weave", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{Use: &weave.Use{Template: templates[i].Template}}}}})
				require.NoError(t, err)
			}
			if strings.Contains(spec.Name, "part") || strings.Contains(spec.Name, "character") {
				inParts(t, a, r.ID)
			}
			d := deliverTo(t, a, r.ID, spec)
			if d.State == order.Failed && len(spec.Body.Limits) > 0 {
				// It says by how much the mix is off, and is proven once the mix has the level that is asked for.
				require.Contains(t, d.ErrorMessage, "integrated loudness")
				atItsLevel(t, a, r.ID, d)
				d = deliverTo(t, a, r.ID, spec)
			}
			require.Equal(t, order.Proven, d.State, d.ErrorMessage)
			require.Empty(t, d.Proof.Notes)
			dir := a.Media.Attempted(a.Media.Order(order.Delivery, d.ID), d.Attempt)
			for _, f := range d.Plan.Files {
				readByOthers(t, filepath.Join(dir, filepath.FromSlash(f.Name)), d.Plan, f)
			}
			verified(t, spec.Body, d, dir)
			backAndAgain(t, a, spec, d)
		})
	}
}

func deliverTo(t *testing.T, a *app.App, reelID uuid.UUID, spec store.Spec) store.Delivery {
	t.Helper()
	d, err := a.OrderDelivery(t.Context(), reelID, app.DeliveryOrder{Spec: spec.ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	return ended(t, a, d.ID)
}

// inParts gives the tracks of dialogue a mono part each.
func inParts(t *testing.T, a *app.App, id uuid.UUID) {
	t.Helper()
	r, err := a.Store.Reel(t.Context(), id)
	require.NoError(t, err)
	for _, track := range r.Doc.Tracks {
		stem, ok := r.Doc.Weave.StemOf(track.ID)
		if !ok || stem.Kind != "DX" || track.Layout != "mono" {
			continue
		}
		e, err := a.EditReel(t.Context(), id, r.Version, "part", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{AddBus: &weave.AddBus{Bus: weave.Bus{Name: track.Label, Role: weave.Part, Of: stem.ID, Layout: "mono"}}}}}})
		require.NoError(t, err)
		r.Version = e.Version
		i := slices.IndexFunc(e.Doc.Weave.Buses, func(b weave.Bus) bool { return b.Role == weave.Part && b.Name == track.Label })
		require.GreaterOrEqual(t, i, 0)
		e, err = a.EditReel(t.Context(), id, r.Version, "into it", []edit.Action{{SetSends: &reel.SetSends{From: track.ID, Sends: []weave.Send{{To: e.Doc.Weave.Buses[i].ID}}}}})
		require.NoError(t, err)
		r.Version = e.Version
	}
}

// atItsLevel gives the measured mix of a delivery the loudness that is asked for.
func atItsLevel(t *testing.T, a *app.App, id uuid.UUID, d store.Delivery) {
	t.Helper()
	r, err := a.Store.Reel(t.Context(), id)
	require.NoError(t, err)
	m := d.Proof.Measures[0]
	i := slices.IndexFunc(r.Doc.Weave.Buses, func(b weave.Bus) bool { return b.Name == m.Name })
	require.GreaterOrEqual(t, i, 0)
	gain := *d.Plan.Order.Spec.Limits[0].Integrated - *m.Integrated
	_, err = a.EditReel(t.Context(), id, r.Version, "level", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{SetBus: &weave.SetBus{ID: r.Doc.Weave.Buses[i].ID, Level: &weave.Level{GainDB: gain}}}}}})
	require.NoError(t, err)
}

// readByOthers has programs that are not ours read a file's facts.
func readByOthers(t *testing.T, path string, p delivery.Plan, f delivery.File) {
	t.Helper()
	type probed struct {
		Streams []struct {
			Type     string `json:"codec_type"`
			Channels int    `json:"channels"`
			Rate     string `json:"sample_rate"`
			Frames   int64  `json:"duration_ts"`
		} `json:"streams"`
	}
	out, err := exec.Command("ffprobe", "-v", "error", "-of", "json", "-show_streams", path).Output()
	require.NoError(t, err)
	var v probed
	require.NoError(t, json.Unmarshal(out, &v))
	var widths []int
	for _, s := range v.Streams {
		if s.Type == "audio" {
			widths = append(widths, s.Channels)
			assert.Equal(t, strconv.Itoa(p.Rates.Files), s.Rate)
			assert.Equal(t, p.Frames, s.Frames)
		}
	}
	if f.Container == "mov" {
		want := []int{2, 1, 1, 2}
		if headLocked(f) {
			want = []int{6}
		}
		assert.Equal(t, want, widths)
		return
	}
	assert.Equal(t, []int{len(f.Channels)}, widths)
	if f.Container == "bw64" { // which these two read by no name
		return
	}
	for _, program := range [][]string{{"sox", "--i", "-c"}, {"sox", "--i", "-s"}} {
		out, err := exec.Command(program[0], append(program[1:], path)...).CombinedOutput()
		require.NoError(t, err, string(out))
		want := strconv.Itoa(len(f.Channels))
		if program[2] == "-s" {
			want = strconv.FormatInt(p.Frames, 10)
		}
		lines := strings.Fields(string(out))
		assert.Equal(t, want, lines[len(lines)-1], "%v", program)
	}
	out, err = exec.Command("sndfile-info", path).CombinedOutput()
	require.NoError(t, err, string(out))
	facts := strings.Join(strings.Fields(string(out)), " ")
	assert.Contains(t, facts, "Frames : "+strconv.FormatInt(p.Frames, 10))
	assert.Contains(t, facts, "Channels : "+strconv.Itoa(len(f.Channels)))
}

// headLocked reports whether a file has a pair in the stream of a sound field.
func headLocked(f delivery.File) bool {
	return slices.ContainsFunc(f.Groups, func(g delivery.FileGroup) bool { return g.HeadLocked })
}

// verified holds a delivery's files against its spec as anybody would, and then files in which one thing is another.
func verified(t *testing.T, spec delivery.Spec, d store.Delivery, from string) {
	t.Helper()
	dir := t.TempDir()
	fresh := func() (paths []string) {
		for _, f := range d.Plan.Files {
			b, err := os.ReadFile(filepath.Join(from, f.Name))
			require.NoError(t, err)
			path := filepath.Join(dir, f.Name)
			require.NoError(t, os.WriteFile(path, b, 0o600))
			paths = append(paths, path)
		}
		return paths
	}
	check := func(paths []string) delivery.Checked {
		c, err := delivery.Verify(t.Context(), paths, delivery.Checking{Spec: spec, Rate: d.Plan.Rate, Dir: dir})
		require.NoError(t, err)
		return c
	}
	paths := fresh()
	c := check(paths)
	assert.True(t, c.Passed, c.Failures())
	assert.Equal(t, d.Plan.Frames, c.Frames)

	// One file that is named otherwise.
	odd := filepath.Join(dir, "odd"+filepath.Ext(paths[0]))
	require.NoError(t, os.Rename(paths[0], odd))
	c = check(append([]string{odd}, paths[1:]...))
	assert.False(t, c.Passed)
	assert.Contains(t, strings.Join(c.Failures(), "\n"), "no rule of the spec names a file so")
	require.NoError(t, os.Remove(odd))

	// One that is not there, or too many.
	if len(paths) > 1 && spec.Packings[0].Files[0].Each == delivery.EachNone {
		c = check(paths[1:])
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "files of this rule")
	}
	if headLocked(d.Plan.Files[0]) {
		// A stream that says nothing of being a sound field.
		paths = fresh()
		b, err := os.ReadFile(paths[0])
		require.NoError(t, err)
		require.Equal(t, 1, strings.Count(string(b), "SA3D"))
		require.NoError(t, os.WriteFile(paths[0], []byte(strings.Replace(string(b), "SA3D", "free", 1)), 0o600))
		c = check(paths)
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "mark of stream 1 as a sound field: none instead of order 1, head-locked pair")
		return
	}
	if spec.Metadata.ADM {
		// One that does not say where its channels stand.
		paths = fresh()
		b, err := os.ReadFile(paths[0])
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(paths[0], []byte(strings.Replace(string(b), "axml", "none", 1)), 0o600))
		c = check(paths)
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "description (ADM): missing instead of there")
	}
	if d.Plan.Files[0].Container == "mov" && len(d.Plan.Files[0].Groups) > 1 {
		// The streams in another order.
		paths = fresh()
		other := filepath.Join(t.TempDir(), filepath.Base(paths[0]))
		out, err := exec.Command("ffmpeg", "-v", "error", "-i", paths[0], "-map", "0:a:1", "-map", "0:a:0", "-map", "0:a:2", "-map", "0:a:3", "-map", "0:v?", "-map", "0:d?", "-c", "copy", other).CombinedOutput()
		require.NoError(t, err, "%s", out)
		require.NoError(t, os.Rename(other, paths[0]))
		c = check(paths)
		assert.False(t, c.Passed)
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "sound streams: 1+2+1+2 instead of 2+1+1+2")
		// Two that are equally wide, of which only their names tell.
		paths = fresh()
		out, err = exec.Command("ffmpeg", "-v", "error", "-i", paths[0], "-map", "0:a:0", "-map", "0:a:2", "-map", "0:a:1", "-map", "0:a:3", "-map", "0:v?", "-map", "0:d?", "-c", "copy", other).CombinedOutput()
		require.NoError(t, err, "%s", out)
		require.NoError(t, os.Rename(other, paths[0]))
		c = check(paths)
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "name of stream 2: VO instead of DX")
	}
	if d.Plan.Files[0].Container != "wav" {
		return
	}
	// One name of a channel, where the spec says what it is.
	if len(spec.Outputs) > 0 && len(paths) == 1 {
		paths = fresh()
		b, err := os.ReadFile(paths[0])
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(paths[0], []byte(strings.ReplaceAll(string(b), "<NAME>MX L</NAME>", "<NAME>MX X</NAME>")), 0o600))
		c = check(paths)
		assert.Contains(t, strings.Join(c.Failures(), "\n"), "name of channel 3: MX X instead of MX L")
	}
	// One start: the time reference of the last file's bext chunk.
	paths = fresh()
	last := paths[len(paths)-1]
	b, err := os.ReadFile(last)
	require.NoError(t, err)
	at := strings.Index(string(b), "bext") + 8 + 338
	b[at] ^= 1
	require.NoError(t, os.WriteFile(last, b, 0o600))
	c = check(paths)
	assert.False(t, c.Passed, "iXML and bext disagree, and so do the files")
	assert.Contains(t, strings.Join(c.Failures(), "\n"), filepath.Base(last))
}

// backAndAgain takes a delivery back in and delivers what was laid.
func backAndAgain(t *testing.T, a *app.App, spec store.Spec, d store.Delivery) {
	t.Helper()
	var back app.Back
	require.Eventually(t, func() bool {
		var err error
		back, err = a.TakeBack(t.Context(), d.ID)
		return assert.NoError(t, err) && back.Reel != nil || t.Failed()
	}, time.Minute, 50*time.Millisecond)
	if t.Failed() {
		return
	}
	doc := back.Reel.Doc
	assert.NotEmpty(t, doc.Tracks)
	start, end := doc.Span()
	if len(back.Says) > 0 && strings.Contains(back.Says[0], "no file holds a stem") {
		assert.Equal(t, d.Plan.Frames, end-start, "as it lies in the file")
	} else {
		assert.Equal(t, d.Plan.To-d.Plan.From, end-start)
	}
	again := deliverTo(t, a, back.Reel.ID, spec)
	if len(back.Says) > 0 || spec.Name == "Editorial handover" {
		t.Log(back.Says)
		return // what is in no file by itself is in no mix
	}
	require.Equal(t, order.Proven, again.State, again.ErrorMessage)
	assert.Equal(t, d.Version+1, again.Version)
	hashes := func(d store.Delivery) map[string]string {
		out := map[string]string{}
		for i, f := range d.Proof.Files {
			for k, c := range f.Channels {
				if b, ok := d.Plan.Reel.Weave.Bus(d.Plan.Files[i].Channels[k].Signal); !ok || b.Role != weave.Mix {
					out[c.Name] = c.Hash
				}
			}
		}
		return out
	}
	assert.Equal(t, hashes(d), hashes(again))
	// Mixes are made anew of what the stems' files hold: of them they are the sum bit for bit, and not of what was rounded before.
	for _, s := range again.Proof.Sums {
		assert.Zero(t, s.Peak, s.Says)
	}
	note, err := a.Dispatch(t.Context(), again)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(note.Differs, "\n"), "the same, sample by sample")
}
