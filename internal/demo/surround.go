package demo

import (
	"context"
	"fmt"

	"github.com/google/uuid"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// weaveSurround makes a reel of the first in 5.1 and stereo on eight channels: the boom in the centre, a lav to its side,
// the ferry that passes from the left rear to the right front. Its music is louder than the limits that many ask for.
func weaveSurround(ctx context.Context, a *app.App, p store.Production, first uuid.UUID) error {
	r, err := a.CreateReel(ctx, p.ID, app.NewReel{Name: "Reel 1 in 5.1", Copy: &first})
	if err != nil {
		return err
	}
	spec, err := a.Store.SpecNamed(ctx, "5.1 and stereo on eight channels")
	if err == nil {
		err = a.ChooseSpec(ctx, r.ID, spec.ID)
	}
	if err != nil {
		return fmt.Errorf("choosing the demonstration's specification: %w", err)
	}
	var template weave.Template
	for _, t := range weave.Shipped() {
		if t.Name == "5.1 and stereo on eight channels" {
			template = t
		}
	}
	e, err := a.EditReel(ctx, r.ID, r.Version, "weave by "+template.Name, []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{Use: &weave.Use{Template: template}}}}})
	if err != nil {
		return fmt.Errorf("weaving the demonstration in 5.1: %w", err)
	}
	start, end := e.Doc.Span()
	places := map[string][]weave.Place{
		"Boom":             {{Position: spatial.Position{Divided: 0.3}}},
		"Lav Ines":         {{Position: spatial.Position{Azimuth: 18, Spread: 20}}},
		"Plant wheelhouse": {{Position: spatial.Position{Azimuth: -70, Inward: 0.3, Spread: 60}}},
		"Ferry": {
			{Position: spatial.Position{Azimuth: 130, LFEOn: true, LFE: -14}, Moving: &weave.Path{Azimuth: automation.Curve{{At: start, Value: 150}, {At: end, Value: -20, Shape: automation.Smooth}}}},
			{Position: spatial.Position{Azimuth: 100, LFEOn: true, LFE: -14}, Moving: &weave.Path{Azimuth: automation.Curve{{At: start, Value: 110}, {At: end, Value: -60, Shape: automation.Smooth}}}},
		},
	}
	var actions []edit.Action
	for _, t := range e.Doc.Tracks {
		at, ok := places[t.Label]
		sends := e.Doc.Weave.Sends[t.ID]
		if !ok || len(sends) == 0 || len(at) != t.Channels().Count {
			continue
		}
		s := sends[0]
		s.Patch = weave.Patch{Preset: weave.Placed, Places: at}
		actions = append(actions, edit.Action{SetSends: &reel.SetSends{From: t.ID, Sends: []weave.Send{s}}})
	}
	if _, err := a.EditReel(ctx, r.ID, e.Version, "put them among the speakers", actions); err != nil {
		return fmt.Errorf("weaving the demonstration in 5.1: %w", err)
	}
	return nil
}
