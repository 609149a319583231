package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/survey"
	"zestyloom/core/take"
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

// RelateJob asks for the members of a take to be compared, and for the take with those that were recorded beside it.
type RelateJob struct {
	Take uuid.UUID `json:"take"`
}

// Kind implements Job.
func (RelateJob) Kind() string { return "relate" }

// Relate is the work of a job: compare the members of a set of files with each other, and a take with those beside it, and
// suggest what follows. Where the set has changed again since the job was ordered, another job is on its way or has been.
func (a *App) Relate(ctx context.Context, id uuid.UUID) error {
	t, err := a.Store.Take(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	if err := a.relateMembers(ctx, t); err != nil {
		return err
	}
	return a.relateBeside(ctx, t)
}

func (a *App) relateMembers(ctx context.Context, t store.Take) error {
	id := t.ID
	strands, err := a.Store.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	members := membersOf(strands)
	if members == "" || members == t.Related {
		return nil
	}
	found, ok, err := a.related(ctx, strands, media.Relate)
	if err != nil || !ok {
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

// related surveys strands together. It isn't ok where a file is in the way, which is said on its card: a lost original is
// compared when its take is next changed.
func (a *App) related(ctx context.Context, strands []store.Strand, survey func(context.Context, []media.ChannelOf) (survey.Findings, error)) (found survey.Findings, ok bool, err error) {
	var channels []media.ChannelOf
	for _, s := range strands {
		src, err := a.sourceOf(ctx, s)
		if store.Passing(err) {
			return found, false, err
		}
		if err != nil {
			return found, false, nil
		}
		channels = append(channels, media.ChannelOf{Path: src.Path, Channel: src.Channel, Known: src.Known})
	}
	found, err = survey(ctx, channels)
	if r := (*snag.Refusal)(nil); errors.As(err, &r) {
		return found, false, nil
	}
	return found, err == nil, err
}

// besides are the takes that were recorded beside one, itself included, with their strands and a name for what they are now.
type besides struct {
	takes   []store.Take
	strands []store.Strand // in the order of the takes
	likely  int            // so many channels of the first are likely mixes
	key     string
}

// beside finds them; none where there is nothing to compare.
func beside(ctx context.Context, q store.Queries, t store.Take) (b besides, err error) {
	near, err := q.TakesBeside(ctx, t, take.LengthTolerance)
	if err != nil || len(near) < 2 {
		return b, err
	}
	ids := make([]uuid.UUID, len(near))
	for i, o := range near {
		ids[i] = o.ID
	}
	strands, err := q.Strands(ctx, ids)
	if err != nil {
		return b, err
	}
	of := map[uuid.UUID][]store.Strand{}
	for _, s := range strands {
		of[s.TakeID] = append(of[s.TakeID], s)
	}
	spans := make([]take.Span, len(near))
	for i, o := range near {
		spans[i] = take.Span{Name: o.Name, SampleRate: o.SampleRate, Start: -1, Frames: o.Longest, Channels: len(of[o.ID])}
		if o.StartWas != nil {
			spans[i].Start = *o.StartWas
		}
		if ss := of[o.ID]; len(ss) > 0 {
			spans[i].Name = ss[0].FileName
		}
	}
	hash := sha256.New()
	set, likely := take.AllBeside(spans, slices.IndexFunc(near, func(o store.Take) bool { return o.ID == t.ID }))
	b.likely = likely
	for _, i := range set {
		b.takes = append(b.takes, near[i])
		b.strands = append(b.strands, of[near[i].ID]...)
		for _, s := range of[near[i].ID] {
			hash.Write(s.ID[:])
		}
	}
	if b.takes != nil {
		b.key = hex.EncodeToString(hash.Sum(nil))
	}
	return b, nil
}

// relateBeside compares a take with those beside it, and says of each that has the same beside it whether it is but a mix of
// the others.
func (a *App) relateBeside(ctx context.Context, t store.Take) error {
	b, err := beside(ctx, a.Store.Queries, t)
	if err != nil || b.key == t.Beside {
		return err
	}
	var found survey.Findings
	if b.key != "" {
		var ok bool
		if found, ok, err = a.related(ctx, b.strands, func(ctx context.Context, cs []media.ChannelOf) (survey.Findings, error) {
			return media.RelatePieces(ctx, cs, b.likely)
		}); err != nil || !ok {
			return err
		}
	}
	names, channels := make([]string, len(b.takes)), make([]int, len(b.takes))
	for i, o := range b.takes {
		names[i] = o.Name
		for _, s := range b.strands {
			if s.TakeID == o.ID {
				channels[i]++
			}
		}
	}
	sums := take.Sums(names, channels, found.Relations)
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, t.ProductionID); err != nil {
			return err
		}
		if b.key == "" {
			b.takes, sums = []store.Take{t}, []*take.Sum{nil}
		}
		for i, o := range b.takes {
			now, err := beside(ctx, tx.Queries, o)
			if err != nil {
				return err
			}
			if now.key != b.key {
				continue // a job of its own is on its way
			}
			if err := tx.SetBeside(ctx, o.ID, b.key, sums[i]); err != nil {
				return err
			}
			if err := a.suggest(ctx, tx, o.ID); err != nil {
				return err
			}
		}
		return publish(ctx, tx.Queries, Event{Production: t.ProductionID, Kind: "takes"})
	})
}
