package treat

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
)

// Moves are figures of a chain over time, by what they are of: where one is drawn, it takes the place of the figure in the chain.
// "high_pass" and "low_pass" are frequencies in Hz, "band_1" to "band_6" gains in dB, and "de_esser", "expander" and "compressor"
// thresholds in dBFS. One of a part that is not asked for does nothing.
type Moves map[string]automation.Curve

// moving are the figures that can move, with their bounds.
var moving = func() map[string][2]float64 {
	out := map[string][2]float64{
		"high_pass": {MinHz, MaxHz}, "low_pass": {MinHz, MaxHz},
		"de_esser": {MinThreshold, MaxThreshold}, "expander": {MinThreshold, MaxThreshold}, "compressor": {MinThreshold, MaxThreshold},
	}
	for n := range Bands {
		out[bandKey(n)] = [2]float64{MinBandDB, MaxBandDB}
	}
	return out
}()

func bandKey(n int) string { return fmt.Sprintf("band_%d", n+1) }

// Check refuses figures that can't move, and values beyond their bounds.
func (m Moves) Check() error {
	for _, key := range slices.Sorted(maps.Keys(m)) {
		bounds, ok := moving[key]
		if !ok {
			return snag.Refuse("bad_treatment", "%q does not move over time: expected one of %v", key, slices.Sorted(maps.Keys(moving)))
		}
		if err := m[key].Check(bounds[0], bounds[1]); err != nil {
			return snag.Refuse("bad_treatment", "%s over time: %w", key, err)
		}
	}
	return nil
}

// Of are those that do something in a chain; nil for none.
func (m Moves) Of(c Chain) Moves {
	if c.Off {
		return nil
	}
	asked := map[string]bool{
		"high_pass": c.HighPass != Pass{}, "low_pass": c.LowPass != Pass{},
		"de_esser": c.DeEsser != DeEsser{}, "expander": c.Expander != Expander{}, "compressor": c.Compressor != Compressor{},
	}
	for n, b := range c.Bands {
		asked[bandKey(n)] = b != Band{}
	}
	var out Moves
	for key, curve := range m {
		if asked[key] && len(curve) > 0 {
			if out == nil {
				out = Moves{}
			}
			out[key] = curve
		}
	}
	return out
}

// Curves are the same with another curve for each; those that have no point left are not there.
func (m Moves) Curves(fn func(automation.Curve) automation.Curve) Moves {
	var out Moves
	for key, curve := range m {
		if now := fn(curve); len(now) > 0 {
			if out == nil {
				out = Moves{}
			}
			out[key] = now
		}
	}
	return out
}

// Clone is a copy, which is there for no moves, too: written as JSON, none are none, and not nothing said.
func (m Moves) Clone() Moves {
	out := Moves{}
	maps.Copy(out, m)
	return out
}

// Nothing reports whether a chain does nothing, now and over time.
func Nothing(c Chain, m Moves) bool { return c.Nothing() && m.Of(c) == nil }

// Equal reports whether two are the same.
func (m Moves) Equal(o Moves) bool {
	return maps.EqualFunc(m, o, func(a, b automation.Curve) bool { return slices.Equal(a, b) })
}

// Says is a chain and what of it moves in words: "high-pass 80 Hz 18 dB/oct; over time: band 2, compressor"; empty where nothing is
// done.
func Says(c Chain, m Moves) string {
	says := c.Says()
	m = m.Of(c)
	if m == nil {
		return says
	}
	names := slices.Sorted(maps.Keys(m))
	for i, n := range names {
		names[i] = strings.NewReplacer("high_", "high-", "low_", "low-", "de_", "de-", "_", " ").Replace(n)
	}
	return strings.TrimPrefix(says+"; over time: "+strings.Join(names, ", "), "; ")
}
