package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"zestyloom/core/blockhash"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Given is a proven file as it is given out: by the hash that was proven, whatever lies on the disk by then. What is read of it
// has been compared, block by block; where a block is other, reading ends.
type Given struct {
	Name     string // of the file, with the folders that it is in
	Path     string
	Modified time.Time
	Known    *source.Known // what was proven
	bytes    int64
	hash     string
	since    *time.Time // when it was proven
	spoilt   func(why error) error
}

// asProven says that a file is not what was proven, in what, and what is to be done.
func asProven(name string, why any) error {
	return snag.Refuse("not_as_proven", "%s is not what was proven any more: %v; it is not given out: deliver it again, which gives the same file", name, why)
}

// given finds a proven file in a folder. One that is gone, is of another length, or was written to since it was proven and is
// other, is refused here; all others are told from what was proven as they are read.
func (a *App) given(ctx context.Context, g Given, dir string) (Given, error) {
	path, size, modified, err := a.Media.Delivered(dir, g.Name)
	g.Path, g.Modified = path, modified
	switch {
	case errors.Is(err, os.ErrNotExist):
		err = asProven(g.Name, "it is not in its place")
	case err == nil && size != g.bytes:
		err = asProven(g.Name, fmt.Sprintf("it has %d bytes and had %d", size, g.bytes))
	case err == nil:
		g.Known, err = a.assured(ctx, g.Name, path, g.hash)
		if r := (*snag.Refusal)(nil); errors.As(err, &r) {
			err = asProven(g.Name, "its hash is another")
		}
	}
	if err == nil && g.since != nil && modified.After(*g.since) {
		err = g.whole()
	}
	if err != nil && snag.Of(err).Code == "not_as_proven" {
		err = errors.Join(err, g.spoilt(err))
	}
	return g, err
}

// whole reads all of it.
func (g Given) whole() error {
	return g.readThrough(func(int64) {}, func(time.Duration) error { return nil })
}

// readThrough reads all of it in stretches; progress is told the bytes before each, pace how long it took.
func (g Given) readThrough(progress func(done int64), pace func(took time.Duration) error) error {
	f, err := g.Open()
	if err != nil {
		return err
	}
	defer f.Close()
	stretch := make([]byte, scrubStretch)
	for done := int64(0); ; {
		progress(done)
		began := time.Now()
		n, err := io.ReadFull(f, stretch)
		done += int64(n)
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return nil
		case err != nil:
			return err
		}
		if err := pace(time.Since(began)); err != nil {
			return err
		}
	}
}

// Opened is a proven file that is being read.
type Opened struct {
	io.ReadSeeker
	io.Closer
}

// Open opens it. Reads fail with "not_as_proven" where a block is not what was proven, which is kept of the delivery.
func (g Given) Open() (Opened, error) {
	f, err := source.OpenFile(g.Path)
	if err != nil {
		return Opened{}, err
	}
	r := &compared{g: g, Reader: blockhash.NewReader(f, *g.Known.Sums)}
	return Opened{io.NewSectionReader(r, 0, g.Known.Sums.Bytes), f}, nil
}

type compared struct {
	*blockhash.Reader
	g Given
}

func (c *compared) ReadAt(p []byte, off int64) (int, error) {
	n, err := c.Reader.ReadAt(p, off)
	if d := (*blockhash.Differs)(nil); errors.As(err, &d) {
		err = asProven(c.g.Name, d)
		err = errors.Join(err, c.g.spoilt(err))
	}
	return n, err
}
