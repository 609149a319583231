package edit_test

import (
	"math"
	"math/rand/v2"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/internal/testmedia"
)

// enemy fills whatever it is given with what nobody means well with: the ends of all ranges, names that are there and that are
// not, now and then something that fits.
type enemy struct {
	*rand.Rand
	names []string
}

func (e *enemy) fill(v reflect.Value, depth int) {
	switch v.Kind() {
	case reflect.Int, reflect.Int64, reflect.Int32:
		edges := []int64{0, 1, -1, 2, 3, 100, 10_000, 14_321, math.MaxInt64, math.MinInt64, math.MaxInt64 - 1, 1 << 62, -1 << 62, 1 << 31, -1 << 31, timecode.MostSamples, -timecode.MostSamples, timecode.MostSamples + 1, 1 << 50}
		n := edges[e.IntN(len(edges))]
		if e.IntN(3) > 0 {
			n = e.Int64N(40_000) - 1000
		}
		if e.IntN(4) == 0 {
			n = e.Int64N(6)
		}
		if v.OverflowInt(n) {
			n = 0
		}
		v.SetInt(n)
	case reflect.Float64:
		edges := []float64{0, 1, -1, -3, 6, 1e308, -1e308, math.NaN(), math.Inf(1), math.Inf(-1), math.SmallestNonzeroFloat64, 48000, 360}
		v.SetFloat(edges[e.IntN(len(edges))])
	case reflect.String:
		v.SetString(e.names[e.IntN(len(e.names))])
	case reflect.Bool:
		v.SetBool(e.IntN(2) == 0)
	case reflect.Pointer:
		if depth < 7 && e.IntN(3) > 0 {
			v.Set(reflect.New(v.Type().Elem()))
			e.fill(v.Elem(), depth+1)
		}
	case reflect.Slice:
		if depth < 7 {
			v.Set(reflect.MakeSlice(v.Type(), e.IntN(4), 4))
			for i := range v.Len() {
				e.fill(v.Index(i), depth+1)
			}
		}
	case reflect.Array:
		for i := range v.Len() {
			e.fill(v.Index(i), depth+1)
		}
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		for range e.IntN(3) {
			key, of := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
			e.fill(key, depth+1)
			e.fill(of, depth+1)
			v.SetMapIndex(key, of)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Field(i).CanSet() && e.IntN(6) > 0 {
				e.fill(v.Field(i), depth+1)
			}
		}
	}
}

// one fills a single field of a struct of pointers, of which one says what is to be done.
func (e *enemy) one(v reflect.Value) {
	f := v.Field(e.IntN(v.NumField()))
	if f.Kind() != reflect.Pointer {
		e.fill(f, 0)
		return
	}
	f.Set(reflect.New(f.Type().Elem()))
	if change := f.Elem().FieldByName("Change"); change.IsValid() && change.Kind() == reflect.Struct {
		e.one(change)
		return
	}
	e.fill(f.Elem(), 1)
}

// Whatever numbers and names an action has, over the whole range of each: it is refused, or can be done and undone, and what it
// makes of the reel is one. Nothing panics, and nothing stays that can't be undone.
func TestNoActionBreaksAReel(t *testing.T) {
	e := &enemy{Rand: rand.New(rand.NewPCG(30, 7))}
	first := scene(t)
	r := first
	done := map[string]int{}
	for range testmedia.Sized(15_000, 60_000) {
		e.names = []string{"", "none", "DX", "FX", "MX", "mono", "stereo", "5.1", "ambisonic 1", "discrete 3", "head", "tail", "left", "both", "in", "out", "Ines", "line\nbreak", "linear", "power", "all", "some"}
		for _, tr := range r.Tracks {
			e.names = append(e.names, tr.ID)
			for i, c := range tr.Clips {
				if i < 6 {
					e.names = append(e.names, c.ID, c.Strands[0])
				}
			}
		}
		for _, b := range r.Weave.Buses {
			e.names = append(e.names, b.ID)
		}
		var a edit.Action
		e.one(reflect.ValueOf(&a).Elem())
		now, err := try(t, r, a)
		if err != nil {
			require.NotEqual(t, "unreadable", snag.Of(err).Code, "%v", err)
			continue
		}
		v := reflect.ValueOf(a)
		for i := range v.NumField() {
			if !v.Field(i).IsNil() {
				done[v.Type().Field(i).Name]++
			}
		}
		if r = now; e.IntN(40) == 0 || len(r.Tracks) > 30 {
			r = first
		}
	}
	assert.Greater(t, len(done), 20, "%v", done)
	var none reel.Reel
	require.NotEqual(t, none, r)
}
