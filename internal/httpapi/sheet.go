package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"slices"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/take"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// EditSheet implements contract.StrictServerInterface.
func (s *server) EditSheet(ctx context.Context, r contract.EditSheetRequestObject) (contract.EditSheetResponseObject, error) {
	p, err := s.app.Store.Production(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	var cells []app.Cell
	for _, c := range r.Body.Cells {
		cell := app.Cell{Row: c.Row, Field: string(c.Field)}
		if cell.Value, err = json.Marshal(c.Value); err != nil {
			return nil, err
		}
		if c.Was != nil {
			if cell.Was, err = json.Marshal(c.Was); err != nil {
				return nil, err
			}
		}
		cells = append(cells, cell)
	}
	err = s.app.EditSheet(ctx, p.ID, r.Body.What, cells)
	var stale *app.StaleCells
	if errors.As(err, &stale) {
		out := contract.EditSheet409ApplicationProblemPlusJSONResponse{Title: http.StatusText(http.StatusConflict), Status: http.StatusConflict, Code: "stale", Detail: stale.Says, Current: []contract.SheetCell{}}
		for _, c := range stale.Cells {
			v := contract.SheetCell{Row: c.Row, Field: contract.SheetCellField(c.Field)}
			if err := json.Unmarshal(c.Value, &v.Value); err != nil {
				return nil, err
			}
			out.Current = append(out.Current, v)
		}
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	ts, err := s.app.Store.ListTakesOf(ctx, p.ID, rowsOf(cells))
	if err != nil {
		return nil, err
	}
	items, err := s.takes(ctx, p, ts)
	return contract.EditSheet200JSONResponse(items), err
}

func rowsOf(cells []app.Cell) (ids []uuid.UUID) {
	for _, c := range cells {
		if !slices.Contains(ids, c.Row) {
			ids = append(ids, c.Row)
		}
	}
	return ids
}

// DecideSuggestions implements contract.StrictServerInterface.
func (s *server) DecideSuggestions(ctx context.Context, r contract.DecideSuggestionsRequestObject) (contract.DecideSuggestionsResponseObject, error) {
	rows, err := s.app.DecideSuggestions(ctx, r.Production, r.Body.Suggestions, r.Body.Accept, given(r.Body.Preview))
	if err != nil {
		return nil, err
	}
	out := contract.DecideSuggestions200JSONResponse{}
	for _, row := range rows {
		out = append(out, contract.HintRow{
			Take: row.Take, TakeId: row.TakeID, Position: row.Position, Field: contract.HintRowField(row.Field), Was: fmt.Sprint(row.Was), Now: fmt.Sprint(row.Now), Kept: row.Kept,
		})
	}
	return out, nil
}

// MoveFile implements contract.StrictServerInterface.
func (s *server) MoveFile(ctx context.Context, r contract.MoveFileRequestObject) (contract.MoveFileResponseObject, error) {
	return contract.MoveFile204Response{}, s.app.MoveFile(ctx, r.File, r.Body.Take)
}

// GetStrip implements contract.StrictServerInterface.
func (s *server) GetStrip(ctx context.Context, r contract.GetStripRequestObject) (contract.GetStripResponseObject, error) {
	f, err := s.app.Store.File(ctx, r.File)
	if err != nil {
		return nil, err
	}
	_, _, strip := s.app.Media.Working(f.ID)
	if f.Facts == nil || f.Facts.Strip == nil {
		return nil, app.ErrNotFound
	}
	return stills{download{ctx.(*gin.Context).Request, s.app.Media.Path(strip)}}, nil
}

type stills struct{ download }

// VisitGetStripResponse serves the stills; they never change.
func (d stills) VisitGetStripResponse(w http.ResponseWriter) error {
	return d.serve(w, map[string]string{"Content-Type": "image/jpeg", "Cache-Control": "private, max-age=86400, immutable"})
}

// GetPicture implements contract.StrictServerInterface.
func (s *server) GetPicture(ctx context.Context, r contract.GetPictureRequestObject) (contract.GetPictureResponseObject, error) {
	f, err := s.app.Store.File(ctx, r.File)
	if err != nil {
		return nil, err
	}
	_, proxy, _ := s.app.Media.Working(f.ID)
	if f.Facts == nil || f.Facts.Strip == nil { // both are made together
		return nil, app.ErrNotFound
	}
	return picture{download{ctx.(*gin.Context).Request, s.app.Media.Path(proxy)}}, nil
}

type picture struct{ download }

// VisitGetPictureResponse serves the small picture; it never changes.
func (d picture) VisitGetPictureResponse(w http.ResponseWriter) error {
	return d.serve(w, map[string]string{"Content-Type": "video/mp4", "Cache-Control": "private, max-age=86400, immutable"})
}

// ListTemplates implements contract.StrictServerInterface.
func (s *server) ListTemplates(ctx context.Context, r contract.ListTemplatesRequestObject) (contract.ListTemplatesResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	ts, err := s.app.Store.Templates(ctx, r.Production)
	out := contract.ListTemplates200JSONResponse{}
	for _, t := range ts {
		v := contract.Template{Id: t.ID, Name: t.Name, Recorder: t.Recorder, Labels: []contract.TemplateLabel{}}
		for _, l := range t.Labels {
			v.Labels = append(v.Labels, contract.TemplateLabel{Label: l.Label, Stem: l.Stem, Part: l.Part})
		}
		out = append(out, v)
	}
	return out, err
}

// SaveTemplate implements contract.StrictServerInterface.
func (s *server) SaveTemplate(ctx context.Context, r contract.SaveTemplateRequestObject) (contract.SaveTemplateResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	t := store.Template{ID: store.NewID(), ProductionID: r.Production, Name: r.Body.Name, Recorder: r.Body.Recorder}
	for _, l := range r.Body.Labels {
		t.Labels = append(t.Labels, store.TemplateLabel{Label: l.Label, Stem: l.Stem, Part: l.Part})
	}
	return contract.SaveTemplate204Response{}, s.app.Store.SaveTemplate(ctx, t)
}

// DeleteTemplate implements contract.StrictServerInterface.
func (s *server) DeleteTemplate(ctx context.Context, r contract.DeleteTemplateRequestObject) (contract.DeleteTemplateResponseObject, error) {
	return contract.DeleteTemplate204Response{}, s.app.Store.DeleteTemplate(ctx, r.Template)
}

// ListWritings implements contract.StrictServerInterface.
func (s *server) ListWritings(ctx context.Context, r contract.ListWritingsRequestObject) (contract.ListWritingsResponseObject, error) {
	p, after, limit, err := s.page(ctx, r.Production, r.Params.After, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	rows, err := s.app.Store.Writings(ctx, p.ID, after, limit)
	if err != nil {
		return nil, err
	}
	list, err := writings(rows)
	out := contract.ListWritings200JSONResponse{Items: list}
	if len(rows) == limit {
		out.Next = rows[limit-1].ID.String()
	}
	return out, err
}

// OrderWritings implements contract.StrictServerInterface.
func (s *server) OrderWritings(ctx context.Context, r contract.OrderWritingsRequestObject) (contract.OrderWritingsResponseObject, error) {
	o := app.WritingOrder{Takes: r.Body.Takes, Packing: poly.Packing(r.Body.Packing)}
	if r.Body.Pattern != nil {
		o.Pattern = *r.Body.Pattern
	}
	o.All = r.Body.All != nil && *r.Body.All
	if r.Body.Preview != nil && *r.Body.Preview {
		rows, _, err := s.app.PlanWritings(ctx, r.Production, o)
		if err != nil {
			return nil, err
		}
		list, err := writings(rows)
		return contract.OrderWritings200JSONResponse(list), err
	}
	rows, err := s.app.OrderWritings(ctx, r.Production, o)
	if err != nil {
		return nil, err
	}
	list, err := writings(rows)
	return contract.OrderWritings202JSONResponse(list), err
}

func writings(rows []store.Writing) ([]contract.Writing, error) {
	out := []contract.Writing{}
	for _, row := range rows {
		var w app.Writing
		if err := json.Unmarshal(row.Body, &w); err != nil {
			return nil, err
		}
		v := contract.Writing{
			Id: row.ID, Take: row.TakeName, Packing: string(w.Packing), State: contract.WritingState(row.State), Files: []contract.WrittenFile{}, Left: append([]string{}, w.Left...),
			Error: contract.Snag{Code: row.ErrorCode, Message: row.ErrorMessage},
		}
		for i, o := range w.Outs {
			f := contract.WrittenFile{Name: filepath.Base(o.Path), Channels: []string{}}
			for _, st := range o.Strands {
				f.Channels = append(f.Channels, st.Label)
			}
			if i < len(row.Proof) {
				p := row.Proof[i]
				f.Bytes, f.Hash, f.Proof = p.Bytes, p.Hash, proofWords(p)
			}
			v.Files = append(v.Files, f)
		}
		out = append(out, v)
	}
	return out, nil
}

// proofWords says what reading a written file back found.
func proofWords(p poly.FileProof) string {
	if p.OK {
		words := fmt.Sprintf("%d channels of %d samples read back, every one as it was recorded", len(p.Channels), p.Frames)
		for _, s := range p.Snags {
			words += "; " + s.Message
		}
		return words
	}
	for i, c := range p.Channels {
		if c.Differs > 0 {
			return fmt.Sprintf("channel %d differs from channel %d of %s in %d samples, first at %d", i+1, c.Channel, c.From, c.Differs, c.FirstAt)
		}
	}
	return p.Wrong[0]
}

// RetryWriting implements contract.StrictServerInterface.
func (s *server) RetryWriting(ctx context.Context, r contract.RetryWritingRequestObject) (contract.RetryWritingResponseObject, error) {
	return contract.RetryWriting204Response{}, s.app.TakeStep(ctx, "writing", r.Writing, app.StepRetry)
}

// HoldWriting implements contract.StrictServerInterface.
func (s *server) HoldWriting(ctx context.Context, r contract.HoldWritingRequestObject) (contract.HoldWritingResponseObject, error) {
	return contract.HoldWriting204Response{}, s.app.TakeStep(ctx, "writing", r.Writing, app.StepHold)
}

// NextWriting implements contract.StrictServerInterface.
func (s *server) NextWriting(ctx context.Context, r contract.NextWritingRequestObject) (contract.NextWritingResponseObject, error) {
	return contract.NextWriting204Response{}, s.app.TakeStep(ctx, "writing", r.Writing, app.StepNext)
}

// CancelWriting implements contract.StrictServerInterface.
func (s *server) CancelWriting(ctx context.Context, r contract.CancelWritingRequestObject) (contract.CancelWritingResponseObject, error) {
	return contract.CancelWriting204Response{}, s.app.TakeStep(ctx, "writing", r.Writing, app.StepCancel)
}

// DownloadWriting implements contract.StrictServerInterface.
func (s *server) DownloadWriting(ctx context.Context, r contract.DownloadWritingRequestObject) (contract.DownloadWritingResponseObject, error) {
	g, err := s.app.WrittenFile(ctx, r.Writing, r.Index)
	return proven{ctx.(*gin.Context).Request, g}, err
}

// GetWritingsZip implements contract.StrictServerInterface.
func (s *server) GetWritingsZip(ctx context.Context, r contract.GetWritingsZipRequestObject) (contract.GetWritingsZipResponseObject, error) {
	z, err := s.app.WrittenArchive(ctx, r.Production, r.Params.Writing)
	return writtenArchive(z), err
}

type writtenArchive app.WrittenArchive

// VisitGetWritingsZipResponse writes the archive.
func (z writtenArchive) VisitGetWritingsZipResponse(w http.ResponseWriter) error {
	return handOver(w, app.WrittenArchive(z))
}

// VisitDownloadWritingResponse serves the file.
func (p proven) VisitDownloadWritingResponse(w http.ResponseWriter) error {
	return p.VisitDownloadFileResponse(w)
}

func readingsOf(rs []take.Reading) []contract.Reading {
	out := []contract.Reading{}
	for _, r := range rs {
		name := r.Name()
		v := contract.Reading{Kind: contract.ReadingKind(r.Kind), Positions: r.Positions, Order: []string{}, Name: &name}
		for _, sp := range r.Order {
			v.Order = append(v.Order, string(sp))
		}
		if r.Norm != "" {
			norm := contract.ReadingNorm(r.Norm)
			v.Norm = &norm
		}
		if r.From != "" {
			from := contract.ReadingFrom(r.From)
			v.From, v.Why = &from, &r.Why
		}
		out = append(out, v)
	}
	return out
}

func suggestions(open []store.OpenSuggestion) []contract.Suggestion {
	out := make([]contract.Suggestion, len(open))
	for i, s := range open {
		out[i] = contract.Suggestion{
			Id: s.ID, Kind: s.Body.Kind, Positions: s.Body.Positions, Says: s.Body.Says, Reason: s.Body.Reason, Certainty: contract.SuggestionCertainty(s.Body.Certainty), Asks: s.Body.Asks,
		}
	}
	return out
}

// pictureWords describes a file's picture and the working copy of its sound.
func pictureWords(a *store.Analysis) (streams []string, picture string) {
	streams = []string{}
	for i, st := range a.Streams {
		what := "bit for bit"
		if st.Lossy {
			what = "lossy, decoded once"
		}
		streams = append(streams, fmt.Sprintf("stream %d: %s, %d ch, %s", i+1, st.Codec, st.Channels, what))
	}
	if p := a.Picture; p != nil {
		picture = p.String()
	}
	return streams, picture
}

func silent(st store.Strand) bool { return st.Peak < audio.Gain(audio.SilenceDB) }

// ListReadings implements contract.StrictServerInterface.
func (s *server) ListReadings(_ context.Context, r contract.ListReadingsRequestObject) (contract.ListReadingsResponseObject, error) {
	return contract.ListReadings200JSONResponse(readingsOf(take.WaysToRead(r.Params.Strands))), nil
}
