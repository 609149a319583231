package readiness_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/readiness"
	"zestyloom/core/snag"
)

func TestTakes(t *testing.T) {
	grouping := []snag.Snag{{Code: "member_missing"}, {Code: "member_length"}, {Code: "other"}}
	heard := readiness.Strand{Peak: 0.5}
	for i, c := range []struct {
		take readiness.Take
		want []string
	}{
		{readiness.Take{Certain: true}, nil},
		{readiness.Take{Why: "of their names"}, []string{"proposed"}},
		{readiness.Take{Accepted: true}, nil},
		{readiness.Take{Grouping: grouping}, []string{"member_missing", "member_length", "other"}},
		{readiness.Take{Grouping: grouping, LengthRemedy: "pad"}, []string{"member_missing", "other"}},
		{readiness.Take{Grouping: grouping, MissingRemedy: "wait"}, []string{"member_missing", "member_length", "other"}},
		{readiness.Take{Grouping: grouping, Accepted: true}, []string{"member_missing", "member_length"}},
		{readiness.Take{Grouping: grouping, Accepted: true, MissingRemedy: "without", LengthRemedy: "shortest"}, nil},
		{readiness.Take{Certain: true, Strands: []readiness.Strand{heard, {Label: "Boom", Peak: 0.5}}}, []string{"no_label"}},
		{readiness.Take{Certain: true, Strands: []readiness.Strand{{Peak: 1e-5}, {Peak: 0.5, Off: true}}}, nil},
		{readiness.Take{Strands: []readiness.Strand{heard, heard}}, []string{"proposed", "no_label"}},
	} {
		var got []string
		for _, s := range c.take.Snags() {
			got = append(got, s.Code)
		}
		assert.Equal(t, c.want, got, "%d", i)
	}
	assert.Equal(t, "a strand that sounds has no label: hear it and type one", readiness.Take{Certain: true, Strands: []readiness.Strand{heard}}.Snags()[0].Message)
	assert.Equal(t, "2 strands that sound have no label: hear them and type one", readiness.Take{Certain: true, Strands: []readiness.Strand{heard, heard}}.Snags()[0].Message)
}

func TestCount(t *testing.T) {
	f := func(code, stage string, onPurpose bool) readiness.Finding {
		return readiness.Finding{Snag: snag.Snag{Code: code}, Stage: stage, OnPurpose: onPurpose}
	}
	assert.Equal(t, map[string]int{"reel": 1, "weave": 2}, readiness.Count([]readiness.Finding{
		f("unplaced", "reel", false), f("no_stem", "weave", false), f("width", "weave", false), f("track_off", "reel", true), f("empty_reel", "reel", false), f("output_silent", "weave", false),
	}))
}
