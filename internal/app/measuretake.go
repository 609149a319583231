package app

import (
	"context"
	"time"

	"github.com/google/uuid"

	"zestyloom/core/readings"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// MeasureTake measures a take by itself, as it would be laid: what is read as stereo, surround or ambisonic as one, and
// every other strand alone. As with a reel it is called again until it is complete.
func (a *App) MeasureTake(ctx context.Context, id uuid.UUID) (m Measurement, err error) {
	t, err := a.Store.Take(ctx, id)
	if err != nil {
		return m, err
	}
	if m.Production, err = a.Store.Production(ctx, t.ProductionID); err != nil {
		return m, err
	}
	strands, err := a.Store.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return m, err
	}
	l, err := layOf(t, strands, nil, m.Production, weave.Weave{})
	if err != nil {
		return m, err
	}
	doc, err := byItself(l)
	if err != nil {
		return m, err
	}
	m.Reel = store.Reel{ProductionID: t.ProductionID, Name: t.Name, Doc: doc}
	m.Measurement, err = readings.Measure(ctx, doc, m.Production.SampleRate, a.sources(ctx), a.measured.all(), time.Now().Add(measuredAtOnce))
	return m, err
}

// byItself is a reel of nothing but what is laid, every track a bus of its own.
func byItself(l reel.Lay) (reel.Reel, error) {
	doc := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	ops, err := reel.LayTake(doc, l)
	if err != nil {
		return doc, err
	}
	if doc, _, err = reel.Apply(doc, ops); err != nil {
		return doc, err
	}
	if len(doc.Tracks) > weave.MaxBuses {
		return doc, snag.Refuse("too_many", "%d strands can't be measured at once: up to %d can", len(doc.Tracks), weave.MaxBuses)
	}
	seen := map[string]bool{}
	for i, t := range doc.Tracks {
		doc.Tracks[i].Off = false
		name := t.Label
		for seen[name] || name == "" {
			name += " " + l.Name // labels may be the same; a bus has a name of its own
		}
		seen[name] = true
		b := weave.Bus{ID: "of " + t.ID, Name: name, Role: weave.Stem, Layout: t.Layout}
		doc.Weave.Buses = append(doc.Weave.Buses, b)
		doc.Weave.Sends[t.ID] = []weave.Send{{To: b.ID}}
	}
	return doc, nil
}
