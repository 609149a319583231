package take

import (
	"path/filepath"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/source"
)

// NameOf names a take by its scene and take, else by a file.
func NameOf(scene, take, file string) string {
	switch {
	case scene != "" && take != "":
		return scene + "-" + take
	case scene != "":
		return scene
	}
	return strings.TrimSuffix(file, filepath.Ext(file))
}

// Name is the name that a set of mono files has in common, or that of its only file.
func (g Group) Name() string {
	if len(g.Members) > 1 {
		return SetStem(g.Names()...)
	}
	return g.Members[0].Name
}

// StemGiven is the stem that the strands of a group are given by the names of its files; empty where they say none, or a mix of
// several.
func (g Group) StemGiven() string {
	if g.Stem == "Full mix" || g.Stem == "M&E" {
		return ""
	}
	return g.Stem
}

// Readings are those that the names of a set's files stand for.
func (g Group) Readings() []Reading {
	r := Reading{Order: []audio.Speaker{}, From: FromSet, Why: "the names of its files say so"}
	for i := range g.Members {
		r.Positions = append(r.Positions, i+1)
	}
	switch {
	case g.Layout != "":
		r.Kind = Surround
		for _, m := range g.Members {
			r.Order = append(r.Order, source.ParseName(m.Name).Speaker)
		}
		switch g.Layout {
		case "stereo", "stereo total", "stereo only":
			r.Kind = Stereo
		case "mid-side":
			r.Kind = MidSide
		}
	case g.Field != "":
		r.Kind, r.Norm = Ambisonic, g.Field
	default:
		return nil
	}
	return []Reading{r}
}

// ContainerReadings are the readings that a file itself stands for: by its streams, where it has such, else by the groups of
// channels that it says there are.
func ContainerReadings(streams []StreamGroup, groups []source.GroupFact) []Reading {
	if len(streams) > 0 {
		return GroupReadings(streams)
	}
	return FactReadings(groups)
}
