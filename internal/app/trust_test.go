package app_test

import (
	"bytes"
	"crypto/ed25519"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/attest"
	"zestyloom/core/edit"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/report"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
)

// damage flips bits of a file at a byte, and puts its time back where that is asked.
func damage(t *testing.T, path string, at int64, n int, putBack bool) {
	t.Helper()
	was, err := os.Stat(path)
	require.NoError(t, err)
	require.NoError(t, os.Chmod(path, 0o640))
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	require.NoError(t, err)
	b := make([]byte, n)
	_, err = f.ReadAt(b, at)
	require.NoError(t, err)
	for i := range b {
		b[i] ^= 0x15
	}
	_, err = f.WriteAt(b, at)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	if putBack {
		require.NoError(t, os.Chtimes(path, was.ModTime(), was.ModTime()))
	}
}

// What was changed in an original, or taken away, is never delivered, written out, measured or heard as what it was, whatever its
// time says; put back by taking the same file in again, everything is made, and what was ordered before gives the same bytes.
func TestChangedOriginals(t *testing.T) {
	for _, k := range []struct {
		name string
		do   func(t *testing.T, path string)
		code string
	}{
		{"samples", func(t *testing.T, path string) { damage(t, path, 300_000, 6000, false) }, "source_changed"},
		{"samples, and its time put back", func(t *testing.T, path string) { damage(t, path, 300_000, 6000, true) }, "source_changed"},
		{"one bit of the header", func(t *testing.T, path string) { damage(t, path, 24, 1, true) }, "source_changed"},
		{"cut off", func(t *testing.T, path string) { require.NoError(t, os.Truncate(path, 1_000_000)) }, "source_changed"},
		{"one byte more", func(t *testing.T, path string) {
			f, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0)
			require.NoError(t, err)
			_, err = f.Write([]byte{0})
			require.NoError(t, err)
			require.NoError(t, f.Close())
		}, "source_changed"},
		{"gone", func(t *testing.T, path string) { require.NoError(t, os.Remove(path)) }, "source_gone"},
	} {
		t.Run(k.name, func(t *testing.T) {
			f := setup(t)
			file, r, specs := laidReel(t, f)
			asked := app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}}
			d, err := f.OrderDelivery(f.ctx, r.ID, asked)
			require.NoError(t, err)
			good := f.made(t, d.ID)
			require.Equal(t, order.Proven, good.State, good.ErrorMessage)
			waiting, err := f.OrderDelivery(f.ctx, r.ID, asked)
			require.NoError(t, err)
			rows, err := f.OrderWritings(f.ctx, f.p.ID, app.WritingOrder{Takes: []uuid.UUID{f.takes()[0].ID}, Packing: "mono"})
			require.NoError(t, err)

			path := f.Media.Path(file.Path)
			k.do(t, path)

			waiting = f.made(t, waiting.ID)
			assert.Equal(t, order.Failed, waiting.State)
			assert.Equal(t, k.code, waiting.ErrorCode, waiting.ErrorMessage)
			assert.Contains(t, waiting.ErrorMessage, "a.wav")
			assert.Contains(t, waiting.ErrorMessage, "take in the file again")
			require.NoError(t, f.Make(f.ctx, rows[0].ID))
			row, err := f.Store.Writing(f.ctx, rows[0].ID)
			require.NoError(t, err)
			assert.Equal(t, order.Failed, row.State)

			require.NoError(t, f.LookForGone(f.ctx))
			_, err = f.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
			require.NoError(t, err)
			lost, err := f.Store.File(f.ctx, file.ID)
			require.NoError(t, err)
			require.NotNil(t, lost.Lost, "Intake says so")
			assert.Equal(t, k.code, lost.Lost.Code)
			n, err := f.Scrub(f.ctx)
			require.NoError(t, err)
			assert.Equal(t, 1, n.Amiss)
			_, found, _, err := f.Preflight(f.ctx, r.ID, asked)
			if err == nil { // else it could not look for clipping
				assert.Equal(t, k.code, found[0].Code)
			}
			_, err = f.OrderDelivery(f.ctx, r.ID, asked)
			assert.Equal(t, k.code, code(err), "and nothing further is ordered of it")

			again := f.take("poly8_s24.wav", "the same from its card.wav")
			assert.Equal(t, "duplicate", again.State)
			require.NotEmpty(t, again.Facts.Facts.Snags)
			assert.Equal(t, "put_back", again.Facts.Facts.Snags[len(again.Facts.Facts.Snags)-1].Code)
			back, err := f.Store.File(f.ctx, file.ID)
			require.NoError(t, err)
			assert.Nil(t, back.Lost)
			retried, err := f.stepped(waiting.ID, order.Retry)
			require.NoError(t, err)
			retried = f.made(t, retried.ID)
			require.Equal(t, order.Proven, retried.State, retried.ErrorMessage)
			assert.Equal(t, good.Proof.Files[0].Channels, retried.Proof.Files[0].Channels)
		})
	}
}

