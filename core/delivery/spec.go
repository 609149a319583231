// Package delivery has what a recipient demands (specs), what will be written to meet it (plans),
// what stands in the way (pre-flight), and the proof that what was written is what was ordered.
package delivery

import (
	"zestyloom/core/audio"
	"zestyloom/core/naming"
	"zestyloom/core/snag"
)

// Packing is how outputs become files.
type Packing string

// Packings.
const (
	Poly Packing = "poly" // one interleaved file
	Mono Packing = "mono" // one file an output
)

// Spec is a delivery specification.
type Spec struct {
	Name        string    `json:"name"`
	Description string    `json:"description"`
	Outputs     []string  `json:"outputs"` // names, in the order the recipient asks for
	Pairs       [][2]int  `json:"pairs"`   // outputs from 1 that form a stereo pair; others stand alone
	SampleRate  int       `json:"sample_rate"`
	Coding      string    `json:"coding"`
	Dither      bool      `json:"dither"` // TPDF where a sample is off the grid of the coding
	Packings    []Packing `json:"packings"`
	Pattern     string    `json:"pattern"` // for file names; see Fields
}

// Fields are those a name pattern for a delivery may have. {number} and {output} are empty for a
// file that holds all outputs.
var Fields = []string{"production", "episode", "reel", "spec", "number", "output"}

// ThreeStereoStems is the first spec: dialogue, music and effects as stereo stems on six channels.
func ThreeStereoStems() Spec {
	return Spec{
		Name:        "Stem master, three stereo stems",
		Description: "Dialogue, music and effects as stereo pairs on outputs 1 to 6, 24-bit 48 kHz WAV, in one file of six channels or as six mono files.",
		Outputs:     []string{"DX L", "DX R", "MX L", "MX R", "FX L", "FX R"},
		Pairs:       [][2]int{{1, 2}, {3, 4}, {5, 6}},
		SampleRate:  48000,
		Coding:      audio.S24.String(),
		Packings:    []Packing{Poly, Mono},
		Pattern:     "{production}_{episode}_{reel}_STEMS_{number}_{output}",
	}
}

// Check refuses a spec that can't be delivered to.
func (s Spec) Check() error {
	if _, err := audio.ParseCoding(s.Coding); err != nil {
		return snag.Refuse("bad_spec", "spec %s: %w", s.Name, err)
	}
	if len(s.Outputs) == 0 || s.SampleRate < 8000 || len(s.Packings) == 0 {
		return snag.Refuse("bad_spec", "spec %s: it needs outputs, a sample rate and a packing", s.Name)
	}
	if err := naming.Check(s.Pattern, Fields); err != nil {
		return snag.Refuse("bad_pattern", "%w", err)
	}
	return nil
}
