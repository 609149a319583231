package app

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// Edited is a reel after an edit, and how it was at the version that the edit was made on, where that is at hand.
type Edited struct {
	store.Reel
	Production store.Production
	Base       int64
	Was        reel.Reel
	Known      bool
}

// EditReel carries out actions that were asked for when a reel was at a version. What others have done meanwhile to
// something else stays; where they have changed the same, it returns ErrStale and the reel as it is.
func (a *App) EditReel(ctx context.Context, id uuid.UUID, version int64, what string, actions []edit.Action) (Edited, error) {
	return a.changeReel(ctx, id, version, func(tx store.Tx, r store.Reel) (string, edit.Planned, error) {
		plan, err := edit.Plan(r.Doc, actions, edit.Context{
			NewID: uuid.NewString,
			Frames: func(strands []string) (map[string]int64, error) {
				return framesOf(ctx, tx.Queries, r.ProductionID, strands)
			},
		})
		if err == nil {
			err = ofTheProduction(ctx, tx, r, plan.Ops)
		}
		return what, plan, err
	})
}

// ofTheProduction refuses operations that bring in strands that are none of the production's.
func ofTheProduction(ctx context.Context, tx store.Tx, r store.Reel, ops []reel.Op) error {
	brought := reel.Brought(r.Doc, ops)
	if len(brought) == 0 {
		return nil
	}
	ids := make([]uuid.UUID, len(brought))
	for i, name := range brought {
		id, err := uuid.Parse(name)
		if err != nil {
			return noStrand(name)
		}
		ids[i] = id
	}
	here, err := tx.StrandsOf(ctx, r.ProductionID, ids)
	if err != nil {
		return err
	}
	for _, id := range ids {
		if !here[id] {
			return noStrand(id.String())
		}
	}
	return nil
}

// SetWidth grows or shrinks the master.
func (a *App) SetWidth(ctx context.Context, id uuid.UUID, version int64, outputs int) (Edited, error) {
	return a.changeReel(ctx, id, version, func(_ store.Tx, r store.Reel) (string, edit.Planned, error) {
		what := fmt.Sprintf("make the master %d outputs wide", outputs)
		outs, groups, err := r.Doc.Weave.Resize(outputs)
		if err != nil {
			return what, edit.Planned{}, err
		}
		plan, err := edit.Plan(r.Doc, []edit.Action{{SetOutputs: &reel.SetOutputs{Outputs: outs, Groups: groups}}}, edit.Context{})
		return what, plan, err
	})
}

// ReelSince is a reel as it is, and how it was at a version, where that is at hand.
func (a *App) ReelSince(ctx context.Context, id uuid.UUID, version int64) (e Edited, err error) {
	if e.Reel, err = a.Store.Reel(ctx, id); err != nil {
		return e, err
	}
	if e.Production, err = a.Store.Production(ctx, e.ProductionID); err != nil {
		return e, err
	}
	e.Base = version
	e.Was, e.Known, err = a.Store.ReelAt(ctx, id, version)
	return e, err
}

// editing is what actions on a reel need to know beside it.
func editing(ctx context.Context, q store.Queries, r store.Reel) edit.Context {
	return edit.Context{
		NewID:  uuid.NewString,
		Frames: func(strands []string) (map[string]int64, error) { return framesOf(ctx, q, r.ProductionID, strands) },
	}
}

// framesOf gives the lengths of strands at the production's rate, with their drift corrected.
func framesOf(ctx context.Context, q store.Queries, production uuid.UUID, strands []string) (map[string]int64, error) {
	p, err := q.Production(ctx, production)
	if err != nil {
		return nil, err
	}
	rows, err := q.StrandLengths(ctx, namedStrands(slices.Values(strands)))
	if err != nil {
		return nil, err
	}
	out := map[string]int64{}
	for _, s := range rows {
		k, err := newClock(s.Rate, p.SampleRate, s.Drift)
		if err != nil {
			return nil, err
		}
		out[s.ID.String()] = k.Frames(s.Frames)
	}
	return out, nil
}

// latest stands for whatever version a reel is at.
const latest = -1

