package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"github.com/google/uuid"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/treat"
	"zestyloom/internal/store"
)

// Cell is one thing that people say of a take or a strand, as the sheet has it.
type Cell struct {
	Row   uuid.UUID       `json:"row"`   // a take's or a strand's id
	Field string          `json:"field"` // see takeField and strandField
	Value json.RawMessage `json:"value"`
	// Was is the value that the person saw; another one means that somebody else has typed meanwhile.
	// Absent, it is not compared.
	Was json.RawMessage `json:"was,omitempty"`
}

// value is what a field is to hold.
type value struct {
	field string
	of    any
}

// cellsOf are the cells of a row that hold values, whatever they held before.
func cellsOf(row uuid.UUID, values ...value) (out []Cell, err error) {
	for _, v := range values {
		b, err := json.Marshal(v.of)
		if err != nil {
			return nil, err
		}
		out = append(out, Cell{Row: row, Field: v.field, Value: b})
	}
	return out, nil
}

// StaleCells says which cells hold something else than was seen.
type StaleCells struct {
	Cells []Cell // with the values they have now
	Says  string
}

func (e *StaleCells) Error() string { return e.Says }

// maxText bounds what is typed into a cell.
const maxText = 1000

// takeField points to a field of a take by its name in the sheet.
func takeField(t *store.Take, field string) any {
	switch field {
	case "scene":
		return &t.Scene
	case "take":
		return &t.Take
	case "roll":
		return &t.Roll
	case "note":
		return &t.Note
	case "circled":
		return &t.Circled
	case "wild_track":
		return &t.WildTrack
	case "no_good":
		return &t.NoGood
	case "false_start":
		return &t.FalseStart
	case "readings":
		return &t.Readings
	case "read_by_hand":
		return &t.ReadByHand
	case "start_set":
		return &t.StartSet
	case "drift_set":
		return &t.DriftSet
	case "accepted":
		return &t.Accepted
	case "missing_remedy":
		return &t.MissingRemedy
	case "length_remedy":
		return &t.LengthRemedy
	}
	return nil
}

// strandField does so for a strand.
func strandField(s *store.Strand, field string) any {
	switch field {
	case "label":
		return &s.Label
	case "label_source": // what the label came from, beside the label in an edit of hints and in what takes edits back
		return &s.LabelSource
	case "stem":
		return &s.Stem
	case "part":
		return &s.Part
	case "off":
		return &s.Treat.Off
	case "invert":
		return &s.Treat.Invert
	case "trim_db":
		return &s.Treat.TrimDB
	case "delay":
		return &s.Treat.Delay
	case "high_pass":
		return &s.Treat.HighPass
	case "chain":
		return &s.Treat.Chain
	case "detached", "loose": // as edits of before call it
		return &s.Detached
	case "shift":
		return &s.Shift
	}
	return nil
}

// set puts a JSON value into a field and returns the one that was there.
func set(field any, c Cell) (was json.RawMessage, err error) {
	if field == nil {
		return nil, snag.Refuse("bad_field", "the sheet has no field %q", c.Field)
	}
	if was, err = json.Marshal(field); err != nil {
		return nil, err
	}
	d := json.NewDecoder(bytes.NewReader(c.Value))
	d.DisallowUnknownFields()
	if s, ok := field.(*string); ok {
		var v string
		err = d.Decode(&v)
		if v = strings.TrimSpace(oneLine(v)); len(v) > maxText {
			return nil, snag.Refuse("too_long", "%s takes up to %d characters", c.Field, maxText)
		}
		*s = v
	} else {
		switch f := field.(type) { // not decoded over what is there
		case *[]take.Reading:
			*f = nil
		case **int64:
			*f = nil
		case *treat.Chain:
			*f = treat.Chain{}
		}
		err = d.Decode(field)
	}
	if err != nil {
		return nil, snag.Refuse("bad_value", "%s can't hold %s: %w", c.Field, c.Value, err)
	}
	return was, nil
}

// oneLine takes line breaks and other control characters out of a text: a cell is one line, in the
// sheet, in a report and in the files that are written.
func oneLine(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(s, "\uFFFD"))
}

