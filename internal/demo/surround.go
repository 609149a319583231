package demo

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/automation"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/take"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/store"
)

// weaveSurround makes a reel of the first in 5.1 and stereo on eight channels: the boom in the centre, a lav to its side,
// the ferry that passes from the left rear to the right front. It breaks the limits that many ask for in three ways: its
// music is loud for half a minute, a hatch falls shut, and a glass is struck whose peak lies between the samples.
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
	if err := layLightsOut(ctx, a, p, r.ID); err != nil {
		return err
	}
	var template weave.Template
	for _, t := range weave.Shipped() {
		if t.Name == "5.1 and stereo on eight channels" {
			template = t
		}
	}
	e, err := a.EditReel(ctx, r.ID, -1, "weave by "+template.Name, []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{Use: &weave.Use{Template: template}}}}})
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
	music, _ := e.Doc.Weave.StemNamed("MX")
	for _, t := range e.Doc.Tracks {
		if t.Layout == "5.1" {
			actions = append(actions, edit.Action{SetSends: &reel.SetSends{From: t.ID, Sends: []weave.Send{{To: music.ID}}}})
			continue
		}
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

// lightsOutAt is where the second music lies in the reel in 5.1: between two scenes.
const lightsOutAt = "22:10:52:00"

// layLightsOut lays the music in 5.1 where nobody speaks.
func layLightsOut(ctx context.Context, a *app.App, p store.Production, id uuid.UUID) error {
	takes, err := a.Store.ProductionTakes(ctx, p.ID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(takes, func(t store.Take) bool { return t.Scene == "1M2" })
	if i < 0 {
		return errors.New("the demonstration has no music 1M2")
	}
	hints, err := a.Store.Suggestions(ctx, []uuid.UUID{takes[i].ID})
	if err != nil {
		return err
	}
	for _, h := range hints { // that it is one sound in 5.1
		if r := h.Body.Read; h.State == "open" && r != nil && r.Kind == take.Surround {
			if _, err := a.DecideSuggestions(ctx, p.ID, []uuid.UUID{h.ID}, true, false); err != nil {
				return err
			}
		}
	}
	e, err := a.LayTakes(ctx, id, []uuid.UUID{takes[i].ID}, false)
	if err != nil {
		return fmt.Errorf("laying the demonstration's music in 5.1: %w", err)
	}
	for _, t := range e.Doc.Tracks {
		for _, c := range t.Clips {
			if c.At < at("22:11:50:00") {
				continue
			}
			if _, err := a.EditReel(ctx, id, -1, "lay 1M2 between the scenes", []edit.Action{{Move: &edit.Move{Clips: []string{c.ID}, By: at(lightsOutAt) - c.At}}}); err != nil {
				return fmt.Errorf("moving the demonstration's music: %w", err)
			}
		}
	}
	return nil
}
