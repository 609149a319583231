package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/columns"
	"zestyloom/core/cutlist"
	"zestyloom/core/edit"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/internal/store"
)

// CutList is a cut list with what was found for each event.
type CutList struct {
	cutlist.List
	Matches []cutlist.Match
	Takes   []store.Take // that matches name by their places
	// Since says of each event what it is since the list that the reel was laid by, empty where it was laid by none; Gone
	// are those of before that would go.
	Since []string
	Gone  []edit.Followed
	// Kept says that its table was read as somebody has said of such a table before, and Says why it is not understood yet.
	Kept bool
	Says string
	// Timecode says where a sample lies by the reel's timecode.
	Timecode func(at int64) string
}

// ReadCutList reads a cut list and finds the takes of its events: nothing is laid. A table whose headings are not recognised has
// no events until somebody says what its columns hold.
func (a *App) ReadCutList(ctx context.Context, reelID uuid.UUID, in Incoming) (CutList, error) {
	r, p, err := a.reelIn(ctx, reelID)
	if err != nil {
		return CutList{}, err
	}
	rate := r.Doc.Counted(p.Rate())
	c, err := readCutList(ctx, a.Store.Queries, p, rate, in)
	c.Timecode = func(at int64) string { return rate.FormatSamples(at, int64(p.SampleRate)) }
	if r := (*snag.Refusal)(nil); errors.As(err, &r) && r.Code == "bad_cut_list" && len(c.Table.Columns) > 0 {
		c.Says, c.Left = r.Message, []string{}
		return c, nil
	}
	if err == nil {
		err = in.keep(ctx, a.Store.Queries, "cuts", c.Table)
	}
	if err != nil {
		return c, err
	}
	c.Since = make([]string, len(c.Matches))
	if len(r.Doc.Cut) == 0 {
		return c, nil
	}
	all, events, err := cuttings(ctx, a.Store.Queries, p, c, 0)
	if err != nil {
		return c, err
	}
	for i, f := range edit.Compare(r.Doc.Cut, all) {
		if i < len(events) {
			c.Since[events[i]] = f.Kind
		} else {
			c.Gone = append(c.Gone, f)
		}
	}
	return c, nil
}

func readCutList(ctx context.Context, q store.Queries, p store.Production, rate timecode.Rate, in Incoming) (c CutList, err error) {
	var as *columns.Mapping
	if as, c.Kept, err = in.mapped(ctx, q, "cuts"); err != nil {
		return c, err
	}
	if c.List, err = cutlist.Parse(in.Text, rate, int64(p.SampleRate), as); err != nil {
		return c, err
	}
	pictured, err := q.ProductionTakes(ctx, p.ID)
	if err != nil {
		return c, err
	}
	var ids []uuid.UUID
	for _, t := range pictured {
		ids = append(ids, t.ID)
	}
	cameras, err := q.TakesWithPicture(ctx, ids)
	if err != nil {
		return c, err
	}
	var known []cutlist.Take
	for _, t := range pictured {
		// What a camera heard is scratch sound: the recorders' is laid.
		if !t.Final() || cameras[t.ID] {
			continue
		}
		k, err := clockOf(t, p)
		if err != nil {
			return c, err
		}
		ct := cutlist.Take{Name: t.Name, Scene: t.Scene, Take: t.Take, Roll: t.Roll, Start: k.Start(t.StartSamples), Frames: k.Frames(t.Length())}
		known = append(known, ct)
		c.Takes = append(c.Takes, t)
	}
	c.Matches = cutlist.Find(c.List, known)
	return c, nil
}

// LayCutList lays what the events of a cut list are of, where picture has cut them to: one edit. handle is how many samples
// longer each is at either end, where nothing else of the list lies. Events without a take are left out.
func (a *App) LayCutList(ctx context.Context, reelID uuid.UUID, in Incoming, handle int64) (Edited, error) {
	return a.changeReel(ctx, reelID, latest, func(tx store.Tx, r store.Reel) (string, edit.Planned, error) {
		none := edit.Planned{}
		p, err := tx.Production(ctx, r.ProductionID)
		if err != nil {
			return "", none, err
		}
		c, err := readCutList(ctx, tx.Queries, p, r.Doc.Counted(p.Rate()), in)
		if err != nil {
			return "", none, err
		}
		all, _, err := cuttings(ctx, tx.Queries, p, c, handle)
		if err != nil {
			return "", none, err
		}
		day := r.Doc.Counted(p.Rate()).DaySamples(p.SampleRate)
		if len(all) == 0 {
			return "", none, snag.Refuse("nothing_to_lay", "no event of the list has a take to lay")
		}
		plan, err := edit.Follow(r.Doc, all, day, uuid.NewString)
		what := "lay %d events of cut list %s"
		if len(r.Doc.Cut) > 0 {
			what = "follow %d events of cut list %s"
		}
		return fmt.Sprintf(what, laidEvents(c), c.Title), plan, err
	})
}

func laidEvents(c CutList) (n int) {
	for _, m := range c.Matches {
		if len(m.Takes) > 0 {
			n++
		}
	}
	return n
}

// cuttings says for every event that has takes how they are laid, and of which event each is.
func cuttings(ctx context.Context, q store.Queries, p store.Production, c CutList, handle int64) (out []edit.Cutting, events []int, err error) {
	used := map[int]bool{}
	for _, m := range c.Matches {
		for _, k := range m.Takes {
			used[k] = true
		}
	}
	var ids []uuid.UUID
	for k := range c.Takes {
		if used[k] {
			ids = append(ids, c.Takes[k].ID)
		}
	}
	strands, err := q.Strands(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	standing, err := q.Standing(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	takes := map[int]edit.Take{}
	for k := range c.Takes {
		if used[k] {
			if takes[k], err = takeOf(c.Takes[k], strands, standing, p); err != nil {
				return nil, nil, err
			}
		}
	}
	order := make([]int, len(c.Matches))
	for i := range order {
		order[i] = i
	}
	at := func(i int) cutlist.Event { return c.Matches[order[i]].Event }
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(c.Matches[x].Event.At, c.Matches[y].Event.At) })
	for i := range order {
		m, e := c.Matches[order[i]], at(i)
		cut := edit.Cutting{At: e.At, Length: e.Length, Fade: e.Fade, Handle: handle, Before: 1 << 40, Behind: 1 << 40}
		if i > 0 {
			cut.Before = max(0, e.At-at(i-1).At-at(i-1).Length) / 2
		}
		if i+1 < len(order) {
			next := at(i + 1)
			end := e.At + e.Length
			cut.Behind = max(0, next.At-end) / 2
			if next.Fade > 0 && next.At <= end { // it goes on under what fades in
				cut.After = max(0, next.At+next.Fade-end)
			}
		}
		for _, k := range m.Takes {
			cut.Take = takes[k]
			cut.From = e.In - takes[k].Start
			out, events = append(out, cut), append(events, order[i])
		}
	}
	return out, events, nil
}
