package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/loudness"
	"zestyloom/core/mhl"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// laidReel is a reel of an eight-track take whose first track is heard in DX.
func laidReel(t *testing.T, f *fixture) (file store.File, r store.Reel, specs []store.Spec) {
	t.Helper()
	file = f.take("poly8_s24.wav", "a.wav")
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	route := weave.Route{Stem: "DX", Position: weave.Both}
	r, err = edited(f.EditReel(f.ctx, r.ID, r.Version, "route", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: route.Sends()}}}))
	require.NoError(t, err)
	specs, err = f.Store.Specs(f.ctx)
	require.NoError(t, err)
	return file, r, specs
}

func (f *fixture) made(t *testing.T, id uuid.UUID) store.Delivery {
	t.Helper()
	require.NoError(t, f.Make(f.ctx, id))
	d, err := f.Store.Delivery(f.ctx, id)
	require.NoError(t, err)
	return d
}

// Of ten deliveries one fails, because its source is away while it is made: the others are proven, it keeps its reason, and
// is made again alone.
func TestABatchOfTen(t *testing.T) {
	f := setup(t)
	file, r, specs := laidReel(t, f)
	var batch []store.Delivery
	for i := range 10 {
		d, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: []string{"poly", "mono"}[i%2], Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
		require.NoError(t, err)
		assert.Equal(t, i+1, d.Version)
		batch = append(batch, d)
	}
	original := f.Media.Path(file.Path)
	for i, d := range batch {
		if i == 3 {
			require.NoError(t, os.Rename(original, original+".away"))
		}
		d = f.made(t, d.ID)
		if i == 3 {
			require.NoError(t, os.Rename(original+".away", original))
			assert.Equal(t, order.Failed, d.State)
			assert.Contains(t, d.ErrorMessage, "a.wav")
			n, err := f.Store.DeliverySnags(f.ctx, f.p.ID)
			require.NoError(t, err)
			assert.Equal(t, 1, n)
			assert.NoDirExists(t, f.Media.Attempted(f.Media.Order(order.Delivery, d.ID), d.Attempt), "nothing half-written is left")
			continue
		}
		assert.Equal(t, order.Proven, d.State, "%d: %s", i, d.ErrorMessage)
	}
	n, err := f.Store.DeliverySnags(f.ctx, f.p.ID)
	require.NoError(t, err)
	assert.Zero(t, n, "a later one has taken its place")
	_, err = f.stepped(batch[3].ID, order.Retry)
	require.NoError(t, err)
	d := f.made(t, batch[3].ID)
	assert.Equal(t, order.Proven, d.State)
	all, err := f.Store.Deliveries(f.ctx, f.p.ID, uuid.Nil, 100)
	require.NoError(t, err)
	assert.Len(t, all, 10)
	for _, d := range all {
		assert.Equal(t, order.Proven, d.State)
		assert.Empty(t, d.Plan.Reel.Tracks, "a list is without what is long")
		assert.NotEmpty(t, d.Plan.Files[0].Channels)
	}
	next, err := f.Store.Deliveries(f.ctx, f.p.ID, all[7].ID, 100)
	require.NoError(t, err)
	assert.Len(t, next, 2)
}

func TestHeldAndFirst(t *testing.T) {
	f := setup(t)
	_, r, specs := laidReel(t, f)
	d, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	d, err = f.stepped(d.ID, order.Hold)
	require.NoError(t, err)
	assert.Equal(t, order.Held, d.State)
	assert.Equal(t, order.Held, f.made(t, d.ID).State, "its job, if it runs all the same, does nothing")
	_, err = f.stepped(d.ID, order.Hold)
	assert.Equal(t, "under_way", code(err))
	d, err = f.stepped(d.ID, order.Next)
	require.NoError(t, err)
	assert.Equal(t, order.Waiting, d.State)
	d, err = f.stepped(d.ID, order.Hold)
	require.NoError(t, err)
	d, err = f.stepped(d.ID, order.Retry)
	require.NoError(t, err)
	assert.Equal(t, order.Waiting, d.State)
	d = f.made(t, d.ID)
	assert.Equal(t, order.Proven, d.State)
	_, err = f.stepped(d.ID, order.Next)
	assert.Equal(t, "under_way", code(err))
	held, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	_, err = f.stepped(held.ID, order.Hold)
	require.NoError(t, err)
	held, err = f.stepped(held.ID, order.Cancel)
	require.NoError(t, err)
	assert.Equal(t, order.Cancelled, held.State)
}

