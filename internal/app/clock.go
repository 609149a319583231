package app

import (
	"fmt"

	"zestyloom/core/resample"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// clockOf is how a take's counting goes over to its production's.
func clockOf(t store.Take, p store.Production) (resample.Clock, error) {
	k, err := newClock(t.SampleRate, p.SampleRate, t.DriftSet)
	if err != nil {
		return k, fmt.Errorf("%s: %w", t.Name, err)
	}
	return k, nil
}

func newClock(from, to int, drift float64) (resample.Clock, error) {
	k, err := resample.NewClock(from, to, drift)
	if err != nil {
		return k, snag.Refuse("rate_differs", "%w", err)
	}
	return k, nil
}
