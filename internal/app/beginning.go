package app

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// Beginnings are the names of the templates that new reels begin with: of a production, and of all that have none of their own. Empty for none.
type Beginnings struct{ House, Production string }

// Beginnings finds them.
func (a *App) Beginnings(ctx context.Context, production *uuid.UUID) (b Beginnings, err error) {
	if b.House, err = a.Store.Beginning(ctx, nil); err != nil || production == nil {
		return b, err
	}
	if _, err = a.Store.Production(ctx, *production); err != nil {
		return b, err
	}
	b.Production, err = a.Store.Beginning(ctx, production)
	return b, err
}

// SetBeginning says with which template new reels begin, of a production, or of all where it is nil. A reel of that production that
// nobody has touched yet is woven by it, too: an edit that can be undone.
func (a *App) SetBeginning(ctx context.Context, production *uuid.UUID, template string) error {
	if template != "" {
		if _, there, err := templateNamed(ctx, a.Store.Queries, template); err != nil {
			return err
		} else if !there {
			return snag.Refuse("no_such_template", "there is no template of the name %s", template)
		}
	}
	if production == nil {
		return a.Store.SetBeginning(ctx, nil, template)
	}
	if _, err := a.Store.Production(ctx, *production); err != nil {
		return err
	}
	if err := a.Store.SetBeginning(ctx, production, template); err != nil || template == "" {
		return err
	}
	all, err := a.Store.ListReels(ctx, *production)
	if err != nil {
		return err
	}
	t, _, err := templateNamed(ctx, a.Store.Queries, template)
	if err != nil {
		return err
	}
	for _, listed := range all {
		r, err := a.Store.Reel(ctx, listed.ID)
		if err != nil {
			return err
		}
		if r.Version != 1 || len(r.Doc.Tracks) > 0 {
			continue
		}
		weaving := []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{Use: &weave.Use{Template: t}}}}}
		if _, err := a.EditReel(ctx, r.ID, r.Version, fmt.Sprintf("weave %s by %s", r.Name, t.Name), weaving); err != nil {
			return err
		}
	}
	return nil
}

func templateNamed(ctx context.Context, q store.Queries, name string) (t weave.Template, there bool, err error) {
	shipped := weave.Shipped()
	if i := slices.IndexFunc(shipped, func(t weave.Template) bool { return t.Name == name }); i >= 0 {
		return shipped[i], true, nil
	}
	kept, err := q.WeaveTemplates(ctx)
	if i := slices.IndexFunc(kept, func(t store.WeaveTemplate) bool { return t.Name == name }); i >= 0 {
		return kept[i].Doc, true, nil
	}
	return t, false, err
}

// freshReel is what a new reel is: empty, and woven by the template that those of its production, or else all, begin with. One that has been
// forgotten since is none.
func freshReel(ctx context.Context, q store.Queries, production uuid.UUID) (reel.Reel, error) {
	doc := reel.New()
	for _, of := range []*uuid.UUID{&production, nil} {
		name, err := q.Beginning(ctx, of)
		if err != nil {
			return doc, err
		}
		t, there, err := templateNamed(ctx, q, name)
		if err != nil {
			return doc, err
		}
		if there {
			doc.Weave, _, err = doc.Weave.Changed(weave.Change{Use: &weave.Use{Template: t}}, nil, uuid.NewString)
			return doc, err
		}
	}
	return doc, nil
}