// A delivery is made again from what was frozen with it, whatever became of the reel since: the same bytes. A source that is gone
// or another is named.
func TestMadeAgainAsItWasOrdered(t *testing.T) {
	f := setup(t)
	file, r, specs := laidReel(t, f)
	first, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Packing: "mono", Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	first = f.made(t, first.ID)
	require.Equal(t, order.Proven, first.State, first.ErrorMessage)
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "no dialogue any more", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID}}})
	require.NoError(t, err)
	again, err := f.DeliverAgain(f.ctx, first.ID)
	require.NoError(t, err)
	again = f.made(t, again.ID)
	require.Equal(t, order.Proven, again.State, again.ErrorMessage)
	require.Len(t, again.Proof.Files, len(first.Proof.Files))
	for i, p := range again.Proof.Files {
		assert.Equal(t, first.Proof.Files[i].Hash, p.Hash, p.Name)
	}
	note, err := f.Dispatch(f.ctx, again)
	require.NoError(t, err)
	assert.NotEmpty(t, note.Differs)
	assert.NotContains(t, strings.Join(note.Differs, "; "), "differs")

	original := f.Media.Path(file.Path)
	require.NoError(t, os.Rename(original, original+".away"))
	gone, err := f.DeliverAgain(f.ctx, first.ID)
	require.NoError(t, err)
	gone = f.made(t, gone.ID)
	assert.Equal(t, order.Failed, gone.State)
	assert.Contains(t, gone.ErrorMessage, "a.wav")
}

// Limits of loudness that will not be kept are among the snags before an order, once the reel is measured as it is.
func TestLoudnessAmongTheSnags(t *testing.T) {
	f := setup(t)
	_, r, _ := laidReel(t, f)
	own := delivery.ThreeStereoStems()
	own.Name, own.Limits = "Own", []delivery.Asked{{Of: "DX", Limits: loudness.Known()["r128"]}, {Of: "all", Limits: loudness.Limits{Name: "quiet", TruePeak: new(float64)}}}
	kept, err := f.SaveSpec(f.ctx, own)
	require.NoError(t, err)
	require.NoError(t, f.ChooseSpec(f.ctx, r.ID, kept.ID))
	counted := func() int {
		n, err := f.Store.ReelSnags(f.ctx, f.p.ID)
		require.NoError(t, err)
		return n.Measure
	}
	found := func(o app.DeliveryOrder) (says []string) {
		for range 1000 {
			_, found, left, err := f.Preflight(f.ctx, r.ID, o)
			require.NoError(t, err)
			if left > 0 {
				continue
			}
			for _, x := range found {
				if x.Code == "loudness" {
					assert.Equal(t, "measure", x.Stage)
					assert.False(t, x.Stops)
					says = append(says, x.Message)
				}
			}
			return says
		}
		require.Fail(t, "never measured")
		return nil
	}
	assert.Zero(t, counted(), "nothing is known yet")
	says := found(app.DeliveryOrder{Spec: kept.ID})
	require.NotEmpty(t, says)
	for _, s := range says {
		assert.Contains(t, s, "DX: ", "nothing is in MX and FX: they break no limit that has none for silence")
		assert.Contains(t, s, "EBU R 128 asks for")
	}
	assert.Equal(t, len(says), counted())
	from, _ := r.Doc.Span()
	to := from + 4800
	assert.Empty(t, found(app.DeliveryOrder{Spec: kept.ID, From: &from, To: &to}), "a test is held against nothing")
	r, err = edited(f.EditReel(f.ctx, r.ID, r.Version, "quieter", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: weave.Route{Stem: "DX", GainDB: -6, Position: weave.Both}.Sends()}}}))
	require.NoError(t, err)
	assert.Zero(t, counted(), "it is another reel now, and not measured")
}

// What sounds on an output is told for any moment; what there is none of is said.
func TestSounding(t *testing.T) {
	f := setup(t)
	file, r, _ := laidReel(t, f)
	from, to := r.Doc.Span()
	dx, ok := r.Doc.Weave.StemNamed("DX")
	require.True(t, ok)
	for _, bus := range []string{"", dx.ID} {
		found, err := f.Sounding(f.ctx, r.ID, bus, 1, from)
		require.NoError(t, err)
		require.Len(t, found, 1)
		assert.Equal(t, []any{file.Name, 1, file.Hash}, []any{found[0].File, found[0].Channel, found[0].Hash})
		found, err = f.Sounding(f.ctx, r.ID, bus, 1, to)
		require.NoError(t, err)
		assert.Empty(t, found)
		_, err = f.Sounding(f.ctx, r.ID, bus, 99, from)
		assert.ErrorIs(t, err, app.ErrNotFound)
	}
	_, err := f.Sounding(f.ctx, r.ID, "no such bus", 0, from)
	assert.ErrorIs(t, err, app.ErrNotFound)
}

