package app

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/naming"
)

// stored puts something into an archive as it is, not compressed.
func stored(out *zip.Writer, name string, at time.Time, write func(w io.Writer) error) error {
	f, err := out.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: at})
	if err != nil {
		return err
	}
	return write(f)
}

// storedFile puts a file into an archive.
func storedFile(out *zip.Writer, name string, g Given, at time.Time) error {
	return stored(out, name, at, func(w io.Writer) error {
		from, err := g.Open()
		if err != nil {
			return err
		}
		defer from.Close()
		_, err = io.Copy(w, from)
		return err
	})
}

// WrittenArchive is the files of writings, to be handed over in one.
type WrittenArchive struct {
	production string
	names      []string
	files      []Given
	at         time.Time
}

// WrittenArchive finds the files of proven writings: every one is looked at before the first is handed over. Two of one name, of two orders,
// are told apart by a number.
func (a *App) WrittenArchive(ctx context.Context, production uuid.UUID, writings []uuid.UUID) (WrittenArchive, error) {
	p, err := a.Store.Production(ctx, production)
	if err != nil {
		return WrittenArchive{}, err
	}
	z := WrittenArchive{production: p.Name, at: a.Now().UTC()}
	taken := map[string]int{}
	for _, id := range writings {
		row, err := a.Store.Writing(ctx, id)
		if err == nil && row.ProductionID != production {
			err = ErrNotFound
		}
		if err != nil {
			return z, err
		}
		for i := range max(1, len(row.Proof)) { // of one that is not proven the first says so
			g, err := a.WrittenFile(ctx, id, i)
			if err != nil {
				return z, err
			}
			name := filepath.Base(g.Path)
			key := strings.ToLower(name)
			if taken[key]++; taken[key] > 1 {
				ending := filepath.Ext(name)
				name = fmt.Sprintf("%s (%d)%s", strings.TrimSuffix(name, ending), taken[key], ending)
			}
			z.names, z.files = append(z.names, name), append(z.files, g)
		}
	}
	return z, nil
}

// Name is that of the archive.
func (z WrittenArchive) Name() string { return naming.Clean(z.production+" takes") + ".zip" }

// Write writes the archive, its files as they are.
func (z WrittenArchive) Write(w io.Writer) error {
	out := zip.NewWriter(w)
	for i, name := range z.names {
		if err := storedFile(out, name, z.files[i], z.at); err != nil {
			return err
		}
	}
	return out.Close()
}
