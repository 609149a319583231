package reel

import (
	"reflect"
	"slices"
)

// Brought are the strands of clips that operations put into a reel and that it does not play yet, each once.
func Brought(r Reel, ops []Op) (out []string) {
	of := map[string]bool{}
	clipsIn(reflect.ValueOf(ops), func(c Clip) {
		for _, s := range c.Strands {
			of[s] = true
		}
	})
	if len(of) == 0 {
		return nil
	}
	for _, t := range r.Tracks {
		for _, c := range t.Clips {
			for _, s := range c.Strands {
				delete(of, s)
			}
		}
	}
	for s := range of {
		out = append(out, s)
	}
	slices.Sort(out)
	return out
}

// clipsIn calls fn with every clip that a value holds, whatever kind of operation has it.
func clipsIn(v reflect.Value, fn func(Clip)) {
	if v.Type() == reflect.TypeFor[Clip]() {
		fn(v.Interface().(Clip))
		return
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			clipsIn(v.Elem(), fn)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				clipsIn(v.Field(i), fn)
			}
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			clipsIn(v.Index(i), fn)
		}
	case reflect.Map:
		for each := v.MapRange(); each.Next(); {
			clipsIn(each.Value(), fn)
		}
	}
}
