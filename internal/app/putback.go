package app

import (
	"context"
	"errors"

	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// lookAtTwin reads the file that one with a hash would be the same as, where there is one: whoever takes a file in again may do so
// since the first is damaged, which nobody has seen yet.
func (a *App) lookAtTwin(ctx context.Context, f store.File, hash string) error {
	same, err := a.Store.FileWithHash(ctx, f.ProductionID, hash)
	if errors.Is(err, ErrNotFound) || err == nil && (same.ID == f.ID || same.Size != f.Size) {
		return nil
	}
	if err == nil && (same.Origin != "linked" || a.Shelf != nil) {
		_, err = a.scrubFile(ctx, same, AtOnce)
	}
	return err
}

// putBack gives a file whose original is lost, or is not what it was, the same one that has come in anew: what was laid, ordered
// and proven of it holds again.
func (a *App) putBack(ctx context.Context, tx store.Tx, lost, again store.File, found *media.Analysis) error {
	from, err := a.original(again)
	if err != nil {
		return err
	}
	switch {
	case lost.Origin != "linked":
		err = a.Media.PutBack(from, lost.Path)
	case again.Origin == "linked": // it has moved
		err = tx.SetPlace(ctx, lost.ID, "linked", "", again.SourcePath, again.Modified)
	default:
		to := a.Media.OriginalPath(lost.ID, lost.Name)
		err = errors.Join(a.Media.PutBack(from, to), tx.SetPlace(ctx, lost.ID, "upload", to, "", 0))
	}
	if err != nil {
		return err
	}
	if lost.WorkingPath != "" && found.Working != "" {
		sound, proxy, strip := a.Media.Working(again.ID)
		toSound, toProxy, toStrip := a.Media.Working(lost.ID)
		err = errors.Join(a.Media.PutBack(a.Media.Path(sound), toSound), tx.SetWorkingHash(ctx, lost.ID, found.WorkingSums.Hash()))
		if found.Strip != nil {
			err = errors.Join(err, a.Media.PutBack(a.Media.Path(proxy), toProxy), a.Media.PutBack(a.Media.Path(strip), toStrip))
		}
	}
	return errors.Join(err, tx.SetLost(ctx, lost.ID, nil), tx.FileChecked(ctx, lost.ID),
		publish(ctx, tx.Queries, Event{Production: lost.ProductionID, Kind: "files", ID: lost.ID.String()}))
}