// A spec of one's own has versions; the reels that are held against it count their snags by it; those that come with the
// program stay as they are.
func TestSpecsAreKept(t *testing.T) {
	f := setup(t)
	_, r, specs := laidReel(t, f)
	snags := func() store.ReelSnags {
		n, err := f.Store.ReelSnags(f.ctx, f.p.ID)
		require.NoError(t, err)
		return n
	}
	before := snags()
	own := delivery.ThreeStereoStems()
	_, err := f.SaveSpec(f.ctx, own)
	assert.Equal(t, "bad_spec", code(err), "its name is taken by one that comes with the program")
	own.Name, own.Outputs = "Own", []string{"DX L", "DX R"}
	kept, err := f.SaveSpec(f.ctx, own)
	require.NoError(t, err)
	assert.Equal(t, 1, kept.Body.Version)
	require.NoError(t, f.ChooseSpec(f.ctx, r.ID, kept.ID))
	assert.Greater(t, snags().Weave, before.Weave, "two outputs are asked for, and there are six")
	own.Outputs = nil
	again, err := f.SaveSpec(f.ctx, own)
	require.NoError(t, err)
	assert.Equal(t, kept.ID, again.ID)
	assert.Equal(t, 2, again.Body.Version)
	assert.Equal(t, before, snags(), "it is the new version that counts")
	assert.ErrorIs(t, f.RemoveSpec(f.ctx, specs[0].ID), app.ErrNotFound, "those of the program stay")
	require.NoError(t, f.RemoveSpec(f.ctx, kept.ID))
	r, err = f.Store.Reel(f.ctx, r.ID)
	require.NoError(t, err)
	assert.Nil(t, r.SpecID)
	assert.ErrorIs(t, f.ChooseSpec(f.ctx, r.ID, kept.ID), app.ErrNotFound)
	own.SampleRate = 1
	_, err = f.SaveSpec(f.ctx, own)
	assert.Equal(t, "bad_spec", code(err))
}

