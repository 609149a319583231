package source

import (
	"fmt"
	"slices"

	"zestyloom/core/adm"
	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
	"zestyloom/core/wave"
)

// Scene is what the file says of its sound by the audio definition model (chunks axml and chna); nil where it says nothing by it.
func (i *Info) Scene() (*adm.Scene, error) {
	chunk := func(id string) ([]byte, bool) {
		k := slices.IndexFunc(i.Extra, func(c wave.RawChunk) bool { return c.ID == id })
		if k < 0 {
			return nil, false
		}
		return i.Extra[k].Data, true
	}
	axml, text := chunk("axml")
	chna, table := chunk("chna")
	if !text || !table {
		return nil, nil
	}
	s, err := adm.Parse(axml, chna, i.Format.Channels, i.Format.SampleRate)
	return &s, err
}

// GroupFact is a run of channels that a file says belong together.
type GroupFact struct {
	Name     string `json:"name"`
	Layout   string `json:"layout"`   // see audio.ParseLayout
	Channels []int  `json:"channels"` // in this file, from 1, in the order of the layout
	// Placed is where it stands and how loud, in words, for an object that is placed by itself; At and GainDB the same in figures, at its
	// beginning.
	Placed string            `json:"placed,omitempty"`
	At     *spatial.Position `json:"at,omitempty"`
	GainDB float64           `json:"gain_db,omitempty"`
}

// fromScene takes labels and groups from a description by the audio definition model, for channels that nothing else names.
func (f *Facts) fromScene(i *Info) {
	s, err := i.Scene()
	if err != nil {
		f.Snags = append(f.Snags, snag.New("adm_unreadable", "what the file says of its sound by the audio definition model is not understood, and not used: %v", err))
		return
	}
	if s == nil {
		return
	}
	f.Snags = append(f.Snags, s.Snags...)
	for _, e := range s.Elements {
		g := GroupFact{Name: cleanLabel(e.Name), Layout: e.Layout.Name}
		for k, t := range e.Tracks {
			g.Channels = append(g.Channels, t+1)
			if t >= len(f.Tracks) || k >= e.Layout.Count {
				continue
			}
			to := &f.Tracks[t]
			if to.Label != "" {
				continue
			}
			to.Label, to.LabelSource = g.Name, "adm"
			if e.Layout.Kind != audio.Discrete && e.Layout.Count > 1 {
				to.Label = cleanLabel(g.Name + " " + e.Layout.Channel(k))
			}
		}
		if o := e.Object; o != nil {
			g.Placed = placedSays(*o, e.GainDB)
			g.At = &spatial.Position{Azimuth: o.Azimuth, Elevation: o.Elevation, Inward: 1 - max(0, min(1, o.Distance))}
			g.GainDB = o.GainDB + e.GainDB
		}
		f.Groups = append(f.Groups, g)
	}
}

// placedSays is where an object stands, in words.
func placedSays(o adm.Object, gainDB float64) string {
	side := "ahead"
	switch {
	case o.Azimuth > 0:
		side = fmt.Sprintf("%.0f° left", o.Azimuth)
	case o.Azimuth < 0:
		side = fmt.Sprintf("%.0f° right", -o.Azimuth)
	}
	if o.Elevation != 0 {
		side += fmt.Sprintf(", %+.0f° up", o.Elevation)
	}
	if gain := o.GainDB + gainDB; gain != 0 {
		side += fmt.Sprintf(", %+.1f dB", gain)
	}
	if o.Moves {
		side += ", moving from there"
	}
	return side
}