// changeReel works out and applies operations under the reel's lock, and logs them.
func (a *App) changeReel(ctx context.Context, id uuid.UUID, version int64, plan func(store.Tx, store.Reel) (string, edit.Planned, error), also ...string) (e Edited, err error) {
	stale := false
	err = a.Store.InTx(ctx, func(tx store.Tx) error {
		production, err := tx.ProductionOfReel(ctx, id)
		if err != nil {
			return err
		}
		p, err := tx.LockProduction(ctx, production)
		if err != nil {
			return err
		}
		r, err := tx.LockReel(ctx, id)
		if err != nil {
			return err
		}
		if r.Removed {
			return ErrNotFound
		}
		e = Edited{Reel: r, Production: p, Base: version, Was: r.Doc, Known: true}
		if version == latest {
			e.Base = r.Version
		}
		if stale = version > r.Version; stale { // as after a backup was brought back
			return nil
		}
		var others []string
		if version != latest && version != r.Version {
			if e.Was, e.Known, err = tx.ReelAt(ctx, id, version); err != nil {
				return err
			}
			meanwhile, err := tx.ReelEdits(ctx, id, version)
			if err != nil {
				return err
			}
			for _, m := range meanwhile {
				others = append(others, m.Touched...)
			}
		}
		what, planned, err := plan(tx, r)
		if err != nil {
			// What it was about may have been changed or removed by somebody else: that is to be seen first.
			var refused *snag.Refusal
			if stale = others != nil && errors.As(err, &refused); stale {
				return nil
			}
			return err
		}
		list := planned.Ops
		c := reelChange{Reel: id, Ops: list, production: &p, locked: &r, after: planned.After, back: planned.Undo}
		if stale = reel.InTheWay(others, reel.Touched(slices.Concat(list, c.back))); stale {
			return nil
		}
		forward := change{Reel: &c}
		if forward.Cells, err = stemCells(ctx, tx, c.after, list); err != nil {
			return err
		}
		inverse, err := a.do(ctx, tx, r.ProductionID, forward)
		if err != nil {
			return err
		}
		e.Reel = *c.locked
		if err := tx.LogEdit(ctx, r.ProductionID, Session(ctx), forward.areas(also...), what, touched(forward, inverse), forward, inverse); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: r.ProductionID, Kind: "reel", ID: id.String(), Version: e.Version}, Event{Production: r.ProductionID, Kind: "takes"})
	})
	if err == nil && stale {
		err = ErrStale
	}
	return e, err
}

// LayTakes takes takes into a reel, the earliest first: one edit, undone as one. What is in it already is laid again only
// where again says so.
func (a *App) LayTakes(ctx context.Context, id uuid.UUID, takes []uuid.UUID, again bool) (Edited, error) {
	return a.changeReel(ctx, id, latest, func(tx store.Tx, r store.Reel) (string, edit.Planned, error) {
		var none edit.Planned
		p, err := tx.Production(ctx, r.ProductionID)
		if err != nil {
			return "", none, err
		}
		var ts []store.Take
		for _, t := range takes {
			row, err := tx.Take(ctx, t)
			if err != nil {
				return "", none, err
			}
			if row.ProductionID != p.ID {
				return "", none, ErrNotFound
			}
			if !row.Final() {
				return "", none, snag.Refuse("not_final", "which files are %s is only proposed: look at the group and accept it first", row.Name)
			}
			ts = append(ts, row)
		}
		later := map[uuid.UUID]int64{}
		if start, end := r.Doc.Span(); start == end { // what is laid already says which day the others are of
			later = nightOf(ts, p)
		}
		slices.SortStableFunc(ts, func(x, y store.Take) int {
			return cmp.Or(cmp.Compare(startOrLast(x)+later[x.ID], startOrLast(y)+later[y.ID]), cmp.Compare(len(mixOf(x)), len(mixOf(y)))) // mixes after what they are of
		})
		strands, err := tx.Strands(ctx, takes)
		if err != nil {
			return "", none, err
		}
		standing, err := tx.Standing(ctx, takes)
		if err != nil {
			return "", none, err
		}
		if err := decided(ctx, tx, ts); err != nil {
			return "", none, err
		}
		all := edit.Planned{After: r.Doc}
		for _, t := range ts {
			l, err := layOf(t, strands, standing, p, all.After.Weave)
			if err != nil {
				return "", none, err
			}
			l.Again, l.Unplaced = again, unplaced(all.After, t, p)
			if l.Start >= 0 {
				l.Start += later[t.ID]
			}
			ops, err := reel.LayTake(all.After, l)
			if err != nil {
				return "", none, err
			}
			after, undo, err := reel.Apply(all.After, ops)
			if err != nil {
				return "", none, err
			}
			all = edit.Planned{Ops: append(all.Ops, ops...), After: after, Undo: append(undo, all.Undo...)}
		}
		what := fmt.Sprintf("take %d takes into the reel", len(ts))
		if len(ts) == 1 {
			what = "take " + ts[0].Name + " into the reel"
		}
		return what, all, nil
	}, UndoSheet) // it is done there as well as in the reel
}

