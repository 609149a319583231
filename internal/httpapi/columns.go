package httpapi

import (
	"zestyloom/core/columns"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// shownLines is how many lines of a table are shown while it is said what its columns hold.
const shownLines = 6

// incoming is a table that came in a request.
func incoming(text string, m *contract.ColumnMapping, keep *bool) app.Incoming {
	in := app.Incoming{Text: []byte(text), Keep: given(keep)}
	if m != nil {
		in.As = &columns.Mapping{Head: m.Head, Fields: m.Fields}
	}
	return in
}

// columnsRead is how a table was read, with its first lines.
func columnsRead(t columns.Table, kept bool, choices []columns.Field) contract.ColumnsRead {
	out := contract.ColumnsRead{Head: t.Head, Recognised: t.Recognised, Kept: kept, Lines: [][]string{}}
	for _, c := range t.Columns {
		out.Columns = append(out.Columns, struct {
			Field   string `json:"field"`
			Heading string `json:"heading"`
		}{c.Field, c.Heading})
	}
	for _, l := range t.Lines[:min(len(t.Lines), shownLines)] {
		out.Lines = append(out.Lines, l.Cells)
	}
	for _, f := range choices {
		out.Choices = append(out.Choices, struct {
			Field string `json:"field"`
			Says  string `json:"says"`
		}{f.Name, f.Says})
	}
	return out
}
