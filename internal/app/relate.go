package app

import (
	"context"
	"errors"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/survey"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// membersOf names the channels that a take of several files is made of, in order; empty for a take of
// one file, whose channels intake has compared.
func membersOf(strands []store.Strand) string {
	files := map[uuid.UUID]bool{}
	var b strings.Builder
	for _, s := range strands {
		files[s.FileID] = true
		b.WriteString(s.ID.String())
	}
	if len(files) < 2 {
		return ""
	}
	return b.String()
}

// RelateJob asks for the members of a take to be compared.
type RelateJob struct {
	Take uuid.UUID `json:"take"`
}

// Kind implements Job.
func (RelateJob) Kind() string { return "relate" }

// Relate is the work of a job: compare the members of a set of files with each other, and suggest
// what follows. Where the set has changed again since the job was ordered, another job is on its way
// or has been.
func (a *App) Relate(ctx context.Context, id uuid.UUID) error {
	t, err := a.Store.Take(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	strands, err := a.Store.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	members := membersOf(strands)
	if members == "" || members == t.Related {
		return nil
	}
	var channels []media.ChannelOf
	for _, s := range strands {
		path, err := a.soundOf(s)
		if err != nil {
			return nil // a lost original is a snag of its own; it is compared when it is next changed
		}
		channels = append(channels, media.ChannelOf{Path: path, Channel: s.Channel - 1})
	}
	found, err := media.Relate(ctx, channels)
	var r *snag.Refusal
	if errors.As(err, &r) {
		return nil // said on the file's card; there is nothing to suggest
	}
	if err != nil {
		return err
	}
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, t.ProductionID); err != nil {
			return err
		}
		now, err := tx.Strands(ctx, []uuid.UUID{id})
		if err != nil || membersOf(now) != members {
			return err
		}
		if found.Relations == nil {
			found.Relations = []survey.Relation{}
		}
		if err := tx.SetRelations(ctx, id, found.Relations, members); err != nil {
			return err
		}
		if err := a.suggest(ctx, tx, id); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: t.ProductionID, Kind: "takes"})
	})
}
