package delivery_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// Names of before line breaks were refused are written as one line, and are read back as what was planned.
func TestNamesOfSeveralLines(t *testing.T) {
	f := newFixture(t, 0.1)
	f.route("0/0", "DX", 0, weave.Both)
	f.reel.Weave.Outputs[0].Name = "DX\nL"
	f.reel.Weave.Outputs[1].Name = "DX\r\nzR2=FX"
	o := delivery.Order{Spec: delivery.ThreeStereoStems(), Packing: "poly", Titles: delivery.Titles{Production: "Lantern\nFerry", Reel: "Reel\u20281"}, Date: "2026-03-14", Time: "10:00:00"}
	plan, err := delivery.Make(o, f.reel, timecode.Rate{Num: 25, Den: 1}, 48000)
	require.NoError(t, err)
	assert.Equal(t, `DX\nL`, plan.Files[0].Channels[0].Name)
	_, proof := f.proven(t, plan, "")
	assert.True(t, proof.Passed, "%v", proof.Failures())

	plan.Files[0].Channels[0].Name = "DX\nL"
	_, proof = f.proven(t, plan, "")
	assert.False(t, proof.Passed, "a plan that has them as they are can't be proven")
}
