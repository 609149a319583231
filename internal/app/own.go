package app

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

type sessionKey struct{}

// WithSession says whose edits those are that are made in a context. Without, they are everybody's.
func WithSession(ctx context.Context, session string) context.Context {
	return context.WithValue(ctx, sessionKey{}, session)
}

// Session is whose edits those of a context are.
func Session(ctx context.Context) string {
	s, _ := ctx.Value(sessionKey{}).(string)
	return s
}

// touched names what a change touches, forwards and back.
func touched(forward, inverse change) []string {
	var out []string
	for _, c := range []change{forward, inverse} {
		for _, v := range c.Cells {
			out = append(out, "cell "+v.Row.String()+" "+v.Field)
		}
		for _, d := range c.Decide {
			out = append(out, "suggestion "+d.Suggestion.String())
		}
		for _, m := range c.Syncs {
			out = append(out, "sync "+m.Sync.String())
		}
		if c.Nudge != nil {
			out = append(out, "sync "+c.Nudge.Sync.String())
		}
		if c.Clock != nil {
			out = append(out, "clock "+c.Clock.Camera+" "+c.Clock.Day)
		}
		if c.Regroup != nil {
			for _, f := range c.Regroup.Files {
				out = append(out, "file "+f.File.String())
			}
		}
		if c.Naming != nil {
			out = append(out, "reel "+c.Naming.Reel.String()+" name")
		}
		for _, rc := range c.reels() {
			for _, what := range reel.Touched(rc.Ops) {
				out = append(out, "reel "+rc.Reel.String()+" "+what)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// inTheWay reports whether two edits touch one thing.
func inTheWay(a, b []string) bool {
	for _, x := range a {
		if slices.Contains(b, x) {
			return true
		}
	}
	of := func(all []string) map[string][]string { // what is touched by reel
		out := map[string][]string{}
		for _, t := range all {
			if rest, ok := strings.CutPrefix(t, "reel "); ok {
				id, what, _ := strings.Cut(rest, " ")
				out[id] = append(out[id], what)
			}
		}
		return out
	}
	theirs := of(b)
	for id, what := range of(a) {
		if reel.InTheWay(what, theirs[id]) {
			return true
		}
	}
	return false
}

// areas are where a change is made or seen, as the log has them: undo is of one at a time. What is done in the sheet and moves what
// lies in reels is of both. also are further ones.
func (c change) areas(also ...string) []string {
	switch {
	case c.Naming != nil:
		also = append(also, store.EditsReels)
	case c.Reel == nil:
		also = append(also, store.EditsSheet)
	}
	for _, rc := range c.reels() {
		also = append(also, rc.Reel.String())
	}
	return also
}

// UndoSheet stands for what is edited in Takes and Sync, where it is said what an undo is of.
const UndoSheet = store.EditsSheet

// areasOf are those that an undo of something is about: of the sheet, or of a reel by its ID; nil for all.
func areasOf(of string) []string {
	switch of {
	case "":
		return nil
	case UndoSheet:
		return []string{store.EditsSheet}
	}
	return []string{of, store.EditsReels}
}

// mayStep refuses to take an edit back, or to bring it back, over what somebody else has done to the same thing since, or oneself
// elsewhere.
func mayStep(ctx context.Context, tx store.Tx, production uuid.UUID, e store.Edit, areas []string) error {
	later, err := tx.EditsElsewhere(ctx, production, e.ID, Session(ctx), areas)
	if err != nil {
		return err
	}
	for _, o := range later {
		if inTheWay(e.Touched, o.Touched) {
			return snag.Refuse("changed_since", "%q can't be taken back or done again: the same has been changed since, by somebody else or elsewhere (%q)", e.What, o.What)
		}
	}
	return nil
}
