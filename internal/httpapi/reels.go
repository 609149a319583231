package httpapi

import (
	"context"
	"errors"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/naming"
	"zestyloom/core/reel"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"

	"github.com/google/uuid"
)

func (s *server) getReel(ctx context.Context, at ofProduction, _ none) (contract.Reel, error) {
	row, err := s.app.Store.ReelOf(ctx, at.Production)
	if err != nil {
		return contract.Reel{}, err
	}
	return s.reel(ctx, row)
}

func (s *server) getReelById(ctx context.Context, at ofReel, _ none) (contract.Reel, error) {
	row, err := s.app.Store.Reel(ctx, at.Reel)
	if err == nil && row.Removed {
		err = app.ErrNotFound
	}
	if err != nil {
		return contract.Reel{}, err
	}
	return s.reel(ctx, row)
}

func (s *server) listReels(ctx context.Context, at ofProduction, _ none) ([]contract.ReelListed, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return nil, err
	}
	rows, err := s.app.Store.ListReels(ctx, at.Production)
	if err != nil {
		return nil, err
	}
	out := []contract.ReelListed{}
	for _, row := range rows {
		v := contract.ReelListed{Id: row.ID, Name: row.Name, Version: row.Version, Tracks: given(row.Tracks), Start: given(row.Starts), End: given(row.Ends)}
		out = append(out, v)
	}
	return out, nil
}

func (s *server) createReel(ctx context.Context, at ofProduction, body contract.NewReel) (contract.Reel, error) {
	n := app.NewReel{Name: body.Name, Copy: body.Copy, From: given(body.From), To: given(body.To)}
	if body.Masters != nil {
		doc, err := s.app.Masters(ctx, at.Production, *body.Masters)
		if err != nil {
			return contract.Reel{}, err
		}
		n.Doc = &doc
	}
	if body.Otio != nil {
		n.OTIO = []byte(*body.Otio)
	}
	row, err := s.app.CreateReel(ctx, at.Production, n)
	if err != nil {
		return contract.Reel{}, err
	}
	return s.reel(ctx, row)
}

func (s *server) nameReel(ctx context.Context, at ofReel, body contract.ReelNaming) (none, error) {
	return none{}, s.app.NameReel(ctx, at.Reel, body.Name, false)
}

func (s *server) removeReel(ctx context.Context, at ofReel, _ none) (none, error) {
	return none{}, s.app.NameReel(ctx, at.Reel, "", true)
}

func (s *server) getInterchange(ctx context.Context, at ofReel, _ none) (document, error) {
	b, name, err := s.app.Interchange(ctx, at.Reel)
	return text("application/vnd.opentimelineio+json", naming.Clean(name)+".otio", b), err
}

func (s *server) getDifferingNames(ctx context.Context, at ofReel, _ none) (map[string]string, error) {
	return s.app.DifferingNames(ctx, at.Reel)
}

func (s *server) getDecisionList(ctx context.Context, at ofReel, q contract.GetDecisionListParams) (document, error) {
	b, title, err := s.app.DecisionList(ctx, at.Reel, q.Track)
	return text("text/plain; charset=utf-8", naming.Clean(title)+".edl", b), err
}
func (s *server) listLendable(ctx context.Context, at ofReel, q contract.ListLendableParams) ([]contract.Lendable, error) {
	all, err := s.app.Lendables(ctx, at.Reel, q.Track, q.From, q.To)
	out := []contract.Lendable{}
	for _, l := range all {
		out = append(out, contract.Lendable{
			Take: l.Take, Strand: l.Strand, Name: l.Name, Label: l.Label, Position: l.Position, In: l.In,
			By: contract.LendableBy(l.By), Likeness: l.Likeness, NoGood: l.NoGood, Circled: l.Circled,
		})
	}
	return out, err
}

// bringing is what a request asks to come over.
func bringing(b contract.Bringing) app.Bringing {
	return app.Bringing{From: b.From, Bringing: edit.Bringing{
		Tracks: given(b.Tracks), Clips: given(b.Clips), Labels: given(b.Labels), Levels: given(b.Levels), Routes: given(b.Routes),
	}}
}

