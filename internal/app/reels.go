package app

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/cutlist"
	"zestyloom/core/edit"
	"zestyloom/core/naming"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// reelName is what a reel is called, and whether it is removed.
type reelName struct {
	Reel    uuid.UUID `json:"reel"`
	Name    string    `json:"name"`
	Removed bool      `json:"removed"`
}

// NewReel says what a reel is made of.
type NewReel struct {
	Name string
	Copy *uuid.UUID // the reel that it is a copy of; nil for an empty one
	// From and To, of a copy: only this span, cut at the edges; both 0 for all.
	From, To int64
	// Doc is what a reel is that was worked out here, and Family the first of those it comes from.
	Doc    *reel.Reel
	SpecID *uuid.UUID
	Family *uuid.UUID
	// OTIO is a document that Interchange has written: the reel is made of that.
	OTIO []byte
}

// mostReels bounds how many reels a production has.
const mostReels = 200

const maxReelName = 200

// CreateReel makes a further reel of a production: an edit that can be undone.
func (a *App) CreateReel(ctx context.Context, production uuid.UUID, n NewReel) (r store.Reel, err error) {
	name := strings.TrimSpace(n.Name)
	if name == "" || len(name) > maxReelName {
		return r, snag.Refuse("bad_name", "a reel needs a name of at most %d letters", maxReelName)
	}
	if err := naming.CheckLine("a reel", name); err != nil {
		return r, err
	}
	return r, a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		all, err := tx.ListReels(ctx, production)
		if err != nil {
			return err
		}
		if len(all) >= mostReels {
			return snag.Refuse("too_many", "%d reels: at most %d a production", len(all), mostReels)
		}
		for _, o := range all {
			if strings.EqualFold(o.Name, name) {
				return snag.Refuse("exists", "there is a reel named %s already", o.Name)
			}
		}
		fresh, err := freshReel(ctx, tx.Queries, production)
		if err != nil {
			return err
		}
		r = store.Reel{ID: store.NewID(), ProductionID: production, Name: name, Version: 1, Doc: fresh}
		what := "make reel " + name
		if n.Copy != nil {
			was, err := tx.Reel(ctx, *n.Copy)
			if err != nil {
				return err
			}
			if was.ProductionID != production {
				return ErrNotFound
			}
			r.Doc, r.SpecID = was.Doc, was.SpecID
			what = fmt.Sprintf("make reel %s of %s", name, was.Name)
			if n.To > n.From {
				if r.Doc, err = edit.CutDown(was.Doc, n.From, n.To, uuid.NewString); err != nil {
					return err
				}
			}
		}
		if n.Doc != nil {
			r.Doc, r.SpecID, r.Family = *n.Doc, n.SpecID, n.Family
		}
		if n.OTIO != nil {
			var ours bool
			if r.Doc, ours, err = cutlist.ReadReel(n.OTIO); err != nil {
				return err
			}
			if !ours {
				return snag.Refuse("not_a_reel", "the document was not written by this program: lay it as a cut list from picture")
			}
			if err := allThere(ctx, tx, production, r.Doc); err != nil {
				return err
			}
			what = "read reel " + name
		}
		if err := tx.InsertReel(ctx, r); err != nil {
			return err
		}
		snags, err := reelSnags(ctx, tx.Queries, r, r.Doc)
		if err != nil {
			return err
		}
		if err := tx.SetReelSnags(ctx, r.ID, snags); err != nil {
			return err
		}
		here, gone := reelName{r.ID, name, false}, reelName{r.ID, name, true}
		if err := tx.LogEdit(ctx, production, Session(ctx), []string{store.EditsReels}, what, []string{"reel " + r.ID.String() + " name"}, change{Naming: &here}, change{Naming: &gone}); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: production, Kind: "reel"}, Event{Production: production, Kind: "takes"})
	})
}

