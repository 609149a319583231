package weave_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/automation"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// mixed is a weave with a full mix, an M&E, and a mix of a mix.
func mixed(t *testing.T) weave.Weave {
	w := start(t)
	for _, b := range []weave.AddBus{
		{Bus: weave.Bus{ID: "full", Name: "Full mix", Role: weave.Mix, Layout: "stereo"}, Members: []weave.Member{{Bus: "DX"}, {Bus: "MX"}}},
		{Bus: weave.Bus{ID: "me", Name: "M&E", Role: weave.Mix, Layout: "stereo"}, Members: []weave.Member{{Bus: "MX"}, {Bus: "FX"}}},
		{Bus: weave.Bus{ID: "all", Name: "All", Role: weave.Mix, Layout: "stereo"}, Members: []weave.Member{{Bus: "full"}}},
	} {
		w, _ = change(t, w, weave.Change{AddBus: &b})
	}
	return w
}

// A correction of a mix goes to its stems, adds to what they have, says what else changes, and can be taken off.
func TestCorrections(t *testing.T) {
	w := mixed(t)
	w.Levels = map[string]weave.Level{"MX": {GainDB: -1}}
	slow := automation.Curve{{At: 0, Value: -2}, {At: 10, Value: 0}}
	peaks := automation.Curve{{At: 5, Value: -3}}
	c := weave.Correction{Bus: "all", Buses: w.StemsOf("all"), GainDB: -3, Gain: slow, Peaks: peaks, FreeLFE: true, Print: "1"}
	assert.Equal(t, []string{"DX", "MX"}, c.Buses)
	assert.Equal(t, []string{"Full mix", "M&E"}, w.AlsoCorrected(c))
	assert.Equal(t, []string{"FX"}, w.StemsOf("FX"))
	now, _ := change(t, w, weave.Change{SetCorrection: &weave.SetCorrection{Correction: c}})
	assert.Equal(t, weave.BusGain{DB: -4, Curves: []automation.Curve{slow}, Peaks: []automation.Curve{peaks}}, now.Gain("MX"))
	assert.Equal(t, weave.BusGain{DB: -3, Curves: []automation.Curve{slow}, Peaks: []automation.Curve{peaks}}, now.Gain("DX"))
	assert.True(t, now.Gain("FX").Plain())
	assert.Equal(t, map[string]bool{"DX": true, "MX": true, "full": true, "me": true, "all": true}, now.Corrects())
	assert.Equal(t, w.Gain("MX"), now.Uncorrected().Gain("MX"))
	assert.Equal(t, now.Gain("MX"), now.Uncorrected("full").Gain("MX"), "another bus's")
	assert.Empty(t, w.Corrections, "what was changed is another weave")

	// A second one of the same bus takes the place of the first.
	set, _ := now.Correction("all")
	require.NotEmpty(t, set.ID)
	c.ID, c.GainDB, c.Peaks, c.FreeLFE = set.ID, -1, peaks, false
	now, _ = change(t, now, weave.Change{SetCorrection: &weave.SetCorrection{Correction: c}})
	require.Len(t, now.Corrections, 1)
	assert.Equal(t, weave.BusGain{DB: -2, Curves: []automation.Curve{slow, peaks}}, now.Gain("MX"))

	off, drawn := true, automation.Curve{{At: 0, Value: -1}}
	now, _ = change(t, now, weave.Change{AlterCorrection: &weave.AlterCorrection{ID: c.ID, Gain: &drawn}})
	assert.True(t, now.Corrections[0].ByHand)
	assert.Equal(t, []automation.Curve{drawn, peaks}, now.Gain("DX").Curves)
	now, _ = change(t, now, weave.Change{AlterCorrection: &weave.AlterCorrection{ID: c.ID, Off: &off}})
	assert.Equal(t, w.Gain("MX"), now.Gain("MX"))
	assert.Empty(t, now.Corrects())
	without, _ := change(t, now, weave.Change{RemoveCorrection: &weave.RemoveCorrection{ID: c.ID}})
	assert.Empty(t, without.Corrections)

	// Without one of the stems the others keep it; without the bus it is gone, and that is said.
	left, _ := change(t, now, weave.Change{RemoveBus: &weave.RemoveBus{ID: "DX"}})
	assert.Equal(t, []string{"MX"}, left.Corrections[0].Buses)
	gone, lost := change(t, now, weave.Change{RemoveBus: &weave.RemoveBus{ID: "all"}})
	assert.Empty(t, gone.Corrections)
	assert.Contains(t, lost, "the correction of All")
	// A template is not of this reel's sound; used, it keeps the corrections of buses that stay, and names the others.
	tpl := now.TemplateOf("x", "", tracksOf(t))
	assert.Empty(t, tpl.Weave.Corrections)
	used, lost := change(t, now, weave.Change{Use: &weave.Use{Template: tpl}})
	assert.Equal(t, now.Corrections, used.Corrections)
	assert.NotContains(t, lost, "the correction of All")
	used, lost = change(t, now, weave.Change{Use: &weave.Use{Template: weave.Shipped()[0]}})
	assert.Empty(t, used.Corrections)
	assert.Contains(t, lost, "the correction of All")
	assert.Empty(t, now.WithoutGains("DX", "MX").Corrections)
	assert.Equal(t, []string{"DX"}, now.WithoutGains("MX").Corrections[0].Buses)
	assert.Len(t, now.Corrections[0].Buses, 2)
}

func TestCorrectionsRefused(t *testing.T) {
	w, all := mixed(t), tracksOf(t)
	good := weave.Correction{ID: "1", Bus: "full", Buses: []string{"DX"}}
	for code, bad := range map[string]func(c *weave.Correction){
		"no_such_stem":   func(c *weave.Correction) { c.Bus = "gone" },
		"bad_correction": func(c *weave.Correction) { c.Buses = nil },
		"bad_gain":       func(c *weave.Correction) { c.GainDB = 41 },
		"bad_limits":     func(c *weave.Correction) { v := 3.0; c.Target.TruePeak = &v },
	} {
		c := good
		bad(&c)
		_, _, err := w.Changed(weave.Change{SetCorrection: &weave.SetCorrection{Correction: c}}, all, counter())
		assert.Equal(t, code, snag.Of(err).Code)
	}
	for _, c := range []weave.Change{
		{AlterCorrection: &weave.AlterCorrection{ID: "none"}}, {RemoveCorrection: &weave.RemoveCorrection{ID: "none"}},
		{SetCorrection: &weave.SetCorrection{Correction: weave.Correction{Bus: "full", Buses: []string{"DX", "DX"}}}},
		{SetCorrection: &weave.SetCorrection{Correction: weave.Correction{Bus: "full", Buses: []string{"DX"}, Gain: automation.Curve{{Value: 30}}}}},
	} {
		_, _, err := w.Changed(c, all, counter())
		assert.Error(t, err)
	}
}
