package app

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/align"
	"zestyloom/core/delivery"
	"zestyloom/core/poly"
	"zestyloom/core/reel"
	"zestyloom/core/survey"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// What is written to the database as JSON says under which names: those of Go may change.
func TestStoredFieldsAreNamed(t *testing.T) {
	seen := map[reflect.Type]bool{}
	var walk func(typ reflect.Type)
	walk = func(typ reflect.Type) {
		switch typ.Kind() {
		case reflect.Pointer, reflect.Slice, reflect.Array:
			walk(typ.Elem())
			return
		case reflect.Map:
			walk(typ.Elem())
			return
		case reflect.Struct:
		default:
			return
		}
		if seen[typ] || !strings.HasPrefix(typ.PkgPath(), "zestyloom/") {
			return
		}
		seen[typ] = true
		for i := range typ.NumField() {
			f := typ.Field(i)
			if !f.IsExported() {
				continue
			}
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			assert.True(t, name != "" || f.Anonymous, "%s.%s has no name in JSON", typ, f.Name)
			assert.Equal(t, strings.ToLower(name), name, "%s.%s", typ, f.Name)
			if name != "-" {
				walk(f.Type)
			}
		}
	}
	for _, v := range []any{
		store.Analysis{}, store.Sync{}.Body, align.Alignment{}, take.Reading{}, survey.Relation{}, store.Suggestion{}.Body,
		reel.Reel{}, reel.Op{}, delivery.Plan{}, delivery.Proof{}, delivery.Spec{}, change{}, Writing{}, []poly.FileProof{},
	} {
		walk(reflect.TypeOf(v))
	}
	assert.Greater(t, len(seen), 40)
	var names []string
	for typ := range seen {
		names = append(names, typ.String())
	}
	slices.Sort(names)
	t.Log(names)
}
