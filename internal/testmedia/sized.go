package testmedia

import (
	"maps"
	"slices"
	"testing"
)

// Sized is how many cases of a kind a test looks at: few where every step of work waits for it (go test -short, which is make test), all
// of them otherwise (make test-long).
func Sized(few, all int) int {
	if testing.Short() {
		return few
	}
	return all
}

// Some are the cases that a test looks at: those at the given places where every step of work waits for it, all otherwise.
func Some[T any](all []T, at ...int) []T {
	if !testing.Short() {
		return all
	}
	var few []T
	for _, i := range at {
		few = append(few, all[i])
	}
	return few
}

// SomeOf are every so manieth of the cases of a table, by their names, where every step of work waits for a test; all otherwise.
func SomeOf[T any](all map[string]T, every int) map[string]T {
	if !testing.Short() {
		return all
	}
	few := map[string]T{}
	for i, name := range slices.Sorted(maps.Keys(all)) {
		if i%every == 0 {
			few[name] = all[name]
		}
	}
	return few
}
