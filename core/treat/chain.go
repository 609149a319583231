package treat

import (
	"fmt"
	"strings"
)

// Bands is how many bands a chain has.
const Bands = 6

// Chain is what is done to a sound, in this order: high-pass, low-pass, bands, de-esser, expander, compressor. What is not
// asked for is not there; the zero value does nothing. Of several channels, filters are each channel's own, and dynamics go by
// all of them and turn all alike.
type Chain struct {
	Off        bool        `json:"off,omitempty"` // all of it, for now
	HighPass   Pass        `json:"high_pass,omitzero"`
	LowPass    Pass        `json:"low_pass,omitzero"`
	Bands      [Bands]Band `json:"bands,omitzero"`
	DeEsser    DeEsser     `json:"de_esser,omitzero"`
	Expander   Expander    `json:"expander,omitzero"`
	Compressor Compressor  `json:"compressor,omitzero"`
}

// Check refuses what can't be had.
func (c Chain) Check() error {
	checks := []error{c.HighPass.check("high-pass"), c.LowPass.check("low-pass"), c.DeEsser.check(), c.Expander.check(), c.Compressor.check()}
	for _, b := range c.Bands {
		checks = append(checks, b.check())
	}
	for _, err := range checks {
		if err != nil {
			return err
		}
	}
	return nil
}

// Nothing reports whether a chain does nothing.
func (c Chain) Nothing() bool {
	off := c.Off
	c.Off = false
	for i, b := range c.Bands {
		if b.DB == 0 {
			c.Bands[i] = Band{}
		}
	}
	return off || c == Chain{}
}

// Dynamic reports whether what it does depends on the level.
func (c Chain) Dynamic() bool {
	return !c.Off && (c.DeEsser != DeEsser{} || c.Expander != Expander{} || c.Compressor != Compressor{})
}

// filters are its filters at a sample rate, and beside each of them what moves in its place; nil where nothing does.
func (c Chain) filters(m Moves, rate int) (out []section, glides []*glide) {
	if c.Off {
		return nil, nil
	}
	still := func(s ...section) {
		out = append(out, s...)
		glides = append(glides, make([]*glide, len(s))...)
	}
	glide := func(list ...*glide) {
		for _, g := range list {
			out, glides = append(out, g.rows[0]), append(glides, g)
		}
	}
	for _, p := range []struct {
		pass Pass
		high bool
		key  string
	}{{c.HighPass, true, "high_pass"}, {c.LowPass, false, "low_pass"}} {
		if curve := m[p.key]; len(curve) > 0 && p.pass != (Pass{}) {
			glide(p.pass.glides(curve, p.high, rate)...)
		} else {
			still(p.pass.sections(p.high, rate)...)
		}
	}
	for n, b := range c.Bands {
		if curve := m[bandKey(n)]; len(curve) > 0 && b != (Band{}) {
			if g := b.glide(curve, rate); g != nil {
				glide(g)
			}
		} else if s, ok := b.section(rate); ok {
			still(s)
		}
	}
	if len(m) == 0 {
		glides = nil
	}
	return out, glides
}

// Says is a chain in words: "high-pass 80 Hz 18 dB/oct, bell 3 kHz -4 dB Q 1.4, compressor 3:1 from -24 dBFS"; empty where it
// does nothing.
func (c Chain) Says() string {
	if c.Nothing() {
		return ""
	}
	var parts []string
	say := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	hz := func(v float64) string {
		if v >= 1000 {
			return fmt.Sprintf("%.4g kHz", v/1000)
		}
		return fmt.Sprintf("%.4g Hz", v)
	}
	if c.HighPass != (Pass{}) {
		say("high-pass %s %d dB/oct", hz(c.HighPass.Hz), c.HighPass.Slope)
	}
	if c.LowPass != (Pass{}) {
		say("low-pass %s %d dB/oct", hz(c.LowPass.Hz), c.LowPass.Slope)
	}
	for _, b := range c.Bands {
		if b.DB != 0 {
			say("%s %s %+.1f dB Q %.2g", strings.ReplaceAll(string(b.Kind), "_", " "), hz(b.Hz), b.DB, b.Q)
		}
	}
	if d := c.DeEsser; d != (DeEsser{}) {
		say("de-esser from %s above %.0f dBFS", hz(d.Hz), d.Threshold)
	}
	if e := c.Expander; e != (Expander{}) {
		say("expander 1:%.3g below %.0f dBFS", e.Ratio, e.Threshold)
	}
	if k := c.Compressor; k != (Compressor{}) {
		say("compressor %.3g:1 from %.0f dBFS", k.Ratio, k.Threshold)
	}
	return strings.Join(parts, ", ")
}