// What is decoded of a file with pictures is compared too, and its original must be there.
func TestChangedWorkingCopies(t *testing.T) {
	f := setup(t)
	film := f.take("camera.mov", "CAM_0001.mov")
	require.NotEmpty(t, film.WorkingHash)
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{f.takes()[0].ID}, false))
	require.NoError(t, err)
	r, err = edited(f.EditReel(f.ctx, r.ID, r.Version, "route", []edit.Action{{SetSends: &reel.SetSends{From: r.Doc.Tracks[0].ID, Sends: []weave.Send{{To: "DX"}}}}}))
	require.NoError(t, err)
	specs, err := f.Store.Specs(f.ctx)
	require.NoError(t, err)
	asked := app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out", "no_sound_out", "off_limits", "undecided"}}
	var ids []uuid.UUID
	for range 3 {
		d, err := f.OrderDelivery(f.ctx, r.ID, asked)
		require.NoError(t, err)
		ids = append(ids, d.ID)
	}
	d := f.made(t, ids[0])
	require.Equal(t, order.Proven, d.State, d.ErrorMessage)
	working, original := f.Media.Path(film.WorkingPath), f.Media.Path(film.Path)
	require.NoError(t, os.Rename(original, original+".away"))
	d = f.made(t, ids[1])
	assert.Equal(t, "source_gone", d.ErrorCode)
	require.NoError(t, os.Rename(original+".away", original))
	damage(t, working, 60, 1, true)
	d = f.made(t, ids[2])
	assert.Equal(t, "source_changed", d.ErrorCode, d.ErrorMessage)
	f.take("camera.mov", "again.mov")
	_, err = f.stepped(ids[2], order.Retry)
	require.NoError(t, err)
	d = f.made(t, ids[2])
	assert.Equal(t, order.Proven, d.State, d.ErrorMessage)
}

// Files of before hashes of blocks were kept are read whole once, and are what their hash says.
func TestFilesOfBefore(t *testing.T) {
	f := setup(t)
	file, r, specs := laidReel(t, f)
	_, err := f.Store.Pool.Exec(f.ctx, `DELETE FROM blocks`)
	require.NoError(t, err)
	fresh := &app.App{Store: f.Store, Media: f.Media, Queue: f.queue, Now: f.Now}
	damage(t, f.Media.Path(file.Path), 300_000, 6000, true)
	d, err := fresh.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	require.NoError(t, fresh.Make(f.ctx, d.ID))
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "source_changed", d.ErrorCode, d.ErrorMessage)
	damage(t, f.Media.Path(file.Path), 300_000, 6000, true)
	did, err := fresh.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
	require.NoError(t, err)
	assert.NoError(t, did.Why)
	_, err = f.Store.Blocks(f.ctx, file.Hash)
	assert.NoError(t, err, "now they are")
}

