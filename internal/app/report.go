package app

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/columns"
	"zestyloom/core/report"
	"zestyloom/internal/store"
)

// allTakes finds a production's takes and their strands, in order.
func (a *App) allTakes(ctx context.Context, production uuid.UUID) (ts []store.Take, of map[uuid.UUID][]store.Strand, err error) {
	for after := (uuid.UUID{}); ; after = ts[len(ts)-1].ID {
		page, err := a.Store.TakesAfter(ctx, production, after, 1000)
		if err != nil {
			return nil, nil, err
		}
		if ts = append(ts, page...); len(page) == 0 {
			break
		}
	}
	ids := make([]uuid.UUID, len(ts))
	for i, t := range ts {
		ids[i] = t.ID
	}
	strands, err := a.Store.Strands(ctx, ids)
	of = map[uuid.UUID][]store.Strand{}
	for _, s := range strands {
		of[s.TakeID] = append(of[s.TakeID], s)
	}
	return ts, of, err
}

// SoundReport is the takes sheet as the rows of a report.
func (a *App) SoundReport(ctx context.Context, production uuid.UUID) ([]report.Row, error) {
	p, err := a.Store.Production(ctx, production)
	if err != nil {
		return nil, err
	}
	ts, of, err := a.allTakes(ctx, production)
	if err != nil {
		return nil, err
	}
	var rows []report.Row
	for _, t := range ts {
		r := report.Row{
			Day: t.Day, Scene: t.Scene, Take: t.Take, Roll: t.Roll, Note: t.Note, Circled: &t.Circled, Wild: &t.WildTrack, NoGood: &t.NoGood, FalseStart: &t.FalseStart,
			Length: p.Rate().FormatSamples(t.Length(), int64(t.SampleRate)),
		}
		if t.StartSamples != nil {
			r.Start = p.Rate().FormatSamples(*t.StartSamples, int64(t.SampleRate))
		}
		for i, s := range of[t.ID] {
			if i == 0 {
				r.File = s.FileName
			}
			r.Tracks = append(r.Tracks, s.Label)
		}
		rows = append(rows, r)
	}
	return rows, nil
}

// PrintedReport is the takes sheet as it is printed: by day and roll, then in the order of their
// starts.
func (a *App) PrintedReport(ctx context.Context, production uuid.UUID) (report.Sheet, error) {
	rows, err := a.SoundReport(ctx, production)
	if err != nil {
		return report.Sheet{}, err
	}
	p, err := a.Store.Production(ctx, production)
	slices.SortStableFunc(rows, func(x, y report.Row) int {
		return cmp.Or(strings.Compare(x.Day, y.Day), strings.Compare(x.Roll, y.Roll), strings.Compare(x.Start, y.Start))
	})
	title := p.Name
	if p.Episode != "" {
		title += ", " + p.Episode
	}
	return report.Sheet{Production: title, Rate: p.Rate().String(), Printed: a.Now(), Rows: rows}, err
}

// ReportMatch is what a report would change.
type ReportMatch struct {
	columns.Table
	Kept      bool // it was read as somebody has said of such a table before
	Takes     int
	Unmatched []string
	Cells     []Cell
	Of        []string // the take of each cell, and which strand of it
}

// MatchReport matches a report's rows to takes: by the name of a file, else by scene and take (and
// roll, where the report gives one). A row that fits several takes fits none.
func (a *App) MatchReport(ctx context.Context, production uuid.UUID, in Incoming) (ReportMatch, error) {
	m := ReportMatch{Unmatched: []string{}, Cells: []Cell{}, Of: []string{}}
	if _, err := a.Store.Production(ctx, production); err != nil {
		return m, err
	}
	as, kept, err := in.mapped(ctx, a.Store.Queries, "report")
	if err != nil {
		return m, err
	}
	r, err := report.Read(in.Text, as)
	if err != nil {
		return m, err
	}
	if err := in.keep(ctx, a.Store.Queries, "report", r.Table); err != nil {
		return m, err
	}
	m.Kept = kept
	m.Table = r.Table
	ts, of, err := a.allTakes(ctx, production)
	if err != nil {
		return m, err
	}
	for _, row := range r.Rows {
		i, why := findTake(row, ts, of)
		if i < 0 {
			m.Unmatched = append(m.Unmatched, fmt.Sprintf("line %d: %s", row.Line, why))
			continue
		}
		m.Takes++
		cells, err := reportCells(row, ts[i], of[ts[i].ID])
		if err != nil {
			return m, err
		}
		for _, c := range cells {
			name := ts[i].Name
			if k := slices.IndexFunc(of[ts[i].ID], func(s store.Strand) bool { return s.ID == c.Row }); k >= 0 {
				name = fmt.Sprintf("%s, strand %d", name, k+1)
			}
			m.Of = append(m.Of, name)
		}
		m.Cells = append(m.Cells, cells...)
	}
	return m, nil
}

func findTake(row report.Row, ts []store.Take, of map[uuid.UUID][]store.Strand) (int, string) {
	one := func(what string, fits func(t store.Take) bool) (int, string) {
		found := -1
		for i, t := range ts {
			if !fits(t) {
				continue
			}
			if found >= 0 {
				return -1, "several takes are " + what
			}
			found = i
		}
		if found < 0 {
			return -1, "no take is " + what
		}
		return found, ""
	}
	why := "it names neither a file nor a scene and take"
	if row.File != "" {
		i, says := one("of a file called "+row.File, func(t store.Take) bool {
			return slices.ContainsFunc(of[t.ID], func(s store.Strand) bool {
				return strings.EqualFold(s.FileName, row.File) || strings.EqualFold(strings.TrimSuffix(s.FileName, ".wav"), row.File)
			})
		})
		if i >= 0 {
			return i, ""
		}
		why = says
	}
	if row.Scene == "" || row.Take == "" {
		return -1, why
	}
	return one("scene "+row.Scene+" take "+row.Take, func(t store.Take) bool {
		return strings.EqualFold(t.Scene, row.Scene) && strings.EqualFold(t.Take, row.Take) && (row.Roll == "" || strings.EqualFold(t.Roll, row.Roll))
	})
}

// reportCells is what a row would change. What the report leaves empty stays as it is.
func reportCells(row report.Row, t store.Take, strands []store.Strand) (cells []Cell, err error) {
	put := func(id uuid.UUID, field string, value, was any) {
		v, err1 := json.Marshal(value)
		w, err2 := json.Marshal(was)
		if err1 != nil || err2 != nil {
			err = fmt.Errorf("a report's %s can't be kept", field)
			return
		}
		if !sameJSON(v, w) {
			cells = append(cells, Cell{Row: id, Field: field, Value: v, Was: w})
		}
	}
	for _, f := range []struct{ field, value, was string }{{"scene", row.Scene, t.Scene}, {"take", row.Take, t.Take}, {"roll", row.Roll, t.Roll}, {"note", row.Note, t.Note}} {
		if f.value != "" {
			put(t.ID, f.field, f.value, f.was)
		}
	}
	for _, f := range []struct {
		field string
		value *bool
		was   bool
	}{{"circled", row.Circled, t.Circled}, {"wild_track", row.Wild, t.WildTrack}, {"no_good", row.NoGood, t.NoGood}} {
		if f.value != nil {
			put(t.ID, f.field, *f.value, f.was)
		}
	}
	for i, label := range row.Tracks {
		if label != "" && i < len(strands) {
			put(strands[i].ID, "label", label, strands[i].Label)
		}
	}
	return cells, err
}
