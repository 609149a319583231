package loudness

import (
	"encoding/json"
	"fmt"
	"math"

	"zestyloom/core/snag"
)

// Limits are what a specification asks of a sound's levels: what is not given is not asked.
type Limits struct {
	Name string `json:"name"`
	// Integrated is the loudness that is asked for, in LUFS, and Tolerance by how many LU it may be missed.
	Integrated *float64 `json:"integrated_lufs,omitempty"`
	Tolerance  float64  `json:"tolerance_lu,omitempty"`
	// The most that is allowed.
	TruePeak  *float64 `json:"max_true_peak_dbtp,omitempty"`
	Momentary *float64 `json:"max_momentary_lufs,omitempty"`
	ShortTerm *float64 `json:"max_short_term_lufs,omitempty"`
	// Window is how long short-term is, in seconds; 0 for the 3 s of the standard.
	Window float64  `json:"short_term_window_s,omitempty"`
	Range  *float64 `json:"max_range_lu,omitempty"`
	// Quasi is the most that a programme meter of type IIa may read, in dBFS of the steady tone that reads the same.
	Quasi *float64 `json:"max_ppm_dbfs,omitempty"`
}

func given(v float64) *float64 { return &v }

// Known are the limits that many ask for, by the names that they are known by.
func Known() map[string]Limits {
	return map[string]Limits{
		"r128":       {Name: "EBU R 128", Integrated: given(-23), Tolerance: 0.5, TruePeak: given(-1)},
		"r128-short": {Name: "EBU R 128, short form", Integrated: given(-23), Tolerance: 0.5, TruePeak: given(-1), ShortTerm: given(-18)},
		"a85":        {Name: "ATSC A/85", Integrated: given(-24), Tolerance: 2, TruePeak: given(-2)},
	}
}

// Check refuses limits that can't be.
func (l Limits) Check() error {
	for what, v := range map[string]*float64{"integrated loudness": l.Integrated, "true peak": l.TruePeak, "momentary loudness": l.Momentary, "short-term loudness": l.ShortTerm, "programme meter reading": l.Quasi} {
		if v != nil && !(*v >= -70 && *v <= 20) {
			return snag.Refuse("bad_limits", "limits %s: a %s of %g: -70 to 20 can be asked for", l.Name, what, *v)
		}
	}
	if !(l.Tolerance >= 0 && l.Tolerance <= 20) || l.Range != nil && !(*l.Range >= 0 && *l.Range <= 70) {
		return snag.Refuse("bad_limits", "limits %s: a tolerance is 0 to 20 LU, a loudness range 0 to 70 LU", l.Name)
	}
	if l.Window != 0 && !(l.Window >= 0.4 && l.Window <= 60 && l.Window*PowersPerSecond == math.Trunc(l.Window*PowersPerSecond)) {
		return snag.Refuse("bad_limits", "limits %s: a window of %g s: 0.4 to 60 s in tenths can be asked for", l.Name, l.Window)
	}
	return nil
}