// A proven file is given out as it was proven or not at all: what is read of it is compared, whatever its time says, and the
// delivery says so from then on. The same file again ends it.
func TestChangedDeliveries(t *testing.T) {
	f := setup(t)
	_, r, specs := laidReel(t, f)
	d, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	d = f.made(t, d.ID)
	g, err := f.DeliveredFile(f.ctx, d.ID, 0)
	require.NoError(t, err)
	whole, err := os.ReadFile(g.Path)
	require.NoError(t, err)
	read := func() ([]byte, error) {
		g, err := f.DeliveredFile(f.ctx, d.ID, 0)
		if err != nil {
			return nil, err
		}
		o, err := g.Open()
		require.NoError(t, err)
		defer o.Close()
		return io.ReadAll(o)
	}
	got, err := read()
	require.NoError(t, err)
	assert.True(t, bytes.Equal(whole, got))

	before := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(g.Path, before, before)) // as old as a file from before
	damage(t, g.Path, int64(len(whole)-10), 1, true)
	got, err = read()
	assert.Equal(t, "not_as_proven", code(err))
	assert.True(t, bytes.HasPrefix(whole, got), "what was read before is as it was")
	assert.Less(t, len(got), len(whole)-10)
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	require.NotNil(t, d.Damaged)
	z, err := f.Archive(f.ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "not_as_proven", code(z.Write(io.Discard)))

	damage(t, g.Path, int64(len(whole)-10), 1, true)
	for range 2 {
		_, err = f.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
		require.NoError(t, err)
	}
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	assert.NotNil(t, d.Damaged, "the file was due twice and not the delivery")
	_, err = f.Store.Pool.Exec(f.ctx, `UPDATE files SET checked_at = now() + interval '1 day'`)
	require.NoError(t, err)
	did, err := f.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
	require.NoError(t, err)
	assert.NoError(t, did.Why)
	d, err = f.Store.Delivery(f.ctx, d.ID)
	require.NoError(t, err)
	assert.Nil(t, d.Damaged)

	require.NoError(t, os.Remove(g.Path))
	_, err = read()
	assert.Equal(t, "not_as_proven", code(err))
}

// A proof is signed; one that is edited in the database is none, and nothing is given out of it.
func TestSignedProofs(t *testing.T) {
	f := setup(t)
	_, r, specs := laidReel(t, f)
	d, err := f.OrderDelivery(f.ctx, r.ID, app.DeliveryOrder{Spec: specs[0].ID, Accept: []string{"no_stem", "output_silent", "stem_not_out"}})
	require.NoError(t, err)
	d = f.made(t, d.ID)
	note, err := f.Paper(f.ctx, d.ID)
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, note.WritePaper(&b, report.SignedProof))
	s, err := attest.Read(&b)
	require.NoError(t, err)
	assert.True(t, s.Holds())
	assert.True(t, s.Passed())
	assert.True(t, s.Key.Equal(f.Key.Public()))
	files, err := s.Files()
	require.NoError(t, err)
	assert.Equal(t, []attest.File{{Name: d.Proof.Files[0].Name, Bytes: d.Proof.Files[0].Bytes, Hash: d.Proof.Files[0].Hash}}, files)
	assert.Contains(t, s.Statement, `made of "a.wav" xxh64 `)

	for what, edit := range map[string]string{
		"a file's hash":      `jsonb_set(proof, '{files,0,hash}', '"0000000000000000"')`,
		"a channel's hash":   `jsonb_set(proof, '{files,0,channels,2,hash}', '"0000000000000000"')`,
		"a file's length":    `jsonb_set(proof, '{files,0,bytes}', '12')`,
		"the verdict":        `jsonb_set(proof, '{passed}', 'false')`,
		"the name of a file": `jsonb_set(proof, '{files,0,name}', '"other.wav"')`,
	} {
		_, err := f.Store.Pool.Exec(f.ctx, `UPDATE orders SET proof = `+edit+` WHERE id = $1`, d.ID)
		require.NoError(t, err)
		_, err = f.Paper(f.ctx, d.ID)
		assert.Equal(t, "proof_edited", code(err), what)
		_, err = f.DeliveredFile(f.ctx, d.ID, 0)
		assert.Equal(t, "proof_edited", code(err), what)
		_, err = f.Store.Pool.Exec(f.ctx, `UPDATE orders SET proof = $2 WHERE id = $1`, d.ID, d.Proof)
		require.NoError(t, err)
	}
	_, err = f.Store.Pool.Exec(f.ctx, `UPDATE orders SET signature = jsonb_set(signature, '{statement}', '"Zesty Loom proof, form 1\n"') WHERE id = $1`, d.ID)
	require.NoError(t, err)
	_, err = f.Paper(f.ctx, d.ID)
	assert.Equal(t, "proof_edited", code(err))

	other := ed25519.NewKeyFromSeed(bytes.Repeat([]byte{7}, 32))
	forged := attest.Sign(other, s.Statement)
	assert.True(t, forged.Holds(), "by its own key")
	assert.False(t, forged.Key.Equal(f.Key.Public()), "which is not the one that a recipient knows")
}

