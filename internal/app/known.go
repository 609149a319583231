package app

import (
	"context"
	"errors"
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"zestyloom/core/blockhash"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// sumsKept is of how many files the hashes of blocks are held: those of an hour of 32 channels of 24 bits at 48 kHz come to
// half a megabyte.
const sumsKept = 128

// sumsCache holds the hashes of the files that were opened last, by their hash.
type sumsCache = lru.Cache[string, *blockhash.Sums]

// known finds the hashes of a file's blocks, by which what is read of it is compared. It is nil where none were kept: a file
// of before they were, until it is swept (Scrub) or ordered.
func (a *App) known(ctx context.Context, name, hash string) (*source.Known, error) {
	if hash == "" {
		return nil, nil
	}
	a.sumsOnce.Do(func() { a.sums, _ = lru.New[string, *blockhash.Sums](sumsKept) }) // fails for sizes under 1 alone
	if s, ok := a.sums.Get(hash); ok {
		return &source.Known{Name: name, Sums: s}, nil
	}
	s, err := a.Store.Blocks(ctx, hash)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	a.sums.Add(hash, &s)
	return &source.Known{Name: name, Sums: &s}, nil
}

// assured is known for what is ordered: a file of before hashes of blocks were kept is read whole first, and is what its
// hash says or refused.
func (a *App) assured(ctx context.Context, name, path, hash string) (*source.Known, error) {
	k, err := a.known(ctx, name, hash)
	if err != nil || k != nil {
		return k, err
	}
	sums, err := source.HashFile(path)
	if err != nil {
		return nil, err
	}
	if hash != "" && sums.Hash() != hash {
		return nil, source.Changed(name, "its hash was "+hash+" and is "+sums.Hash())
	}
	if err := a.Store.SaveBlocks(ctx, sums); err != nil {
		return nil, err
	}
	return &source.Known{Name: name, Sums: &sums}, nil
}

// soundPath is where a file's sound is read, and the hash of what lies there: of the original, or of the working copy of a
// file with pictures.
func (a *App) soundPath(f store.File) (path, hash string, err error) {
	if f.WorkingPath == "" {
		path, err = a.original(f)
		return path, f.Hash, err
	}
	return a.Media.Path(f.WorkingPath), f.WorkingHash, nil
}

// there refuses a file whose original is gone or of another length. Its contents are compared as they are read.
func (a *App) there(f store.File) error {
	path, err := a.original(f)
	if err != nil {
		return err
	}
	size, err := media.SizeOf(path)
	switch {
	case err != nil:
		return snag.Refuse("source_gone", "the original of %s is not in the media folder any more: take in the file again, which puts it back in its place", f.Name)
	case size != f.Size:
		return source.Changed(f.Name, fmt.Sprintf("it has %d bytes and had %d", size, f.Size))
	}
	return nil
}
