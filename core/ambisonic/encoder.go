package ambisonic

import (
	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/spatial"
)

// Encoder puts sounds at places in a sound field.
type Encoder struct{ layout audio.Layout }

// NewEncoder makes the one of an ambisonic layout.
func NewEncoder(l audio.Layout) (*Encoder, error) {
	if l.Kind != audio.Ambisonic {
		return nil, snag.Refuse("bad_patch", "nothing can be encoded into %s: it is no sound field", l.Name)
	}
	return &Encoder{l}, nil
}

// Into gives the factors of the channels for a place: at its direction, spread by its spread or, as much, by how near the middle
// it is. A sound field has no centre speaker and no LFE.
func (e *Encoder) Into(g []float64, at spatial.Position) {
	copy(g, Encode(e.layout, at.Azimuth, at.Elevation, max(at.Spread, 360*at.Inward)))
}

// EncodeBed is the matrix that encodes the channels of a bed where their speakers stand, each spread by an angle. An LFE is left
// out: a sound field has none.
func EncodeBed(from, to audio.Layout, spread float64) (audio.Matrix, error) {
	if from.Kind != audio.Bed || to.Kind != audio.Ambisonic {
		return nil, snag.Refuse("bad_patch", "%s can't be encoded into %s: speakers are encoded into a sound field", from.Name, to.Name)
	}
	m := audio.NewMatrix(to.Count, from.Count)
	for c := range from.Count {
		d, ok := from.Direction(c)
		if !ok {
			if !from.IsLFE(c) {
				return nil, snag.Refuse("bad_patch", "%s can't be encoded into %s: %s stands in no direction", from.Name, to.Name, from.Speakers[c])
			}
			continue
		}
		for i, f := range Encode(to, d.Azimuth, d.Elevation, spread) {
			m[i][c] = f
		}
	}
	return m, nil
}