// putCells carries cells out and returns those that take them back. Values are compared with what
// people saw before anything is changed.
func (a *App) putCells(ctx context.Context, tx store.Tx, production uuid.UUID, cells []Cell) (inverse []Cell, err error) {
	takes, strands := map[uuid.UUID]*store.Take{}, map[uuid.UUID]*store.Strand{}
	var stale StaleCells
	for i, c := range cells {
		field, name, err := a.field(ctx, tx, production, c, takes, strands)
		if err != nil {
			return nil, err
		}
		was, err := set(field, c)
		if err != nil {
			return nil, err
		}
		if cells[i].Value, err = json.Marshal(field); err != nil { // as it was cleaned, for the log of edits
			return nil, err
		}
		if c.Was != nil && !sameJSON(was, c.Was) {
			stale.Cells = append(stale.Cells, Cell{Row: c.Row, Field: c.Field, Value: was})
			if stale.Says == "" {
				stale.Says = fmt.Sprintf("the %s of %s is %s by now, not %s: somebody else has changed it; look and type again", c.Field, name, was, c.Was)
			}
		}
		if t := takes[c.Row]; t != nil && c.Field == "readings" && !t.ReadByHand {
			t.ReadByHand = true
			inverse = append(inverse, Cell{Row: c.Row, Field: "read_by_hand", Value: json.RawMessage("false")})
		}
		if s := strands[c.Row]; s != nil && c.Field == "label" {
			// Taken back, the label comes first, and then what it came from.
			source, err := json.Marshal(s.LabelSource)
			if err != nil {
				return nil, err
			}
			inverse = append(inverse, Cell{Row: c.Row, Field: "label_source", Value: source})
			if s.LabelSource = "typed"; s.Label == "" {
				s.LabelSource = ""
			}
		}
		inverse = append(inverse, Cell{Row: c.Row, Field: c.Field, Value: was})
	}
	if stale.Cells != nil {
		return nil, &stale
	}
	slices.Reverse(inverse) // the same cell twice goes back in order
	for _, s := range strands {
		if err := s.Treat.Check(); err != nil {
			return nil, err
		}
		if err := tx.SaveStrand(ctx, *s); err != nil {
			return nil, err
		}
	}
	written := map[uuid.UUID]bool{}
	for _, s := range strands {
		written[s.TakeID] = true
	}
	for _, t := range takes {
		if err := a.saveTyped(ctx, tx, *t); err != nil {
			return nil, err
		}
		written[t.ID] = true
	}
	return inverse, weigh(ctx, tx.Queries, slices.Collect(maps.Keys(written)))
}

// field finds the field that a cell is, and the row's name for messages.
func (a *App) field(ctx context.Context, tx store.Tx, production uuid.UUID, c Cell, takes map[uuid.UUID]*store.Take, strands map[uuid.UUID]*store.Strand) (any, string, error) {
	if takeField(&store.Take{}, c.Field) != nil {
		if takes[c.Row] == nil {
			t, err := tx.Take(ctx, c.Row)
			if err == nil && t.ProductionID != production {
				err = ErrNotFound
			}
			if err != nil {
				return nil, "", err
			}
			takes[c.Row] = &t
		}
		return takeField(takes[c.Row], c.Field), takes[c.Row].Name, nil
	}
	if strandField(&store.Strand{}, c.Field) == nil {
		return nil, "", snag.Refuse("bad_field", "the sheet has no field %q", c.Field)
	}
	if strands[c.Row] == nil {
		s, err := tx.Strand(ctx, c.Row)
		if err != nil {
			return nil, "", err
		}
		t, err := tx.Take(ctx, s.TakeID)
		if err == nil && t.ProductionID != production {
			err = ErrNotFound
		}
		if err != nil {
			return nil, "", err
		}
		strands[c.Row] = &s
	}
	s := strands[c.Row]
	return strandField(s, c.Field), fmt.Sprintf("strand %d (%s)", s.Position, s.FileName), nil
}