// Papers say what was delivered, and a second version what is other; the archive has everything as it was proven.
func TestPapersAndVersions(t *testing.T) {
	f := setup(t)
	_, r, specs := laidReel(t, f)
	asked := app.DeliveryOrder{Spec: specs[0].ID, Recipient: " Harbour Dubbing ", Accept: []string{"no_stem", "output_silent", "stem_not_out"}}
	waiting, err := f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	_, err = f.Paper(f.ctx, waiting.ID)
	assert.Equal(t, "not_proven", code(err))
	first := f.made(t, waiting.ID)
	r, err = edited(f.EditReel(f.ctx, r.ID, r.Version, "louder", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{SetBus: &weave.SetBus{ID: "DX", Level: &weave.Level{GainDB: 2}}}}}}))
	require.NoError(t, err)
	waiting, err = f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	second := f.made(t, waiting.ID)
	assert.Equal(t, 2, second.Version)
	note, err := f.Dispatch(f.ctx, second)
	require.NoError(t, err)
	says := strings.Join(note.Differs, "\n")
	assert.Contains(t, says, "level of DX: +2.0 dB, before +0.0 dB")
	assert.Contains(t, says, "other samples in: DX L, DX R")
	assert.Contains(t, says, "the same, sample by sample: FX L, FX R, MX L, MX R")
	one, err := f.Dispatch(f.ctx, first)
	require.NoError(t, err)
	assert.Empty(t, one.Differs)
	assert.Equal(t, "Harbour Dubbing", one.Plan.Order.Recipient)

	for _, kind := range delivery.Paperwork {
		var a, b bytes.Buffer
		require.NoError(t, note.WritePaper(&a, kind))
		require.NoError(t, note.WritePaper(&b, kind))
		assert.Equal(t, a.Bytes(), b.Bytes(), "the same note gives the same %s", kind)
		switch kind {
		case "pdf":
			assert.True(t, bytes.HasPrefix(a.Bytes(), []byte("%PDF-")))
		case "csv":
			assert.Equal(t, 7, strings.Count(a.String(), "\n"), "a row a channel")
		case "json":
			var v struct {
				Version int             `json:"version"`
				Differs []string        `json:"differs"`
				Sources []delivery.Used `json:"sources"`
			}
			require.NoError(t, json.Unmarshal(a.Bytes(), &v))
			assert.Equal(t, 2, v.Version)
			require.Len(t, v.Sources, 1)
			assert.Equal(t, []int{1}, v.Sources[0].Channels, "of eight channels one is heard")
			assert.Equal(t, "a.wav", v.Sources[0].File)
		case "mhl":
			l, err := mhl.Read(&a)
			require.NoError(t, err)
			e, ok := l.Find(second.Plan.Files[0].Name)
			require.True(t, ok)
			assert.Equal(t, second.Proof.Files[0].Hash, e.Hashes[0].Value)
		}
	}
	assert.Error(t, note.WritePaper(io.Discard, "fax"))

	z, err := f.Archive(f.ctx, second.ID)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, z.Write(&out))
	read, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	require.Len(t, read.File, 6, "the file, four papers and the signed proof")
	assert.EqualValues(t, second.Proof.Files[0].Bytes, read.File[0].UncompressedSize64)

	// In folders as a spec asks for them, files are found again, handed out and listed by their paths.
	own := delivery.ThreeStereoStems()
	own.Name, own.Outputs, own.Folder = "In folders", nil, "{production}/{reel} {version}"
	kept, err := f.SaveSpec(f.ctx, own)
	require.NoError(t, err)
	waiting, err = f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: kept.ID, Packing: "mono", Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	inFolders := f.made(t, waiting.ID)
	require.Equal(t, order.Proven, inFolders.State, inFolders.ErrorMessage)
	name := inFolders.Plan.Files[5].Name
	assert.Equal(t, 2, strings.Count(name, "/"), name)
	path, err := f.DeliveredFile(f.ctx, inFolders.ID, 5)
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(path.Path, name))
	st, err := os.Stat(path.Path)
	require.NoError(t, err)
	assert.EqualValues(t, 0o440, st.Mode().Perm(), "what is proven is never written to again")
	folders, err := f.Dispatch(f.ctx, inFolders)
	require.NoError(t, err)
	assert.Equal(t, name, folders.HashList().Entries[5].Path)
	require.NoError(t, f.Media.RemoveOrder(order.Delivery, inFolders.ID))

	// A test is no version, and is compared with none.
	from, to := second.Plan.From, second.Plan.From+4800
	asked.From, asked.To = &from, &to
	waiting, err = f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	test := f.made(t, waiting.ID)
	assert.True(t, test.Test)
	assert.Contains(t, test.Plan.Files[0].Name, "_TEST")
	asked.From, asked.To = nil, nil
	third, err := f.OrderDelivery(f.ctx, r.ID, asked)
	require.NoError(t, err)
	assert.Equal(t, 3, third.Version)
}

// Anybody's finished master is laid as it was sent: pairs and surround groups as stems of their own, their outputs in its order.
func TestMastersAreLaidAsTheyWereSent(t *testing.T) {
	f := setup(t)
	f.take("six.wav", "MASTER.wav")
	tk := f.takes()[0]
	var cells []app.Cell
	for i, label := range []string{"DX L", "DX R", "Narration", "MX L", "MX R", "FX"} {
		cells = append(cells, cell(f.strands(tk)[i].ID, "label", label))
	}
	require.NoError(t, f.edit(cells...))
	doc, err := f.Masters(f.ctx, f.p.ID, []uuid.UUID{tk.ID})
	require.NoError(t, err)
	r, err := f.CreateReel(f.ctx, f.p.ID, app.NewReel{Name: "Master", Doc: &doc})
	require.NoError(t, err)
	var tracks, outputs []string
	for _, t := range r.Doc.Tracks {
		tracks = append(tracks, t.Label+" "+t.Layout)
	}
	for _, o := range r.Doc.Weave.Outputs {
		outputs = append(outputs, o.Name)
	}
	assert.Equal(t, []string{"DX stereo", "Narration mono", "MX stereo", "FX mono"}, tracks)
	assert.Equal(t, []string{"DX L", "DX R", "Narration", "MX L", "MX R", "FX"}, outputs)
	_, err = f.Masters(f.ctx, f.p.ID, []uuid.UUID{uuid.New()})
	assert.ErrorIs(t, err, app.ErrNotFound)
	_, err = f.Masters(f.ctx, f.p.ID, nil)
	assert.Equal(t, "no_sound", code(err))
}