// mixOf are the names of the takes that one is but a mix of.
func mixOf(t store.Take) (of []string) {
	for _, s := range t.Sums {
		of = append(of, s.Of...)
	}
	return of
}

// unplaced is where a take without a start lies: in an empty reel where the production begins, a mix of others where the first of
// them lies; nil for the end of what is there.
func unplaced(r reel.Reel, t store.Take, p store.Production) *int64 {
	of := mixOf(t)
	for _, track := range r.Tracks {
		for _, c := range track.Clips {
			if slices.Contains(of, c.Name) {
				return &c.At
			}
		}
	}
	if start, end := r.Span(); start == end && r.Start == nil {
		return &p.StartSamples
	}
	return nil
}

// nightOf is by how many samples of the reel takes lie later than they say, since they are of after midnight of one night.
func nightOf(ts []store.Take, p store.Production) map[uuid.UUID]int64 {
	day := p.Rate().DaySamples(p.SampleRate)
	ms := make([]reel.Moment, len(ts))
	for i, t := range ts {
		ms[i] = reel.Moment{At: -1, Day: t.Day}
		if k, err := clockOf(t, p); err == nil {
			ms[i].At = k.Start(t.StartSamples)
		}
	}
	out := map[uuid.UUID]int64{}
	later, _ := reel.Night(ms, day)
	for i, t := range ts {
		out[t.ID] = later[i]
	}
	return out
}

// startOrLast sorts takes without a start after those with one.
func startOrLast(t store.Take) int64 {
	if t.StartSamples == nil {
		return 1 << 62
	}
	return *t.StartSamples
}

// layOf is how a take is laid: at the production's rate, whatever its own.
func layOf(t store.Take, strands []store.Strand, standing map[uuid.UUID]source.GroupFact, p store.Production, w weave.Weave) (reel.Lay, error) {
	et, err := takeOf(t, strands, standing, p)
	if err != nil {
		return reel.Lay{}, err
	}
	l := et.Lay(w)
	l.NewID = func() string { return store.NewID().String() }
	l.DayLen = p.Rate().DaySamples(p.SampleRate)
	return l, nil
}

// takeOf is a take as it can be laid, of some strands those that are its. standing are those that stand by themselves.
func takeOf(t store.Take, strands []store.Strand, standing map[uuid.UUID]source.GroupFact, p store.Production) (edit.Take, error) {
	k, err := clockOf(t, p)
	if err != nil {
		return edit.Take{}, err
	}
	et := edit.Take{Name: t.Name, Start: k.Start(t.StartSamples), Frames: k.Frames(t.Length()), Readings: t.Readings, Sums: t.Sums}
	for _, s := range strands {
		if s.TakeID == t.ID {
			et.Strands = append(et.Strands, edit.TakeStrand{
				ID: s.ID.String(), Position: s.Position, Label: s.Label, Stem: s.Stem, Off: s.Treat.Off,
				Frames: k.Frames(s.Frames), Shift: k.Moment(s.Shift), Place: standing[s.ID].At, GainDB: standing[s.ID].GainDB,
			})
		}
	}
	return et, nil
}

