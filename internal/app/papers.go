package app

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/store"
)

// Dispatch is the note that goes with a delivery that has been read back, with what is other than in the version before.
func (a *App) Dispatch(ctx context.Context, d store.Delivery) (report.Dispatch, error) {
	n := report.Dispatch{Made: delivery.Made{Plan: d.Plan}, Number: d.Version, Printed: d.OrderedAt.UTC()}
	if d.Proof == nil {
		return n, snag.Refuse("not_proven", "the delivery is %s: papers are written once its files have been read back", d.State)
	}
	n.Proof = *d.Proof
	var err error
	if n.Signed, err = a.signed(d); err != nil {
		return n, err
	}
	if d.FinishedAt != nil {
		n.Printed = d.FinishedAt.UTC()
	}
	var before store.Delivery
	before, err = a.Store.DeliveryBefore(ctx, d)
	if errors.Is(err, ErrNotFound) {
		return n, nil
	}
	if err != nil || before.Proof == nil {
		return n, err
	}
	was := delivery.Made{Plan: before.Plan, Proof: *before.Proof}
	if d.Plan.Test() { // over its own span alone
		over, fits, err := was.Over(d.Plan, func(file int) (string, *source.Known, error) {
			g, err := a.deliveredFile(ctx, before, file)
			return g.Path, g.Known, err
		})
		if err != nil || !fits {
			n.Differs = []string{fmt.Sprintf("version %d is of another length or coding, or its files can't be read: its samples are not compared with those of this test", before.Version)}
			return n, nil
		}
		was = over
	}
	n.Differs = delivery.Differences(was, n.Made)
	return n, nil
}

// signed is a delivery's signed proof, held against what is kept of it: where that was edited since, it is none. nil where it
// was never signed.
func (a *App) signed(d store.Delivery) (*attest.Signed, error) {
	if d.Signature == nil || d.Proof == nil {
		return nil, nil
	}
	if !d.Signature.Holds() || !d.Signature.Of(delivery.Made{Plan: d.Plan, Proof: *d.Proof}) {
		return nil, snag.Refuse("proof_edited", "what is kept of the proof of version %d is not what was signed when it was proven: the database was changed by other means; nothing of it is given out: deliver it again", d.Version)
	}
	return d.Signature, nil
}

// Paper finds a delivery's note, from which a paper is written.
func (a *App) Paper(ctx context.Context, id uuid.UUID) (report.Dispatch, error) {
	d, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return report.Dispatch{}, err
	}
	return a.Dispatch(ctx, d)
}

// Archive is a proven delivery as it is handed over in one file.
type Archive struct {
	note  report.Dispatch
	files []Given // as they are named in the plan
}

// Name is that of the archive.
func (z Archive) Name() string { return z.note.PaperName("zip") }

// Archive prepares a delivery to be handed over: every file is looked at before the first is.
func (a *App) Archive(ctx context.Context, id uuid.UUID) (Archive, error) {
	d, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return Archive{}, err
	}
	z := Archive{}
	if z.note, err = a.Dispatch(ctx, d); err != nil {
		return z, err
	}
	for i := range d.Plan.Files {
		g, err := a.deliveredFile(ctx, d, i)
		if err != nil {
			return z, err
		}
		z.files = append(z.files, g)
	}
	return z, nil
}

// Write writes the archive, its files as they are.
func (z Archive) Write(w io.Writer) error {
	out := zip.NewWriter(w)
	for i, f := range z.note.Plan.Files {
		if err := storedFile(out, f.Name, z.files[i], z.note.Printed); err != nil {
			return err
		}
	}
	for _, kind := range append(slices.Clone(delivery.Paperwork), report.SignedProof) {
		if kind == report.SignedProof && z.note.Signed == nil || kind != report.SignedProof && !slices.Contains(z.note.Plan.Order.Spec.Papers, kind) {
			continue
		}
		if err := stored(out, z.note.PaperName(kind), z.note.Printed, func(w io.Writer) error { return z.note.WritePaper(w, kind) }); err != nil {
			return err
		}
	}
	return out.Close()
}
