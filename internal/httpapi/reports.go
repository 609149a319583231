package httpapi

import (
	"context"
	"encoding/json"
	"net/http"

	"zestyloom/core/mhl"
	"zestyloom/core/report"
	"zestyloom/internal/httpapi/contract"
)

// GetSoundReport implements contract.StrictServerInterface.
func (s *server) GetSoundReport(ctx context.Context, r contract.GetSoundReportRequestObject) (contract.GetSoundReportResponseObject, error) {
	rows, err := s.app.SoundReport(ctx, r.Production)
	return soundReport(rows), err
}

type soundReport []report.Row

// VisitGetSoundReportResponse writes the report.
func (r soundReport) VisitGetSoundReportResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="sound report.csv"`)
	return report.Write(w, r)
}

// PrintSoundReport implements contract.StrictServerInterface.
func (s *server) PrintSoundReport(ctx context.Context, r contract.PrintSoundReportRequestObject) (contract.PrintSoundReportResponseObject, error) {
	sheet, err := s.app.PrintedReport(ctx, r.Production)
	return printedReport(sheet), err
}

type printedReport report.Sheet

// VisitPrintSoundReportResponse writes the report.
func (r printedReport) VisitPrintSoundReportResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/pdf")
	w.Header().Set("Content-Disposition", `attachment; filename="sound report.pdf"`)
	return report.WritePDF(w, report.Sheet(r))
}

// ReadSoundReport implements contract.StrictServerInterface.
func (s *server) ReadSoundReport(ctx context.Context, r contract.ReadSoundReportRequestObject) (contract.ReadSoundReportResponseObject, error) {
	m, err := s.app.MatchReport(ctx, r.Production, incoming(r.Body.Csv, r.Body.Columns, r.Body.Keep))
	if err != nil {
		return nil, err
	}
	out := contract.ReadSoundReport200JSONResponse{Table: columnsRead(m.Table, m.Kept, report.Fields), Takes: m.Takes, Unmatched: m.Unmatched, Cells: []contract.SheetCell{}, Of: m.Of}
	for _, c := range m.Cells {
		v := contract.SheetCell{Row: c.Row, Field: contract.SheetCellField(c.Field)}
		if err := json.Unmarshal(c.Value, &v.Value); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(c.Was, &v.Was); err != nil {
			return nil, err
		}
		out.Cells = append(out.Cells, v)
	}
	return out, nil
}

// GetHashList implements contract.StrictServerInterface.
func (s *server) GetHashList(ctx context.Context, r contract.GetHashListRequestObject) (contract.GetHashListResponseObject, error) {
	l, err := s.app.HashList(ctx, r.Production)
	return hashList(l), err
}

type hashList mhl.List

// VisitGetHashListResponse writes the list.
func (l hashList) VisitGetHashListResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/xml")
	w.Header().Set("Content-Disposition", `attachment; filename="taken in.mhl"`)
	return mhl.Write(w, mhl.List(l))
}
