package httpapi

import (
	"context"
	"encoding/json"
	"io"

	"zestyloom/core/mhl"
	"zestyloom/core/report"
	"zestyloom/internal/httpapi/contract"
)

func (s *server) getSoundReport(ctx context.Context, at ofProduction, _ none) (document, error) {
	rows, err := s.app.SoundReport(ctx, at.Production)
	return document{"text/csv; charset=utf-8", "sound report.csv", func(w io.Writer) error { return report.Write(w, rows) }}, err
}

func (s *server) printSoundReport(ctx context.Context, at ofProduction, _ none) (document, error) {
	sheet, err := s.app.PrintedReport(ctx, at.Production)
	return document{"application/pdf", "sound report.pdf", func(w io.Writer) error { return report.WritePDF(w, sheet) }}, err
}

func (s *server) readSoundReport(ctx context.Context, at ofProduction, body contract.SoundReport) (contract.ReportMatch, error) {
	m, err := s.app.MatchReport(ctx, at.Production, incoming(body.Csv, body.Columns, body.Keep))
	if err != nil {
		return contract.ReportMatch{}, err
	}
	out := contract.ReportMatch{Table: columnsRead(m.Table, m.Kept, report.Fields), Takes: m.Takes, Unmatched: m.Unmatched, Cells: []contract.SheetCell{}, Of: m.Of}
	for _, c := range m.Cells {
		v := contract.SheetCell{Row: c.Row, Field: contract.SheetCellField(c.Field)}
		if err := json.Unmarshal(c.Value, &v.Value); err != nil {
			return contract.ReportMatch{}, err
		}
		if err := json.Unmarshal(c.Was, &v.Was); err != nil {
			return contract.ReportMatch{}, err
		}
		out.Cells = append(out.Cells, v)
	}
	return out, nil
}

func (s *server) getHashList(ctx context.Context, at ofProduction, _ none) (document, error) {
	l, err := s.app.HashList(ctx, at.Production)
	return document{"application/xml", "taken in.mhl", func(w io.Writer) error { return mhl.Write(w, l) }}, err
}
