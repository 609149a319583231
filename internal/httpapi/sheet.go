package httpapi

import (
	"context"
	"encoding/json"
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

func (s *server) editSheet(ctx context.Context, at ofProduction, body contract.SheetEdit) ([]contract.Take, error) {
	p, err := s.app.Store.Production(ctx, at.Production)
	if err != nil {
		return nil, err
	}
	var cells []app.Cell
	for _, c := range body.Cells {
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
	if err = s.app.EditSheet(ctx, p.ID, body.What, cells); err != nil {
		return nil, err
	}
	ts, err := s.app.Store.ListTakesOf(ctx, p.ID, rowsOf(cells))
	if err != nil {
		return nil, err
	}
	return s.takes(ctx, p, ts)
}

func rowsOf(cells []app.Cell) (ids []uuid.UUID) {
	for _, c := range cells {
		if !slices.Contains(ids, c.Row) {
			ids = append(ids, c.Row)
		}
	}
	return ids
}

func (s *server) decideSuggestions(ctx context.Context, at ofProduction, body contract.Decision) ([]contract.HintRow, error) {
	rows, err := s.app.DecideSuggestions(ctx, at.Production, body.Suggestions, body.Accept, given(body.Preview))
	if err != nil {
		return nil, err
	}
	out := []contract.HintRow{}
	for _, row := range rows {
		out = append(out, contract.HintRow{
			Take: row.Take, TakeId: row.TakeID, Position: row.Position, Field: contract.HintRowField(row.Field), Was: fmt.Sprint(row.Was), Now: fmt.Sprint(row.Now), Kept: row.Kept,
		})
	}
	return out, nil
}

func (s *server) moveFile(ctx context.Context, at ofFile, body contract.FileMove) (none, error) {
	return none{}, s.app.MoveFile(ctx, at.File, body.Take)
}

func (s *server) getStrip(ctx context.Context, at ofFile, _ none) (stills, error) {
	f, err := s.app.Store.File(ctx, at.File)
	if err != nil {
		return stills{}, err
	}
	_, _, strip := s.app.Media.Working(f.ID)
	if f.Facts == nil || f.Facts.Strip == nil {
		return stills{}, app.ErrNotFound
	}
	return stills{download{ctx.(*gin.Context).Request, s.app.Media.Path(strip)}}, nil
}

type stills struct{ download }

// give serves the stills; they never change.
func (d stills) give(w http.ResponseWriter) error {
	return d.serve(w, map[string]string{"Content-Type": "image/jpeg", "Cache-Control": "private, max-age=86400, immutable"})
}

func (s *server) getPicture(ctx context.Context, at ofFile, _ none) (picture, error) {
	f, err := s.app.Store.File(ctx, at.File)
	if err != nil {
		return picture{}, err
	}
	_, proxy, _ := s.app.Media.Working(f.ID)
	if f.Facts == nil || f.Facts.Strip == nil { // both are made together
		return picture{}, app.ErrNotFound
	}
	return picture{download{ctx.(*gin.Context).Request, s.app.Media.Path(proxy)}}, nil
}

type picture struct{ download }

// give serves the small picture; it never changes.
func (d picture) give(w http.ResponseWriter) error {
	return d.serve(w, map[string]string{"Content-Type": "video/mp4", "Cache-Control": "private, max-age=86400, immutable"})
}

func (s *server) listTemplates(ctx context.Context, at ofProduction, _ none) ([]contract.Template, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return nil, err
	}
	ts, err := s.app.Store.Templates(ctx, at.Production)
	out := []contract.Template{}
	for _, t := range ts {
		v := contract.Template{Id: t.ID, Name: t.Name, Recorder: t.Recorder, Labels: []contract.TemplateLabel{}}
		for _, l := range t.Labels {
			v.Labels = append(v.Labels, contract.TemplateLabel{Label: l.Label, Stem: l.Stem, Part: l.Part})
		}
		out = append(out, v)
	}
	return out, err
}

func (s *server) saveTemplate(ctx context.Context, at ofProduction, body contract.TemplateDraft) (none, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return none{}, err
	}
	t := store.Template{ID: store.NewID(), ProductionID: at.Production, Name: body.Name, Recorder: body.Recorder}
	for _, l := range body.Labels {
		t.Labels = append(t.Labels, store.TemplateLabel{Label: l.Label, Stem: l.Stem, Part: l.Part})
	}
	return none{}, s.app.Store.SaveTemplate(ctx, t)
}

func (s *server) deleteTemplate(ctx context.Context, at ofTemplate, _ none) (none, error) {
	return none{}, s.app.Store.DeleteTemplate(ctx, at.Template)
}

func (s *server) listWritings(ctx context.Context, at ofProduction, q contract.ListWritingsParams) (contract.WritingPage, error) {
	p, after, limit, err := s.page(ctx, at.Production, q.After, q.Limit)
	if err != nil {
		return contract.WritingPage{}, err
	}
	rows, err := s.app.Store.Writings(ctx, p.ID, after, limit)
	if err != nil {
		return contract.WritingPage{}, err
	}
	list, err := writings(rows)
	out := contract.WritingPage{Items: list}
	if len(rows) == limit {
		out.Next = rows[limit-1].ID.String()
	}
	return out, err
}

func (s *server) orderWritings(ctx context.Context, at ofProduction, body contract.WritingOrder) (withStatus, error) {
	o := app.WritingOrder{Takes: body.Takes, Packing: poly.Packing(body.Packing)}
	if body.Pattern != nil {
		o.Pattern = *body.Pattern
	}
	o.All = body.All != nil && *body.All
	if given(body.Preview) {
		rows, _, err := s.app.PlanWritings(ctx, at.Production, o)
		if err != nil {
			return withStatus{}, err
		}
		list, err := writings(rows)
		return withStatus{http.StatusOK, list}, err
	}
	rows, err := s.app.OrderWritings(ctx, at.Production, o)
	if err != nil {
		return withStatus{}, err
	}
	list, err := writings(rows)
	return withStatus{http.StatusAccepted, list}, err
}

func writings(rows []store.Writing) ([]contract.Writing, error) {
	out := []contract.Writing{}
	for _, row := range rows {
		var w app.Writing
		if err := json.Unmarshal(row.Plan, &w); err != nil {
			return nil, err
		}
		v := contract.Writing{
			Id: row.ID, Take: row.Name, Packing: string(w.Packing), State: row.State, Steps: row.State.Steps(), Files: []contract.WrittenFile{}, Left: append([]string{}, w.Left...),
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

func (s *server) downloadWriting(ctx context.Context, at ofWritingIndex, _ none) (proven, error) {
	g, err := s.app.WrittenFile(ctx, at.Writing, at.Index)
	return proven{ctx.(*gin.Context).Request, g}, err
}

func (s *server) getWritingsZip(ctx context.Context, at ofProduction, q contract.GetWritingsZipParams) (document, error) {
	z, err := s.app.WrittenArchive(ctx, at.Production, q.Writing)
	return document{"application/zip", z.Name(), z.Write}, err
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

func (s *server) listReadings(_ context.Context, _ none, q contract.ListReadingsParams) ([]contract.Reading, error) {
	return readingsOf(take.WaysToRead(q.Strands)), nil
}
