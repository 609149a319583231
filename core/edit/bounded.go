package edit

import (
	"math"
	"reflect"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// line refuses a label or name that is more than a line.
func line(v reflect.Value) error {
	if v.Kind() == reflect.Pointer && !v.IsNil() {
		v = v.Elem()
	}
	if v.Kind() != reflect.String {
		return nil
	}
	return naming.CheckLine("what has a label or a name", v.String())
}

// bounded refuses an action with a whole number that no position, length or count can be, whose sums would run over where they
// are worked with, and with what is no number.
func bounded(v reflect.Value) error {
	switch v.Kind() {
	case reflect.Int, reflect.Int64, reflect.Int32:
		if n := v.Int(); n > timecode.MostSamples || n < -timecode.MostSamples {
			return snag.Refuse("beyond_range", "%d is beyond every position: at most %d samples", n, int64(timecode.MostSamples))
		}
	case reflect.Float64:
		if f := v.Float(); math.IsNaN(f) || math.IsInf(f, 0) {
			return snag.Refuse("beyond_range", "a value is no number")
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return bounded(v.Elem())
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Field(i)
			if name := v.Type().Field(i).Name; name == "Label" || name == "Name" {
				if err := line(f); err != nil {
					return err
				}
			}
			if err := bounded(f); err != nil {
				return err
			}
		}
	case reflect.Slice, reflect.Array:
		if k := v.Type().Elem().Kind(); k == reflect.String || k == reflect.Uint8 {
			return nil
		}
		for i := range v.Len() {
			if err := bounded(v.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Map:
		for each := v.MapRange(); each.Next(); {
			if err := bounded(each.Value()); err != nil {
				return err
			}
		}
	}
	return nil
}
