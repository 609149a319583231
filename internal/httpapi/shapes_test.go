package httpapi_test

import (
	"encoding"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/api"
	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/delivery"
	"zestyloom/core/edit"
	"zestyloom/core/loudness"
	"zestyloom/core/order"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// coreTypes are those that schemas of the contract stand for.
var coreTypes = func() map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for _, t := range []reflect.Type{
		reflect.TypeFor[audio.NamedOrder](), reflect.TypeFor[audio.OwnLayout](), reflect.TypeFor[audio.Placed](), reflect.TypeFor[audio.Direction](), reflect.TypeFor[automation.Point](), reflect.TypeFor[automation.Curve](),
		reflect.TypeFor[reel.Fade](), reflect.TypeFor[reel.Range](), reflect.TypeFor[reel.Clip](), reflect.TypeFor[reel.Track](), reflect.TypeFor[reel.Marker](),
		reflect.TypeFor[reel.Picture](), reflect.TypeFor[reel.Reel](), reflect.TypeFor[reel.Laying](), reflect.TypeFor[reel.Laid](), reflect.TypeFor[reel.Changes](),
		reflect.TypeFor[reel.Routing](), reflect.TypeFor[reel.SetStart](), reflect.TypeFor[reel.SetRate](), reflect.TypeFor[reel.SetLength](),
		reflect.TypeFor[weave.Patch](), reflect.TypeFor[weave.Place](), reflect.TypeFor[weave.Send](), reflect.TypeFor[weave.Bus](), reflect.TypeFor[weave.Member](),
		reflect.TypeFor[weave.Template](), reflect.TypeFor[weave.Correction](), reflect.TypeFor[weave.Step](), reflect.TypeFor[weave.Output](),
		reflect.TypeFor[weave.Group](), reflect.TypeFor[weave.Weave](), reflect.TypeFor[weave.Level](), reflect.TypeFor[treat.Moves](), reflect.TypeFor[treat.Chain](),
		reflect.TypeFor[edit.Action](), reflect.TypeFor[edit.Reweave](), reflect.TypeFor[timecode.Rate](), reflect.TypeFor[loudness.Limits](), reflect.TypeFor[loudness.Verdict](),
		reflect.TypeFor[delivery.Spec](), reflect.TypeFor[delivery.Packing](), reflect.TypeFor[delivery.FileRule](), reflect.TypeFor[delivery.Group](),
		reflect.TypeFor[delivery.Programme](), reflect.TypeFor[delivery.Segment](), reflect.TypeFor[delivery.Asked](), reflect.TypeFor[delivery.FileGroup](),
		reflect.TypeFor[delivery.Tone](), reflect.TypeFor[delivery.Check](), reflect.TypeFor[delivery.ChannelProof](), reflect.TypeFor[delivery.FileProof](),
		reflect.TypeFor[spatial.Position](), reflect.TypeFor[delivery.Measure](), reflect.TypeFor[delivery.Sum](), reflect.TypeFor[delivery.Proof](), reflect.TypeFor[delivery.Used](), reflect.TypeFor[delivery.Origin](),
		reflect.TypeFor[order.State](), reflect.TypeFor[[]order.Move](),
	} {
		out[t.String()] = t
	}
	return out
}()

// within are fields that no client ever gives or is told.
var within = map[string]bool{
	"edit.Action.printed": true, // by the order of a print alone
}

// shape is what a type of Go writes as JSON, a field each.
type shape struct {
	kind  reflect.Type
	least bool // it may be left away
}

// fields are those of a struct as encoding/json has them.
func fields(t reflect.Type) map[string]shape {
	out := map[string]shape{}
	for i := range t.NumField() {
		f := t.Field(i)
		tag := f.Tag.Get("json")
		name, options, _ := strings.Cut(tag, ",")
		switch {
		case tag == "-" || !f.IsExported() && !f.Anonymous:
			continue
		case f.Anonymous && name == "":
			embedded := f.Type
			if embedded.Kind() == reflect.Pointer {
				embedded = embedded.Elem()
			}
			for k, v := range fields(embedded) {
				if _, there := out[k]; !there {
					out[k] = v
				}
			}
			continue
		case name == "":
			name = f.Name
		}
		out[name] = shape{f.Type, strings.Contains(options, "omitempty") || strings.Contains(options, "omitzero")}
	}
	return out
}

// properties are those of a schema, of all that it is made of.
func properties(s *openapi3.Schema) (out map[string]*openapi3.SchemaRef, required []string) {
	out = map[string]*openapi3.SchemaRef{}
	for k, v := range s.Properties {
		out[k] = v
	}
	required = append(required, s.Required...)
	for _, part := range s.AllOf {
		more, needs := properties(part.Value)
		for k, v := range more {
			out[k] = v
		}
		required = append(required, needs...)
	}
	return out, required
}