// ParseLimits reads limits from JSON: of their own, or those of a specification that has them under "limits", of which the
// first are taken.
func ParseLimits(b []byte) (Limits, error) {
	var v struct {
		Limits
		Own firstLimits `json:"limits"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return Limits{}, snag.Refuse("bad_limits", "these are no limits: JSON with members such as integrated_lufs and max_true_peak_dbtp is expected: %w", err)
	}
	l := v.Limits
	if v.Own.Limits != nil {
		if l = *v.Own.Limits; l.Name == "" {
			l.Name = v.Name
		}
	}
	if l.Integrated == nil && l.TruePeak == nil && l.Momentary == nil && l.ShortTerm == nil && l.Range == nil && l.Quasi == nil {
		return l, snag.Refuse("bad_limits", "nothing is asked for in it: give one of integrated_lufs, max_true_peak_dbtp, max_momentary_lufs, max_short_term_lufs, max_range_lu and max_ppm_dbfs")
	}
	return l, l.Check()
}

// firstLimits are limits, or the first of a list of them.
type firstLimits struct{ *Limits }

// UnmarshalJSON reads either.
func (f *firstLimits) UnmarshalJSON(b []byte) error {
	var list []Limits
	if json.Unmarshal(b, &list) == nil {
		if len(list) > 0 {
			f.Limits = &list[0]
		}
		return nil
	}
	return json.Unmarshal(b, &f.Limits)
}

// ShortTermPowers is how many powers the window of short-term has.
func (l Limits) ShortTermPowers() int {
	if l.Window == 0 {
		return ShortTermPowers
	}
	return int(math.Round(l.Window * PowersPerSecond))
}

// Verdict is one thing that is asked, and what was found of it.
type Verdict struct {
	What   string   `json:"what"`   // such as "integrated loudness"
	Asked  string   `json:"asked"`  // such as "-23.0 LUFS ± 0.5 LU"
	Unit   string   `json:"unit"`   // of Found
	Found  *float64 `json:"found"`  // nil where there is nothing to say
	Margin *float64 `json:"margin"` // by how much it is kept; negative where it is not
	Pass   bool     `json:"pass"`
	Words  string   `json:"words"` // the verdict
	At     *int64   `json:"at"`    // the frame where the most was found
}

// Judge compares a sound with limits. powers are those of the result. A silent sound passes what is a limit, and misses
// a loudness that is asked for.
func (l Limits) Judge(r Result, powers Powers) []Verdict {
	var out []Verdict
	most := func(what, unit string, limit *float64, found float64, at *int64) {
		if limit == nil {
			return
		}
		v := Verdict{What: what, Asked: fmt.Sprintf("at most %.1f %s", *limit, unit), Unit: unit, Pass: true, Words: "nothing to measure"}
		if !math.IsInf(found, -1) {
			margin := *limit - found
			v.Found, v.Margin, v.Pass, v.At = &found, &margin, margin >= 0, at
			if v.Words = "kept"; !v.Pass {
				v.Words = fmt.Sprintf("%.2f %s too high", -margin, unitOfDifference(unit))
			}
		}
		out = append(out, v)
	}
	if l.Integrated != nil {
		v := Verdict{What: "integrated loudness", Asked: fmt.Sprintf("%.1f LUFS ± %.1f LU", *l.Integrated, l.Tolerance), Unit: "LUFS", Words: "nothing to measure"}
		if !math.IsInf(r.Integrated, -1) {
			off := r.Integrated - *l.Integrated
			margin := l.Tolerance - math.Abs(off)
			v.Found, v.Margin, v.Pass = &r.Integrated, &margin, margin >= -1e-9
			switch {
			case v.Pass:
				v.Words = "kept"
			case off > 0:
				v.Words = fmt.Sprintf("%.2f LU too loud", -margin)
			default:
				v.Words = fmt.Sprintf("%.2f LU too quiet", -margin)
			}
		}
		out = append(out, v)
	}
	most("true peak", "dBTP", l.TruePeak, r.TruePeak.Value, &r.TruePeak.At)
	most("momentary loudness", "LUFS", l.Momentary, r.MaxMomentary.Value, &r.MaxMomentary.At)
	if l.ShortTerm != nil {
		short, end := powers.Max(l.ShortTermPowers())
		at := min(r.Frames, edge(int64(end), r.Rate))
		what := "short-term loudness"
		if n := l.ShortTermPowers(); n != ShortTermPowers {
			what = fmt.Sprintf("short-term loudness over %g s", l.Window)
		}
		most(what, "LUFS", l.ShortTerm, short, &at)
	}
	lra := math.Inf(-1)
	if r.RangeKnown {
		lra = r.Range
	}
	most("loudness range", "LU", l.Range, lra, nil)
	most("programme meter", "dBFS", l.Quasi, r.Quasi(), nil)
	return out
}

func unitOfDifference(unit string) string {
	if unit == "LUFS" || unit == "LU" {
		return "LU"
	}
	return "dB"
}
