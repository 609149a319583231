package weave

import (
	"fmt"
	"strings"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
)

// field is the matrix of Field: a sound field mirrored, turned, and converted into another norm and order.
func (p Patch) field(from, to audio.Layout) (audio.Matrix, error) {
	m, _, err := ambisonic.Convert(from, to)
	if err != nil {
		return nil, err
	}
	if err := p.Turning.check(); err != nil {
		return nil, err
	}
	if p.Turn != nil && *p.Turn != (ambisonic.Turn{}) {
		if err := p.Turn.Check(); err != nil {
			return nil, err
		}
		turned, err := ambisonic.Rotate(from, *p.Turn)
		if err != nil {
			return nil, err
		}
		m = m.Times(turned)
	}
	if p.Mirror != "" {
		mirrored, err := ambisonic.Mirrored(from, p.Mirror)
		if err != nil {
			return nil, err
		}
		m = m.Times(mirrored)
	}
	return m, nil
}

// decoded is the matrix of Decoded.
func (p Patch) decoded(from, to audio.Layout) (ambisonic.Decoder, error) {
	way := p.Decoding
	if way == "" {
		way = ambisonic.AllRound
	}
	return ambisonic.Decode(from, to, way, way != ambisonic.ModeMatching)
}

// encoded is the matrix of Encoded.
func (p Patch) encoded(from, to audio.Layout) (audio.Matrix, error) {
	spread := 0.0
	if p.Spread != nil {
		if spread = *p.Spread; !(spread >= 0 && spread <= 360) {
			return nil, misfit(from, to, fmt.Sprintf("a spread of %g°: 0 to 360 can be", spread))
		}
	}
	return ambisonic.EncodeBed(from, to, spread)
}

// fieldSays is Field in words.
func (p Patch) fieldSays(from, to audio.Layout) string {
	var parts []string
	if p.Mirror != "" {
		parts = append(parts, "mirrored "+string(p.Mirror))
	}
	if t := p.Turn; t != nil {
		for _, v := range []struct {
			what string
			by   float64
		}{{"turned", t.Yaw}, {"tilted", t.Pitch}, {"rolled", t.Roll}} {
			if v.by != 0 && !p.Turning.moves() {
				parts = append(parts, fmt.Sprintf("%s by %g°", v.what, v.by))
			}
		}
	}
	if p.Turning.moves() {
		parts = append(parts, "turned over time")
	}
	_, lost, err := ambisonic.Convert(from, to)
	if err == nil && from.Name != to.Name {
		parts = append(parts, "converted to "+to.Name)
	}
	if lost != "" {
		parts = append(parts, lost)
	}
	if len(parts) == 0 {
		return "as it is"
	}
	return strings.Join(parts, ", ")
}