// NameReel renames a reel; with removed it takes it away, which can be undone. A production keeps one reel.
func (a *App) NameReel(ctx context.Context, id uuid.UUID, name string, removed bool) error {
	name = strings.TrimSpace(name)
	if err := naming.CheckLine("a reel", name); err != nil {
		return err
	}
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		production, err := tx.ProductionOfReel(ctx, id)
		if err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		was, err := tx.Reel(ctx, id)
		if err != nil {
			return err
		}
		if name == "" {
			name = was.Name
		}
		all, err := tx.ListReels(ctx, production)
		if err != nil {
			return err
		}
		if removed && len(all) == 1 {
			return snag.Refuse("last_reel", "%s is the only reel of the production: it stays", was.Name)
		}
		for _, o := range all {
			if o.ID != id && !removed && strings.EqualFold(o.Name, name) {
				return snag.Refuse("exists", "there is a reel named %s already", o.Name)
			}
		}
		if len(name) > maxReelName {
			return snag.Refuse("bad_name", "a reel needs a name of at most %d letters", maxReelName)
		}
		what := fmt.Sprintf("rename reel %s to %s", was.Name, name)
		if removed {
			what = "remove reel " + was.Name
		}
		if err := a.edit(ctx, tx, production, what, change{Naming: &reelName{id, name, removed}}); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: production, Kind: "reel"})
	})
}

// name carries a naming out and returns what takes it back. A reel comes back only with all that it plays.
func (n reelName) apply(ctx context.Context, tx store.Tx) (reelName, error) {
	was, err := tx.Reel(ctx, n.Reel)
	if err != nil {
		return reelName{}, err
	}
	if was.Removed && !n.Removed {
		ids := namedStrands(maps.Keys(was.Doc.Strands()))
		there, err := tx.Known(ctx, "strands", ids)
		if err != nil {
			return reelName{}, err
		}
		if len(there) < len(ids) {
			return reelName{}, snag.Refuse("gone", "reel %s can't be brought back: %d of the strands that it plays were removed since", was.Name, len(ids)-len(there))
		}
	}
	if was.Removed && !n.Removed {
		if err := picturesThere(ctx, tx, was.ProductionID, picturesOf(was.Doc)); err != nil {
			return reelName{}, err
		}
	}
	return reelName{n.Reel, was.Name, was.Removed}, tx.NameReel(ctx, n.Reel, n.Name, n.Removed)
}

// Bringing asks for what comes over from another reel of the production.
type Bringing struct {
	From uuid.UUID
	edit.Bringing
}

// PreviewBringing says what would come over from another reel, track by track.
func (a *App) PreviewBringing(ctx context.Context, id uuid.UUID, b Bringing) ([]edit.Brought, error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return nil, err
	}
	_, _, rows, err := bringing(ctx, a.Store.Queries, r, b)
	return rows, err
}

// BringOver brings tracks, clips, labels, levels and routes over from another reel: one edit.
func (a *App) BringOver(ctx context.Context, id uuid.UUID, b Bringing) (Edited, error) {
	return a.changeReel(ctx, id, latest, func(tx store.Tx, r store.Reel) (string, edit.Planned, error) {
		from, plan, _, err := bringing(ctx, tx.Queries, r, b)
		if err == nil && len(plan.Ops) == 0 {
			err = snag.Refuse("nothing_to_do", "all of that is here already")
		}
		return "bring over from " + from, plan, err
	})
}

// bringing works out what comes over, from the reel of which name.
func bringing(ctx context.Context, q store.Queries, r store.Reel, b Bringing) (name string, plan edit.Planned, rows []edit.Brought, err error) {
	from, err := q.Reel(ctx, b.From)
	if err != nil {
		return "", plan, nil, err
	}
	if from.ProductionID != r.ProductionID || from.Removed || from.ID == r.ID {
		return "", plan, nil, ErrNotFound
	}
	b.Bringing.From = from.Doc
	if err := b.Check(); err != nil {
		return "", plan, nil, err
	}
	plan, rows, err = edit.Bring(r.Doc, b.Bringing, editing(ctx, q, r))
	return from.Name, plan, rows, err
}

// Markers writes a reel's markers as a table.
func (a *App) Markers(ctx context.Context, id uuid.UUID) ([]byte, string, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, "", err
	}
	var b bytes.Buffer
	err = edit.WriteMarkers(&b, r.Doc.Markers, r.Doc.Counted(p.Rate()), int64(p.SampleRate))
	return b.Bytes(), r.Name, err
}

