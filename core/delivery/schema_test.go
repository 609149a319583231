package delivery_test

import (
	"bytes"
	"encoding/json"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/delivery"
)

// The published schema lets every spec pass that comes with the program, and refuses what the program refuses for its form.
func TestTheSchemaSaysWhatTheProgramDoes(t *testing.T) {
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(delivery.Schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("spec.schema.json", doc))
	schema, err := c.Compile("spec.schema.json")
	require.NoError(t, err)
	valid := func(text string) error {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		require.NoError(t, err)
		return schema.Validate(v)
	}
	var one string
	for _, s := range delivery.Shipped() {
		b, err := json.Marshal(s)
		require.NoError(t, err)
		assert.NoError(t, valid(string(b)), s.Name)
		if s.Name == "Two languages" {
			one = string(b)
		}
	}
	for _, change := range [][2]string{
		{`"format":2`, `"format":3`}, {`"version":1`, `"version":0`}, {`"sample_rate":48000`, `"sample_rate":10`}, {`"container":"wav"`, `"container":"tape"`},
		{`"each":"stem"`, `"each":"moon"`}, {`"length":"reel"`, `"length":"long"`}, {`"what":"silence"`, `"what":"noise"`}, {`"letters":"plain"`, `"letters":"runes"`},
		{`"papers":["pdf"`, `"papers":["fax"`}, {`"name":"Two languages"`, `"name":""`}, {`"dither":false`, `"dither":false,"colour":"red"`},
	} {
		require.Contains(t, one, change[0])
		text := strings.Replace(one, change[0], change[1], 1)
		assert.Error(t, valid(text), change[1])
		_, err := delivery.ParseSpec([]byte(text))
		assert.Error(t, err, change[1])
	}
}

// What can be written is in the schema, in what is said of a container that can't, and in nothing else but the table.
func TestEveryContainerIsKnown(t *testing.T) {
	var schema struct {
		Defs map[string]struct {
			Properties struct{ Container struct{ Enum []string } }
		} `json:"$defs"`
	}
	require.NoError(t, json.Unmarshal(delivery.Schema, &schema))
	var listed []string
	for _, d := range schema.Defs {
		listed = append(listed, d.Properties.Container.Enum...)
	}
	assert.ElementsMatch(t, slices.Collect(maps.Keys(delivery.Containers)), listed)
	_, err := delivery.ParseSpec([]byte(`{"format":2,"name":"x","version":1,"sample_rate":48000,"coding":"s24","packings":[{"id":"a","says":"a","files":[{"container":"tape","name":"{reel}"}]}],"names":{},"metadata":{},"papers":[],"programme":{"length":"reel"}}`))
	require.Error(t, err)
	for name, c := range delivery.Containers {
		assert.Contains(t, err.Error(), name)
		assert.NotEmpty(t, c.Codings, name)
		assert.NotEmpty(t, c.Names, name)
		assert.Equal(t, byte('.'), c.Extension[0], name)
	}
}

// Bytes that are no spec are refused in words, and what is one and passes makes a plan or says why not.
func FuzzParseSpec(f *testing.F) {
	for _, s := range delivery.Shipped() {
		b, err := json.Marshal(s)
		require.NoError(f, err)
		f.Add(b)
	}
	f.Add([]byte(`{"name":"Old","outputs":["A"],"sample_rate":48000,"coding":"s24","packings":["poly"],"pattern":"{production}"}`))
	fix := newFixture(f, 0.1)
	fix.surround()
	f.Fuzz(func(t *testing.T, b []byte) {
		s, err := delivery.ParseSpec(b)
		if err != nil {
			return
		}
		again, err := json.Marshal(s)
		require.NoError(t, err)
		back, err := delivery.ParseSpec(again)
		require.NoError(t, err, "what was read is read again")
		require.Equal(t, s.Name, back.Name)
		plan, err := delivery.Make(delivery.Order{Spec: s}, fix.reel, pal, 48000)
		if err != nil {
			return
		}
		for _, file := range plan.Files {
			require.False(t, filepath.IsAbs(file.Name) || strings.HasPrefix(filepath.Clean(file.Name), ".."), "a name stays in its folder: %s", file.Name)
			require.LessOrEqual(t, len(filepath.Base(file.Name)), 255)
		}
		require.GreaterOrEqual(t, plan.Frames, plan.Lead+plan.Tail)
	})
}