// saveTyped stores a take whose fields were typed.
func (a *App) saveTyped(ctx context.Context, tx store.Tx, t store.Take) error {
	strands, err := tx.Strands(ctx, []uuid.UUID{t.ID})
	if err != nil {
		return err
	}
	if err := take.CheckReadings(t.Readings, len(strands)); err != nil {
		return err
	}
	if !slices.Contains([]string{"", "wait", "without"}, t.MissingRemedy) || !slices.Contains([]string{"", "pad", "shortest"}, t.LengthRemedy) {
		return snag.Refuse("bad_value", "a missing member is waited for or gone without, unequal lengths are padded or ended with the shortest")
	}
	if t.Accepted && slices.ContainsFunc(t.Snags, func(s snag.Snag) bool { return s.Code == "member_length" }) && t.LengthRemedy == "" {
		return snag.Refuse("choose_remedy", "the members of %s are of unequal length: say whether to pad the shorter ones or to end with the shortest", t.Name)
	}
	t.StartSamples = t.StartWas
	if t.StartSet != nil {
		t.StartSamples = t.StartSet
	}
	if len(strands) > 0 {
		file := strands[0].FileName
		if slices.ContainsFunc(strands, func(s store.Strand) bool { return s.FileID != strands[0].FileID }) {
			names := make([]string, len(strands))
			for i, s := range strands {
				names[i] = s.FileName
			}
			file = take.SetStem(names...)
		}
		t.Name = take.NameOf(t.Scene, t.Take, file)
	}
	return tx.SaveTake(ctx, t)
}

func sameJSON(a, b json.RawMessage) bool {
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	p, err1 := json.Marshal(x)
	q, err2 := json.Marshal(y)
	return err1 == nil && err2 == nil && bytes.Equal(p, q)
}

// EditSheet changes cells of the sheet: all, as one edit, or none. Stale ones are refused as
// *StaleCells.
func (a *App) EditSheet(ctx context.Context, production uuid.UUID, what string, cells []Cell) error {
	for _, c := range cells {
		var text string
		if c.Field == "note" || json.Unmarshal(c.Value, &text) != nil { // a note may have lines
			continue
		}
		if err := naming.CheckLine("a "+c.Field, text); err != nil {
			return err
		}
	}
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		routes, along, err := routesOf(ctx, tx, production, cells)
		if err != nil {
			return err
		}
		named, err := namesFollow(ctx, tx, production, cells)
		if err != nil {
			return err
		}
		return a.edit(ctx, tx, production, what, change{Cells: append(cells, along...), Reels: append(routes, named...)})
	})
}

// edit carries a change out and logs it with its inverse.
func (a *App) edit(ctx context.Context, tx store.Tx, production uuid.UUID, what string, c change) error {
	inverse, err := a.do(ctx, tx, production, c)
	if err != nil {
		return err
	}
	for i := range c.Cells {
		c.Cells[i].Was = nil // done again, it is not compared again
	}
	if err := tx.LogEdit(ctx, production, Session(ctx), c.areas(), oneLine(what), touched(c, inverse), c, inverse); err != nil {
		return err
	}
	events := []Event{{Production: production, Kind: "takes"}}
	if len(c.Syncs) > 0 || c.Nudge != nil || c.Clock != nil {
		events = append(events, Event{Production: production, Kind: "syncs"})
	}
	if len(c.reels()) > 0 || c.Naming != nil {
		events = append(events, Event{Production: production, Kind: "reel"})
	}
	return publish(ctx, tx.Queries, events...)
}

// LabelStrand gives a strand a label. was is the label the person saw.
func (a *App) LabelStrand(ctx context.Context, id uuid.UUID, label, was string) (store.Take, error) {
	s, err := a.Store.Strand(ctx, id)
	if err != nil {
		return store.Take{}, err
	}
	t, err := a.Store.Take(ctx, s.TakeID)
	if err != nil {
		return t, err
	}
	value, err1 := json.Marshal(strings.TrimSpace(label))
	seen, err2 := json.Marshal(was)
	if err1 != nil || err2 != nil {
		return t, snag.Refuse("bad_value", "the label is no text")
	}
	if s.Label == was && sameJSON(value, seen) {
		return t, nil
	}
	what := fmt.Sprintf("label strand %d of %s %q", s.Position, t.Name, strings.TrimSpace(label))
	if err := a.EditSheet(ctx, t.ProductionID, what, []Cell{{Row: id, Field: "label", Value: value, Was: seen}}); err != nil {
		return t, err
	}
	return a.Store.Take(ctx, s.TakeID)
}
