// Package union has structs that hold one of several things: a pointer field for each, of which exactly one is set. Their fields are
// all that says what there is; as JSON each is an object with one member, which names it.
package union

import "reflect"

// Of is what a union holds, as a T that all of its fields are; false where nothing is set, or several fields are.
func Of[T any](union any) (one T, ok bool) {
	v := reflect.ValueOf(union)
	found := 0
	for i := range v.NumField() {
		if f := v.Field(i); f.Kind() == reflect.Pointer && !f.IsNil() {
			one, ok = f.Interface().(T)
			found++
		}
	}
	return one, ok && found == 1
}

// Put has a union, which is given as a pointer to it, hold something that one of its fields is of; false where none is.
func Put(union, one any) bool {
	to, v := reflect.ValueOf(union).Elem(), reflect.ValueOf(one)
	for i := range to.NumField() {
		if f := to.Field(i); f.Type() == v.Type() {
			to.SetZero()
			f.Set(v)
			return true
		}
	}
	return false
}

// Lacking are the names of the fields of a union that are no T: there should be none.
func Lacking[T any](union any) (names []string) {
	t, want := reflect.TypeOf(union), reflect.TypeFor[T]()
	for i := range t.NumField() {
		if f := t.Field(i); !f.Type.Implements(want) {
			names = append(names, f.Name)
		}
	}
	return names
}