// ofItsOwn reports whether a type says itself how it is written: its schema is then not its fields.
func ofItsOwn(t reflect.Type) bool {
	p := reflect.PointerTo(t)
	return p.Implements(reflect.TypeFor[json.Marshaler]()) || p.Implements(reflect.TypeFor[encoding.TextMarshaler]())
}

func (w *walk) same(where string, ref *openapi3.SchemaRef, t reflect.Type) {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	s := ref.Value
	if len(s.AllOf) == 1 && len(s.Properties) == 0 { // a reference with a description
		w.same(where, s.AllOf[0], t)
		return
	}
	if name, is := s.Extensions["x-go-type"].(string); is && where != name {
		if want, known := coreTypes[name]; known && want != t {
			w.off("%s: a %s in the contract, a %s in Go", where, name, t)
		}
		return
	}
	if ref.Ref != "" && strings.Count(where, ".") > 1 && t.Kind() == reflect.Struct && w.seen[ref.Ref+t.String()] {
		return
	}
	w.seen[ref.Ref+t.String()] = true
	if ofItsOwn(t) {
		return
	}
	is := func(kinds ...string) {
		if s.Type != nil && !slices.ContainsFunc(kinds, s.Type.Is) {
			w.off("%s: %v in the contract, a %s in Go", where, s.Type.Slice(), t)
		}
	}
	switch t.Kind() {
	case reflect.Bool:
		is("boolean")
	case reflect.String:
		is("string")
	case reflect.Float64, reflect.Float32:
		is("number")
	case reflect.Int, reflect.Int64, reflect.Int32, reflect.Int16, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Uint:
		is("integer", "number")
	case reflect.Slice, reflect.Array:
		is("array")
		if s.Items != nil {
			w.same(where+"[]", s.Items, t.Elem())
		}
	case reflect.Map:
		is("object")
		if s.AdditionalProperties.Schema != nil {
			w.same(where+"{}", s.AdditionalProperties.Schema, t.Elem())
		}
	case reflect.Struct:
		is("object")
		has, required := properties(s)
		of := fields(t)
		for name, f := range of {
			p, there := has[name]
			if within[where+"."+name] {
				continue
			}
			if !there {
				w.off("%s.%s: in %s, not in the contract: it is dropped, or not told", where, name, t)
				continue
			}
			delete(has, name)
			if slices.Contains(required, name) && f.least {
				w.off("%s.%s: required in the contract, left away in Go where it is nothing", where, name)
			}
			w.same(where+"."+name, p, f.kind)
		}
		for name := range has {
			w.off("%s.%s: in the contract, not in %s: it is taken and dropped", where, name, t)
		}
	}
}

type walk struct {
	t     *testing.T
	seen  map[string]bool
	found int
}

func (w *walk) off(format string, args ...any) {
	w.found++
	assert.Fail(w.t, fmt.Sprintf(format, args...))
}

// What the contract says of core's types is what these are: no field of either is missing in the other, at any depth.
func TestSchemasAreTheTypesThatTheyStandFor(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	walked := 0
	for _, ref := range doc.Components.Schemas {
		name, is := ref.Value.Extensions["x-go-type"].(string)
		if !is {
			continue
		}
		typ, known := coreTypes[name]
		if !assert.True(t, known, "%s is a type of core that this test does not know: add it", name) {
			continue
		}
		w := &walk{t: t, seen: map[string]bool{}}
		w.same(name, ref, typ)
		walked++
	}
	assert.Greater(t, walked, 40)
}

// The contract tells of every state and kind of orders that there is, and of every step that a person can take.
func TestTheContractHasTheTableOfOrders(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	require.NoError(t, err)
	schemas := doc.Components.Schemas
	var states, kinds, steps []any
	for _, s := range order.States {
		states = append(states, string(s))
		for _, m := range s.Steps() {
			if !slices.Contains(steps, any(string(m))) {
				steps = append(steps, string(m))
			}
		}
	}
	for k := range order.Kinds {
		kinds = append(kinds, string(k))
	}
	assert.ElementsMatch(t, states, schemas["OrderState"].Value.Enum)
	assert.ElementsMatch(t, kinds, schemas["Order"].Value.Properties["kind"].Value.Enum)
	assert.ElementsMatch(t, steps, schemas["OrderSteps"].Value.Items.Value.Enum)
	assert.ElementsMatch(t, steps, doc.Paths.Find("/api/orders/{order}/{step}").Parameters.GetByInAndName("path", "step").Schema.Value.Enum)
}
