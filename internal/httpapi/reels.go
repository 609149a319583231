package httpapi

import (
	"bytes"
	"context"
	"errors"
	"net/http"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/naming"
	"zestyloom/core/reel"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// GetReel implements contract.StrictServerInterface.
func (s *server) GetReel(ctx context.Context, r contract.GetReelRequestObject) (contract.GetReelResponseObject, error) {
	row, err := s.app.Store.ReelOf(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	v, err := s.reel(ctx, row)
	return contract.GetReel200JSONResponse(v), err
}

// GetReelById implements contract.StrictServerInterface.
func (s *server) GetReelById(ctx context.Context, r contract.GetReelByIdRequestObject) (contract.GetReelByIdResponseObject, error) {
	row, err := s.app.Store.Reel(ctx, r.Reel)
	if err == nil && row.Removed {
		err = app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	v, err := s.reel(ctx, row)
	return contract.GetReelById200JSONResponse(v), err
}

// ListReels implements contract.StrictServerInterface.
func (s *server) ListReels(ctx context.Context, r contract.ListReelsRequestObject) (contract.ListReelsResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	rows, err := s.app.Store.ListReels(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	out := contract.ListReels200JSONResponse{}
	for _, row := range rows {
		v := contract.ReelListed{Id: row.ID, Name: row.Name, Version: row.Version, Tracks: given(row.Tracks), Start: given(row.Starts), End: given(row.Ends)}
		out = append(out, v)
	}
	return out, nil
}

// CreateReel implements contract.StrictServerInterface.
func (s *server) CreateReel(ctx context.Context, r contract.CreateReelRequestObject) (contract.CreateReelResponseObject, error) {
	n := app.NewReel{Name: r.Body.Name, Copy: r.Body.Copy, From: given(r.Body.From), To: given(r.Body.To)}
	if r.Body.Masters != nil {
		doc, err := s.app.Masters(ctx, r.Production, *r.Body.Masters)
		if err != nil {
			return nil, err
		}
		n.Doc = &doc
	}
	if r.Body.Otio != nil {
		n.OTIO = []byte(*r.Body.Otio)
	}
	row, err := s.app.CreateReel(ctx, r.Production, n)
	if err != nil {
		return nil, err
	}
	v, err := s.reel(ctx, row)
	return contract.CreateReel201JSONResponse(v), err
}

// NameReel implements contract.StrictServerInterface.
func (s *server) NameReel(ctx context.Context, r contract.NameReelRequestObject) (contract.NameReelResponseObject, error) {
	return contract.NameReel204Response{}, s.app.NameReel(ctx, r.Reel, r.Body.Name, false)
}

// RemoveReel implements contract.StrictServerInterface.
func (s *server) RemoveReel(ctx context.Context, r contract.RemoveReelRequestObject) (contract.RemoveReelResponseObject, error) {
	return contract.RemoveReel204Response{}, s.app.NameReel(ctx, r.Reel, "", true)
}

// GetInterchange implements contract.StrictServerInterface.
func (s *server) GetInterchange(ctx context.Context, r contract.GetInterchangeRequestObject) (contract.GetInterchangeResponseObject, error) {
	b, name, err := s.app.Interchange(ctx, r.Reel)
	return interchange{b, name}, err
}

// GetDifferingNames implements contract.StrictServerInterface.
func (s *server) GetDifferingNames(ctx context.Context, r contract.GetDifferingNamesRequestObject) (contract.GetDifferingNamesResponseObject, error) {
	names, err := s.app.DifferingNames(ctx, r.Reel)
	return contract.GetDifferingNames200JSONResponse(names), err
}

// GetDecisionList implements contract.StrictServerInterface.
func (s *server) GetDecisionList(ctx context.Context, r contract.GetDecisionListRequestObject) (contract.GetDecisionListResponseObject, error) {
	b, title, err := s.app.DecisionList(ctx, r.Reel, r.Params.Track)
	return decisionList{b, title}, err
}

type decisionList struct {
	text  []byte
	title string
}

// VisitGetDecisionListResponse implements contract.GetDecisionListResponseObject.
func (l decisionList) VisitGetDecisionListResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("Content-Disposition", attachment(naming.Clean(l.title)+".edl"))
	_, err := w.Write(l.text)
	return err
}

// interchange is a document as it is.
type interchange struct {
	text []byte
	name string
}

// VisitGetInterchangeResponse implements contract.GetInterchangeResponseObject.
func (d interchange) VisitGetInterchangeResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/vnd.opentimelineio+json")
	w.Header().Set("Content-Disposition", attachment(naming.Clean(d.name)+".otio"))
	_, err := w.Write(d.text)
	return err
}

// ListLendable implements contract.StrictServerInterface.
func (s *server) ListLendable(ctx context.Context, r contract.ListLendableRequestObject) (contract.ListLendableResponseObject, error) {
	all, err := s.app.Lendables(ctx, r.Reel, r.Params.Track, r.Params.From, r.Params.To)
	out := contract.ListLendable200JSONResponse{}
	for _, l := range all {
		out = append(out, contract.Lendable{
			Take: l.Take, Strand: l.Strand, Name: l.Name, Label: l.Label, Position: l.Position, In: l.In,
			By: contract.LendableBy(l.By), Likeness: l.Likeness, NoGood: l.NoGood, Circled: l.Circled,
		})
	}
	return out, err
}

// bringing is what a request asks to come over.
func bringing(b *contract.Bringing) app.Bringing {
	return app.Bringing{From: b.From, Bringing: edit.Bringing{
		Tracks: given(b.Tracks), Clips: given(b.Clips), Labels: given(b.Labels), Levels: given(b.Levels), Routes: given(b.Routes),
	}}
}

// PreviewBringing implements contract.StrictServerInterface.
func (s *server) PreviewBringing(ctx context.Context, r contract.PreviewBringingRequestObject) (contract.PreviewBringingResponseObject, error) {
	rows, err := s.app.PreviewBringing(ctx, r.Reel, bringing(r.Body))
	if err != nil {
		return nil, err
	}
	out := contract.PreviewBringing200JSONResponse{}
	for _, b := range rows {
		out = append(out, contract.Brought{
			Track: b.Track, Label: b.Label, Onto: b.Onto, Made: b.Made, Clips: b.Clips, Changed: b.Changed, Over: b.Over,
			Says: append([]string{}, b.Says...), Lost: append([]string{}, b.Lost...), Nothing: b.Nothing(),
		})
	}
	return out, nil
}

// BringOver implements contract.StrictServerInterface.
func (s *server) BringOver(ctx context.Context, r contract.BringOverRequestObject) (contract.BringOverResponseObject, error) {
	e, err := s.app.BringOver(ctx, r.Reel, bringing(r.Body))
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.BringOver200JSONResponse(v), err
}

// ListPictures implements contract.StrictServerInterface.
func (s *server) ListPictures(ctx context.Context, r contract.ListPicturesRequestObject) (contract.ListPicturesResponseObject, error) {
	all, p, err := s.app.Seeables(ctx, r.Reel)
	if err != nil {
		return nil, err
	}
	out := contract.ListPictures200JSONResponse{}
	for _, f := range all {
		v := contract.Seeable{File: f.File, Name: f.Name, Start: f.Start, Length: f.Length, Stills: f.Stills}
		if f.Start != nil {
			at := p.Rate().FormatSamples(*f.Start, int64(p.SampleRate))
			v.Timecode = &at
		}
		out = append(out, v)
	}
	return out, nil
}

// GetMarkers implements contract.StrictServerInterface.
func (s *server) GetMarkers(ctx context.Context, r contract.GetMarkersRequestObject) (contract.GetMarkersResponseObject, error) {
	b, _, err := s.app.Markers(ctx, r.Reel)
	return contract.GetMarkers200TextcsvResponse{Body: bytes.NewReader(b), ContentLength: int64(len(b))}, err
}

// ReadMarkers implements contract.StrictServerInterface.
func (s *server) ReadMarkers(ctx context.Context, r contract.ReadMarkersRequestObject) (contract.ReadMarkersResponseObject, error) {
	e, err := s.app.ReadMarkers(ctx, r.Reel, []byte(r.Body.Table))
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.ReadMarkers200JSONResponse(v), err
}

func (s *server) reel(ctx context.Context, row store.Reel) (contract.Reel, error) {
	v := contract.Reel{Id: row.ID, Name: row.Name, Version: row.Version, Doc: row.Doc, Spec: row.SpecID}
	p, err := s.app.Store.Production(ctx, row.ProductionID)
	if err != nil {
		return v, err
	}
	v.SampleRate = p.SampleRate
	v.WorkedOut, err = s.workedOut(ctx, p, row, true)
	return v, err
}

// workedOut is what follows from a reel; product says whether the grids' product is wanted.
func (s *server) workedOut(ctx context.Context, p store.Production, row store.Reel, product bool) (w contract.ReelWorkedOut, err error) {
	w.Start, w.End = row.Doc.Span()
	rate := row.Doc.Counted(p.Rate())
	w.Rate = contract.Rate{Num: rate.Num, Den: rate.Den, Drop: rate.Drop}
	w.RateName = rate.String()
	w.StartTimecode = rate.FormatSamples(w.Start, int64(p.SampleRate))
	w.Layouts = map[string][]string{}
	add := func(l audio.Layout) { w.Layouts[l.Name] = l.Channels() }
	for _, t := range row.Doc.Tracks {
		add(t.Channels())
	}
	w.Directions = map[string]map[string]audio.Direction{}
	for _, b := range row.Doc.Weave.Buses {
		l := b.Channels()
		add(l)
		at := map[string]audio.Direction{}
		for i := range l.Count {
			if d, ok := l.Direction(i); ok {
				at[l.Channel(i)] = d
			}
		}
		w.Directions[l.Name] = at
	}
	w.Ways, w.Pairs = row.Doc.Weave.AllWays(row.Doc.Routed())
	if w.Detached, err = s.app.DetachedInReel(ctx, p, row.ID); err != nil || !product {
		return w, err
	}
	sent := map[string][]contract.ReelSent{}
	out := func(id string, l audio.Layout) {
		for _, v := range row.Doc.Weave.Sent(id, l) {
			sent[id] = append(sent[id], contract.ReelSent{To: v.To, Factors: v.Factors, Moves: v.Moves})
		}
	}
	for _, t := range row.Doc.Routed() {
		out(t.ID, t.Layout)
	}
	for _, b := range row.Doc.Weave.Buses {
		out(b.ID, b.Channels())
	}
	w.Sent = &sent
	all, err := row.Doc.Product()
	w.Product = &all
	return w, err
}

// edited answers an edit with what has changed.
func (s *server) edited(ctx context.Context, e app.Edited) (contract.ReelEdited, error) {
	v := contract.ReelEdited{Name: e.Name, Spec: e.SpecID, Version: e.Version, Since: e.Base}
	p, err := s.app.Store.Production(ctx, e.ProductionID)
	if err != nil {
		return v, err
	}
	product := true
	if e.Known {
		c := reel.Diff(e.Was, e.Doc)
		v.Changes = &c
		product = c.Order != nil || c.Tracks != nil || c.Sends != nil || c.Routing != nil
	} else {
		v.Whole = &e.Doc
	}
	v.WorkedOut, err = s.workedOut(ctx, p, e.Reel, product)
	return v, err
}

// GetReelChanges implements contract.StrictServerInterface.
func (s *server) GetReelChanges(ctx context.Context, r contract.GetReelChangesRequestObject) (contract.GetReelChangesResponseObject, error) {
	e, err := s.app.ReelSince(ctx, r.Reel, r.Params.Since)
	if err == nil && e.Removed {
		err = app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.GetReelChanges200JSONResponse(v), err
}

// EditReel implements contract.StrictServerInterface.
func (s *server) EditReel(ctx context.Context, r contract.EditReelRequestObject) (contract.EditReelResponseObject, error) {
	e, err := s.app.EditReel(ctx, r.Reel, r.Body.Version, r.Body.What, r.Body.Actions)
	if errors.Is(err, app.ErrStale) {
		now, err := s.reelConflict(ctx, e.Reel)
		return contract.EditReel409ApplicationProblemPlusJSONResponse(now), err
	}
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.EditReel200JSONResponse(v), err
}

func (s *server) reelConflict(ctx context.Context, row store.Reel) (contract.ReelConflict, error) {
	now, err := s.reel(ctx, row)
	return contract.ReelConflict{Title: http.StatusText(http.StatusConflict), Status: http.StatusConflict, Code: "stale", Current: now,
		Detail: "somebody else has changed the same in this reel meanwhile: look, and do it again"}, err
}

// SetWidth implements contract.StrictServerInterface.
func (s *server) SetWidth(ctx context.Context, r contract.SetWidthRequestObject) (contract.SetWidthResponseObject, error) {
	e, err := s.app.SetWidth(ctx, r.Reel, r.Body.Version, r.Body.Outputs)
	if errors.Is(err, app.ErrStale) {
		now, err := s.reelConflict(ctx, e.Reel)
		return contract.SetWidth409ApplicationProblemPlusJSONResponse(now), err
	}
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.SetWidth200JSONResponse(v), err
}

// LayTake implements contract.StrictServerInterface.
func (s *server) LayTake(ctx context.Context, r contract.LayTakeRequestObject) (contract.LayTakeResponseObject, error) {
	e, err := s.app.LayTakes(ctx, r.Reel, r.Body.Takes, given(r.Body.Again))
	if err != nil {
		return nil, err
	}
	v, err := s.edited(ctx, e)
	return contract.LayTake200JSONResponse(v), err
}

// mostEdits bounds the list of what was done.
const mostEdits = 200

// ListEdits implements contract.StrictServerInterface.
func (s *server) ListEdits(ctx context.Context, r contract.ListEditsRequestObject) (contract.ListEditsResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	all, err := s.app.Edits(ctx, r.Production, given(r.Params.Of), mostEdits)
	out := contract.ListEdits200JSONResponse{}
	for _, e := range all {
		out = append(out, contract.LoggedEdit{Id: e.ID, What: e.What, At: e.At, Mine: e.Mine, Undone: e.Undone})
	}
	return out, err
}
