package app

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// OfferedLayout is a layout that there is to choose from.
type OfferedLayout struct {
	audio.Layout
	Own  uuid.UUID // of one that was kept; nil for one that comes with the program
	Says string    // its name for people
	Doc  audio.OwnLayout
}

// Layouts lists those that come with the program, and then those that were kept.
func (a *App) Layouts(ctx context.Context) (out []OfferedLayout, err error) {
	for _, l := range audio.Offered() {
		out = append(out, OfferedLayout{Layout: l, Says: l.Name})
	}
	kept, err := a.Store.Layouts(ctx)
	if err != nil {
		return nil, err
	}
	for _, k := range kept {
		if l, err := k.Doc.Layout(); err == nil { // it was one when it was kept
			out = append(out, OfferedLayout{l, k.ID, k.Name, k.Doc})
		}
	}
	return out, nil
}

// KeepLayout keeps a layout of one's own; one of that name is replaced. Buses that have it stay as they are.
func (a *App) KeepLayout(ctx context.Context, o audio.OwnLayout) (OfferedLayout, error) {
	o.Format, o.Name, o.Description = 1, strings.TrimSpace(o.Name), strings.TrimSpace(o.Description)
	l, err := o.Layout()
	if err != nil {
		return OfferedLayout{}, snag.Refuse("bad_layout", "%w", err)
	}
	id, err := a.Store.SaveLayout(ctx, store.KeptLayout{ID: store.NewID(), Name: o.Name, Doc: o})
	return OfferedLayout{l, id, o.Name, o}, err
}

// ForgetLayout forgets one that was kept.
func (a *App) ForgetLayout(ctx context.Context, id uuid.UUID) error {
	there, err := a.Store.DeleteLayout(ctx, id)
	if err == nil && !there {
		return ErrNotFound
	}
	return err
}