// ReadMarkers adds the markers of a table to a reel: one edit.
func (a *App) ReadMarkers(ctx context.Context, id uuid.UUID, table []byte) (Edited, error) {
	// The table is read before anybody has to wait for it.
	was, p, err := a.reelIn(ctx, id)
	if err != nil {
		return Edited{}, err
	}
	rate := was.Doc.Counted(p.Rate())
	read, err := edit.ReadMarkers(table, rate, int64(p.SampleRate), uuid.NewString)
	if err != nil {
		return Edited{}, err
	}
	return a.changeReel(ctx, id, latest, func(_ store.Tx, r store.Reel) (string, edit.Planned, error) {
		if r.Doc.Counted(p.Rate()) != rate {
			return "", edit.Planned{}, snag.Refuse("stale", "the reel's timecode counts otherwise by now: read the table again")
		}
		markers := slices.Clone(read)
		on := reel.Days(r.Doc, rate.DaySamples(p.SampleRate))
		for i := range markers {
			markers[i].At = on(markers[i].At)
		}
		plan, err := edit.Plan(r.Doc, []edit.Action{{SetMarkers: &reel.SetMarkers{Put: markers}}}, edit.Context{})
		return fmt.Sprintf("read %d markers", len(markers)), plan, err
	})
}

// allThere refuses a reel that plays strands that the production does not have.
func allThere(ctx context.Context, tx store.Tx, production uuid.UUID, doc reel.Reel) error {
	ids, err := strandsOf(doc)
	if err != nil {
		return err
	}
	there, err := tx.StrandsOfProduction(ctx, production, ids)
	if err != nil {
		return err
	}
	if len(there) < len(ids) {
		return snag.Refuse("no_such_strand", "%d of the %d strands that the reel plays are not in this production: take their files in first", len(ids)-len(there), len(ids))
	}
	return picturesThere(ctx, tx, production, picturesOf(doc))
}

// Interchange writes a reel as an OpenTimelineIO document.
func (a *App) Interchange(ctx context.Context, id uuid.UUID) ([]byte, string, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, "", err
	}
	media, err := a.mediaOf(ctx, r, p)
	if err != nil {
		return nil, "", err
	}
	var b bytes.Buffer
	err = cutlist.WriteOTIO(&b, p.Name+", "+r.Name, r.Doc, int64(p.SampleRate), media)
	return b.Bytes(), r.Name, err
}

// DecisionList writes a track of a reel as an edit decision list, and says what it is called.
func (a *App) DecisionList(ctx context.Context, id uuid.UUID, track string) ([]byte, string, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, "", err
	}
	p = p.As(r.Doc)
	i := slices.IndexFunc(r.Doc.Tracks, func(t reel.Track) bool { return t.ID == track })
	if i < 0 {
		return nil, "", ErrNotFound
	}
	media, err := a.mediaOf(ctx, r, p)
	if err != nil {
		return nil, "", err
	}
	l := cutlist.Of(r.Doc.Tracks[i], media)
	l.Title = p.Name + " " + r.Name + " " + r.Doc.Tracks[i].Label
	if len(l.Events) > cutlist.MaxEDLEvents {
		return nil, "", snag.Refuse("too_many", "an edit decision list numbers %d events at the most, and %s has %d: write the reel as OpenTimelineIO", cutlist.MaxEDLEvents, r.Doc.Tracks[i].Label, len(l.Events))
	}
	var b bytes.Buffer
	_, err = cutlist.WriteEDL(&b, l, "A", p.Rate(), int64(p.SampleRate))
	return b.Bytes(), l.Title, err
}

// mediaOf finds which recordings the strands of a reel are of, on the reel's clock.
func (a *App) mediaOf(ctx context.Context, r store.Reel, p store.Production) (func(strand string) (cutlist.Media, bool), error) {
	strands, err := a.Store.StrandsByID(ctx, namedStrands(maps.Keys(r.Doc.Strands())))
	if err != nil {
		return nil, err
	}
	var takes []uuid.UUID
	for _, s := range strands {
		takes = append(takes, s.TakeID)
	}
	rows, err := a.Store.TakesByID(ctx, takes)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID]store.Take{}
	for _, t := range rows {
		of[t.ID] = t
	}
	media := map[string]cutlist.Media{}
	for _, s := range strands {
		t := of[s.TakeID]
		k, err := clockOf(t, p)
		if err != nil {
			return nil, err
		}
		m := cutlist.Media{Name: s.FileName, Roll: t.Roll, Frames: k.Frames(s.Frames)}
		if t.StartSamples != nil {
			m.Start = k.Moment(*t.StartSamples)
		}
		media[s.ID.String()] = m
	}
	return func(s string) (cutlist.Media, bool) {
		m, ok := media[s]
		return m, ok
	}, nil
}

// reelIn finds a reel, and the production that it is of.
func (a *App) reelIn(ctx context.Context, id uuid.UUID) (store.Reel, store.Production, error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return r, store.Production{}, err
	}
	p, err := a.Store.Production(ctx, r.ProductionID)
	return r, p, err
}