func (s *server) previewBringing(ctx context.Context, at ofReel, body contract.Bringing) ([]contract.Brought, error) {
	rows, err := s.app.PreviewBringing(ctx, at.Reel, bringing(body))
	if err != nil {
		return nil, err
	}
	out := []contract.Brought{}
	for _, b := range rows {
		out = append(out, contract.Brought{
			Track: b.Track, Label: b.Label, Onto: b.Onto, Made: b.Made, Clips: b.Clips, Changed: b.Changed, Over: b.Over,
			Says: append([]string{}, b.Says...), Lost: append([]string{}, b.Lost...), Nothing: b.Nothing(),
		})
	}
	return out, nil
}

func (s *server) bringOver(ctx context.Context, at ofReel, body contract.Bringing) (contract.ReelEdited, error) {
	e, err := s.app.BringOver(ctx, at.Reel, bringing(body))
	if err != nil {
		return contract.ReelEdited{}, err
	}
	return s.edited(ctx, e)
}

func (s *server) listPictures(ctx context.Context, at ofReel, _ none) ([]contract.Seeable, error) {
	all, p, err := s.app.Seeables(ctx, at.Reel)
	if err != nil {
		return nil, err
	}
	out := []contract.Seeable{}
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

func (s *server) getMarkers(ctx context.Context, at ofReel, _ none) (document, error) {
	b, _, err := s.app.Markers(ctx, at.Reel)
	return text("text/csv", "", b), err
}

func (s *server) readMarkers(ctx context.Context, at ofReel, body contract.MarkerTable) (contract.ReelEdited, error) {
	e, err := s.app.ReadMarkers(ctx, at.Reel, []byte(body.Table))
	if err != nil {
		return contract.ReelEdited{}, err
	}
	return s.edited(ctx, e)
}

func (s *server) reel(ctx context.Context, row store.Reel) (contract.Reel, error) {
	v := contract.Reel{Id: row.ID, Name: row.Name, Version: row.Version, Doc: row.Doc, Spec: row.SpecID}
	p, err := s.app.Store.Production(ctx, row.ProductionID)
	if err != nil {
		return v, err
	}
	v.SampleRate, v.WorkedOut = p.SampleRate, workedOut(p, row)
	return v, errors.Join(workOutRouting(&v.WorkedOut, row.Doc), s.workOutDetached(ctx, &v.WorkedOut, p, row.ID))
}

// workedOut is what follows from a reel, but for its routing and for strands that were let go.
func workedOut(p store.Production, row store.Reel) (w contract.ReelWorkedOut) {
	w.Start, w.End = row.Doc.Span()
	rate := row.Doc.Counted(p.Rate())
	w.Rate = contract.Rate{Num: rate.Num, Den: rate.Den, Drop: rate.Drop}
	w.RateName = rate.String()
	w.StartTimecode = rate.FormatSamples(w.Start, int64(p.SampleRate))
	return w
}

// workOutRouting adds what follows from tracks and the weave.
func workOutRouting(w *contract.ReelWorkedOut, doc reel.Reel) error {
	layouts, directions := map[string][]string{}, map[string]map[string]audio.Direction{}
	add := func(l audio.Layout) { layouts[l.Name] = l.Channels() }
	for _, t := range doc.Tracks {
		add(t.Channels())
	}
	for _, b := range doc.Weave.Buses {
		l := b.Channels()
		add(l)
		at := map[string]audio.Direction{}
		for i := range l.Count {
			if d, ok := l.Direction(i); ok {
				at[l.Channel(i)] = d
			}
		}
		directions[l.Name] = at
	}
	sent := map[string][]contract.ReelSent{}
	out := func(id string, l audio.Layout) {
		for _, v := range doc.Weave.Sent(id, l) {
			sent[id] = append(sent[id], contract.ReelSent{To: v.To, Factors: v.Factors, Moves: v.Moves})
		}
	}
	routed := doc.Routed()
	for _, t := range routed {
		out(t.ID, t.Layout)
	}
	for _, b := range doc.Weave.Buses {
		out(b.ID, b.Channels())
	}
	ways, pairs := doc.Weave.AllWays(routed)
	product, err := doc.Product()
	w.Layouts, w.Directions, w.Ways, w.Pairs, w.Sent, w.Product = &layouts, &directions, &ways, &pairs, &sent, &product
	return err
}

// workOutDetached adds the strands that were let go.
func (s *server) workOutDetached(ctx context.Context, w *contract.ReelWorkedOut, p store.Production, id uuid.UUID) error {
	detached, err := s.app.DetachedInReel(ctx, p, id)
	w.Detached = &detached
	return err
}

// edited answers an edit with what has changed.
func (s *server) edited(ctx context.Context, e app.Edited) (contract.ReelEdited, error) {
	v := contract.ReelEdited{Name: e.Name, Spec: e.SpecID, Version: e.Version, Since: e.Base}
	v.WorkedOut = workedOut(e.Production, e.Reel)
	routing, strands := true, true
	if e.Known {
		c := reel.Diff(e.Was, e.Doc)
		v.Changes = &c
		routing, strands = c.Order != nil || c.Tracks != nil || c.Sends != nil || c.Routing != nil, reel.BringsStrands(e.Was, c)
	} else {
		v.Whole = &e.Doc
	}
	var err error
	if routing {
		err = workOutRouting(&v.WorkedOut, e.Doc)
	}
	if strands {
		err = errors.Join(err, s.workOutDetached(ctx, &v.WorkedOut, e.Production, e.ID))
	}
	return v, err
}

func (s *server) getReelChanges(ctx context.Context, at ofReel, q contract.GetReelChangesParams) (contract.ReelEdited, error) {
	e, err := s.app.ReelSince(ctx, at.Reel, q.Since)
	if err == nil && e.Removed {
		err = app.ErrNotFound
	}
	if err != nil {
		return contract.ReelEdited{}, err
	}
	v, err := s.edited(ctx, e)
	if err != nil || v.WorkedOut.Detached != nil {
		return v, err
	}
	// Strands may have been let go without an edit of the reel.
	return v, s.workOutDetached(ctx, &v.WorkedOut, e.Production, e.ID)
}

func (s *server) editReel(ctx context.Context, at ofReel, body contract.ReelEdit) (contract.ReelEdited, error) {
	e, err := s.app.EditReel(ctx, at.Reel, body.Version, body.What, body.Actions)
	if err != nil {
		return contract.ReelEdited{}, s.stale(ctx, e.Reel, err)
	}
	return s.edited(ctx, e)
}

// stale has an edit on a version that has been passed say what the reel is now.
func (s *server) stale(ctx context.Context, row store.Reel, err error) error {
	if !errors.Is(err, app.ErrStale) {
		return err
	}
	now, err := s.reel(ctx, row)
	if err != nil {
		return err
	}
	return &app.Stale{Says: "somebody else has changed the same in this reel meanwhile: look, and do it again", Current: now}
}

func (s *server) setWidth(ctx context.Context, at ofReel, body contract.Width) (contract.ReelEdited, error) {
	e, err := s.app.SetWidth(ctx, at.Reel, body.Version, body.Outputs)
	if err != nil {
		return contract.ReelEdited{}, s.stale(ctx, e.Reel, err)
	}
	return s.edited(ctx, e)
}

func (s *server) layTake(ctx context.Context, at ofReel, body contract.LayTakes) (contract.ReelEdited, error) {
	e, err := s.app.LayTakes(ctx, at.Reel, body.Takes, given(body.Again))
	if err != nil {
		return contract.ReelEdited{}, err
	}
	return s.edited(ctx, e)
}

// mostEdits bounds the list of what was done.
const mostEdits = 200

func (s *server) listEdits(ctx context.Context, at ofProduction, q contract.ListEditsParams) ([]contract.LoggedEdit, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return nil, err
	}
	all, err := s.app.Edits(ctx, at.Production, given(q.Of), mostEdits)
	out := []contract.LoggedEdit{}
	for _, e := range all {
		out = append(out, contract.LoggedEdit{Id: e.ID, What: e.What, At: e.At, Mine: e.Mine, Undone: e.Undone})
	}
	return out, err
}