// stemCells gives strands the stem that operations send their tracks to, so that Takes shows what was decided in the
// reel, which is given as it is after them: all strands of a track whose route is changed, and those without a stem that come onto a track that has
// one.
func stemCells(ctx context.Context, tx store.Tx, after reel.Reel, ops []reel.Op) ([]Cell, error) {
	routed, fed := map[string]bool{}, map[string]bool{}
	for _, o := range ops {
		switch {
		case o.SetSends != nil:
			routed[o.SetSends.From] = true
		case o.AddClips != nil:
			fed[o.AddClips.Track] = true
		case o.AddTrack != nil:
			fed[o.AddTrack.Track.ID] = true
		}
	}
	want := map[uuid.UUID]string{}
	sure := map[uuid.UUID]bool{}
	for _, t := range after.Tracks {
		if !routed[t.ID] && !fed[t.ID] {
			continue
		}
		stem, _ := after.Weave.StemOf(t.ID)
		for _, c := range t.Clips {
			for i, name := range c.Strands {
				if i > 0 && t.Channels().Count == 1 {
					break // the side of a pair is heard on both tracks of it: its mid says where it goes
				}
				id, err := uuid.Parse(name)
				if err != nil {
					return nil, err
				}
				want[id], sure[id] = stem.Name, sure[id] || routed[t.ID]
			}
		}
	}
	if len(want) == 0 {
		return nil, nil
	}
	strands, err := tx.StrandsByID(ctx, slices.Collect(maps.Keys(want)))
	if err != nil {
		return nil, err
	}
	var cells []Cell
	for _, s := range strands {
		if s.Stem == want[s.ID] || !sure[s.ID] && (s.Stem != "" || want[s.ID] == "") {
			continue
		}
		more, err := cellsOf(s.ID, value{"stem", want[s.ID]})
		if err != nil {
			return nil, err
		}
		cells = append(cells, more...)
	}
	return cells, nil
}

// routesOf sends the tracks of strands that are laid to the stems that cells of the sheet give them. along are the
// cells of what lies on the same tracks and goes there with them; what is typed stays as it is typed.
func routesOf(ctx context.Context, tx store.Tx, production uuid.UUID, cells []Cell) (routes []*reelChange, along []Cell, err error) {
	stems := map[string]string{} // by strand
	for _, c := range cells {
		if c.Field != "stem" {
			continue
		}
		var name string
		if err := json.Unmarshal(c.Value, &name); err != nil {
			return nil, nil, nil // refused where cells are put
		}
		stems[c.Row.String()] = strings.TrimSpace(name)
	}
	if len(stems) == 0 {
		return nil, nil, nil
	}
	all, err := tx.Reels(ctx, production)
	if err != nil {
		return nil, nil, err
	}
	for _, r := range all {
		ops := routeOps(r.Doc, stems)
		if ops == nil {
			continue
		}
		routes = append(routes, &reelChange{Reel: r.ID, Ops: ops})
		after, _, err := reel.Apply(r.Doc, ops)
		if err != nil {
			return nil, nil, err
		}
		more, err := stemCells(ctx, tx, after, ops)
		if err != nil {
			return nil, nil, err
		}
		for _, c := range more {
			if !slices.ContainsFunc(slices.Concat(cells, along), func(o Cell) bool { return o.Row == c.Row && o.Field == c.Field }) {
				along = append(along, c)
			}
		}
	}
	return routes, along, nil
}

// routeOps sends the tracks of a reel on which strands lie to the stems that are given by these.
func routeOps(doc reel.Reel, stems map[string]string) (ops []reel.Op) {
	w := doc.Weave
	for _, t := range doc.Tracks {
		for _, c := range t.Clips {
			name, ok := stems[c.Strands[0]]
			if !ok {
				continue
			}
			_, routed := w.Send(t.ID)
			now, _ := w.StemOf(t.ID)
			stem, known := w.StemNamed(name)
			switch {
			case !known && name != "", name == "" && !routed, known && now.ID == stem.ID:
				// A stem that the weave does not have, or where it goes already.
			case name == "":
				ops = append(ops, reel.Op{SetSends: &reel.SetSends{From: t.ID}})
			default:
				if sends := w.Rerouted(t.Route(), stem); sends != nil {
					ops = append(ops, reel.Op{SetSends: &reel.SetSends{From: t.ID, Sends: sends}})
				}
			}
			break
		}
	}
	return ops
}
