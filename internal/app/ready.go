package app

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/delivery"
	"zestyloom/core/readiness"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// Readiness is a take as far as its snags go.
func Readiness(t store.Take, strands []store.Strand, asking []store.Suggestion) readiness.Take {
	r := grouped(t)
	for _, s := range asking {
		if s.TakeID == t.ID {
			r.Asked = append(r.Asked, s.Body.Says)
		}
	}
	for i := range strands {
		r.Strands = append(r.Strands, counted(&strands[i]))
	}
	return r
}

// ListedReadiness is Readiness of what a list has read.
func ListedReadiness(t store.ListedTake, strands []store.ListedStrand) readiness.Take {
	r := grouped(t.Take)
	for _, s := range t.Open {
		if s.Body.Asks {
			r.Asked = append(r.Asked, s.Body.Says)
		}
	}
	for i := range strands {
		r.Strands = append(r.Strands, counted(&strands[i].Strand))
	}
	return r
}

func grouped(t store.Take) readiness.Take {
	return readiness.Take{Grouping: t.Snags, Why: t.Why, Certain: t.Certain, Accepted: t.Accepted, MissingRemedy: t.MissingRemedy, LengthRemedy: t.LengthRemedy}
}

func counted(s *store.Strand) readiness.Strand {
	return readiness.Strand{Label: s.Label, Off: s.Treat.Off, Peak: s.Peak}
}

// weigh works out whether something is amiss with takes that were written, and keeps it with them.
func weigh(ctx context.Context, q store.Queries, ids []uuid.UUID) error {
	takes, err := q.TakesByID(ctx, ids)
	if err != nil {
		return err
	}
	strands, err := q.Strands(ctx, ids)
	if err != nil {
		return err
	}
	asking, err := q.Asking(ctx, ids)
	if err != nil {
		return err
	}
	of := map[uuid.UUID][]store.Strand{}
	for _, s := range strands {
		of[s.TakeID] = append(of[s.TakeID], s)
	}
	var amiss, fine []uuid.UUID
	for _, t := range takes {
		if len(Readiness(t, of[t.ID], asking).Snags()) > 0 {
			amiss = append(amiss, t.ID)
		} else {
			fine = append(fine, t.ID)
		}
	}
	return q.SetAmiss(ctx, amiss, fine)
}

// heldAgainst is the spec that a reel is held against.
func heldAgainst(ctx context.Context, q store.Queries, r store.Reel) (delivery.Spec, error) {
	if r.SpecID == nil {
		return delivery.ThreeStereoStems(), nil
	}
	row, err := q.Spec(ctx, *r.SpecID)
	return row.Body, err
}

// reelSnags counts what stands between a reel, as it comes to be, and an accepted delivery to the spec that was chosen for it.
func reelSnags(ctx context.Context, q store.Queries, r store.Reel, doc reel.Reel) (store.ReelSnags, error) {
	p, err := q.Production(ctx, r.ProductionID)
	if err != nil {
		return store.ReelSnags{}, err
	}
	return reelSnagsIn(ctx, q, p, r, doc)
}

func reelSnagsIn(ctx context.Context, q store.Queries, p store.Production, r store.Reel, doc reel.Reel) (store.ReelSnags, error) {
	plan, err := heldPlan(ctx, q, p, r, doc)
	if err != nil {
		return store.ReelSnags{}, err
	}
	count := readiness.Count(readiness.Plan(plan, nil))
	return store.ReelSnags{Reel: count["reel"], Weave: count["weave"]}, nil
}

// heldPlan is what would be written of a reel, as it comes to be, for the spec that it is held against.
func heldPlan(ctx context.Context, q store.Queries, p store.Production, r store.Reel, doc reel.Reel) (delivery.Plan, error) {
	spec, err := heldAgainst(ctx, q, r)
	if err != nil {
		return delivery.Plan{}, err
	}
	plan, err := delivery.Make(delivery.Order{Spec: spec, Titles: delivery.Titles{Production: p.Name, Episode: p.Episode, Reel: r.Name}}, doc, doc.Counted(p.Rate()), p.SampleRate)
	if snag.Of(orNil(err)).Code == "names_clash" {
		err = nil // it is said where names are given
	}
	return plan, err
}

// orNil is an error that can be asked what it is, there or not.
func orNil(err error) error {
	if err == nil {
		return &snag.Refusal{}
	}
	return err
}

// WorkOutReadiness does so for rows of before it was kept. It is called once the schema is there.
func (a *App) WorkOutReadiness(ctx context.Context) error {
	for {
		ids, err := a.Store.TakesUnweighed(ctx, 500)
		if err != nil {
			return err
		}
		if len(ids) == 0 {
			break
		}
		if err := weigh(ctx, a.Store.Queries, ids); err != nil {
			return err
		}
	}
	reels, err := a.Store.ReelsUnweighed(ctx)
	if err != nil {
		return err
	}
	for _, r := range reels {
		start, end := r.Doc.Span()
		if err := a.Store.SetReelExtent(ctx, r.ID, len(r.Doc.Tracks), start, end); err != nil {
			return err
		}
		snags, err := reelSnags(ctx, a.Store.Queries, r, r.Doc)
		if err != nil {
			return err
		}
		if err := a.Store.SetReelSnags(ctx, r.ID, snags); err != nil {
			return err
		}
	}
	return nil
}