// What lies on the shelf is compared as it is read, too, and one that has moved is found again by taking it in.
func TestLinkedOriginals(t *testing.T) {
	f := setup(t)
	shelf := f.onShelf(map[string]string{"a.wav": "poly8_s24.wav"})
	path := filepath.Join(shelf, "a.wav")
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	linked := f.link("a.wav")
	f.apart()
	damage(t, path, 300_000, 10, true)
	on := f.Shelf
	f.Shelf = nil
	_, err = f.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
	require.ErrorIs(t, err, app.ErrNotFound, "without its shelf nothing is said of it")
	f.Shelf = on
	did, err := f.ScrubNext(f.ctx, time.Now().Add(time.Hour), app.AtOnce)
	require.NoError(t, err)
	assert.Equal(t, "source_changed", code(did.Why))
	require.NoError(t, f.LookForLost(f.ctx))
	lost, err := f.Store.File(f.ctx, linked.ID)
	require.NoError(t, err)
	assert.NotNil(t, lost.Lost, "it looks as it did, and is not")
	strands, err := f.Store.StrandsOfFiles(f.ctx, []uuid.UUID{linked.ID})
	require.NoError(t, err)
	sound, _, err := f.OpenSound(f.ctx, strands[0].ID.String(), 0, 48000)
	require.NoError(t, err)
	defer sound.Close()
	_, err = io.Copy(io.Discard, sound)
	assert.Equal(t, "source_changed", code(err), "nor is it heard")

	require.NoError(t, os.Remove(path))
	require.NoError(t, os.WriteFile(filepath.Join(shelf, "moved.wav"), b, 0o600))
	f.link("moved.wav")
	back, err := f.Store.File(f.ctx, linked.ID)
	require.NoError(t, err)
	assert.Nil(t, back.Lost)
	assert.Equal(t, "moved.wav", back.SourcePath)
}

// A label is one line, wherever it is typed.
func TestLabelsAreOneLine(t *testing.T) {
	f := setup(t)
	file, r, _ := laidReel(t, f)
	strands, err := f.Store.StrandsOfFiles(f.ctx, []uuid.UUID{file.ID})
	require.NoError(t, err)
	_, err = f.LabelStrand(f.ctx, strands[0].ID, "Boom\nLav", strands[0].Label)
	assert.Equal(t, "bad_label", code(err))
	label, name := "Boom\rLav", "DX\u2028two"
	for _, a := range []edit.Action{
		{SetTrack: &reel.SetTrack{ID: r.Doc.Tracks[0].ID, Label: &label}},
		{AddTrack: &reel.AddTrack{Track: reel.Track{ID: "new", Label: label, Layout: "mono"}}},
		{Weave: &edit.Reweave{Change: weave.Change{SetBus: &weave.SetBus{ID: "DX", Name: &name}}}},
		{Weave: &edit.Reweave{Change: weave.Change{SetOutput: &weave.SetOutput{Name: &name}}}},
	} {
		_, err := f.EditReel(f.ctx, r.ID, r.Version, "name", []edit.Action{a})
		assert.Equal(t, "bad_label", code(err), "%+v", a)
	}
	assert.Equal(t, "bad_label", code(f.NameReel(f.ctx, r.ID, "Reel\n1", false)))
	_, err = f.CreateProduction(f.ctx, app.NewProduction{Name: "Fer\nry", SampleRate: 48000, Rate: "25", Start: "10:00:00:00"})
	assert.Equal(t, "bad_label", code(err))
	note := "first line\nsecond line"
	v, err := json.Marshal(note)
	require.NoError(t, err)
	assert.NoError(t, f.EditSheet(f.ctx, f.p.ID, "note", []app.Cell{{Row: f.takes()[0].ID, Field: "note", Value: v}}), "a note may have lines")
}
