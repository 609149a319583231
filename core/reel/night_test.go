package reel_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/reel"
)

func TestNight(t *testing.T) {
	const hour, day = 3600, 24 * 3600
	m := func(at int64, date string) reel.Moment { return reel.Moment{At: at, Day: date} }
	for name, c := range map[string]struct {
		ms    []reel.Moment
		later []int64
		asked bool
	}{
		"of one afternoon":                {[]reel.Moment{m(14*hour, ""), m(15*hour, "")}, []int64{0, 0}, false},
		"over midnight, without dates":    {[]reel.Moment{m(day-2, ""), m(3, "")}, []int64{0, day}, true},
		"over midnight, in any order":     {[]reel.Moment{m(3, "2026-03-15"), m(day-2, "2026-03-14"), m(hour, "2026-03-15")}, []int64{day, 0, day}, false},
		"a long day":                      {[]reel.Moment{m(hour, "2026-03-14"), m(22*hour, "2026-03-14")}, []int64{0, 0}, false},
		"two days at the same hour":       {[]reel.Moment{m(10*hour, "2026-03-14"), m(10*hour, "2026-03-15")}, []int64{0, 0}, false},
		"an evening after its morning":    {[]reel.Moment{m(23*hour, "2026-03-15"), m(hour, "2026-03-15")}, []int64{0, 0}, false},
		"the morning was of a day before": {[]reel.Moment{m(23*hour, "2026-03-15"), m(hour, "2026-03-14")}, []int64{0, 0}, false},
		"one without a start":             {[]reel.Moment{m(-1, ""), m(3, ""), m(day-2, "")}, []int64{0, day, 0}, true},
		"half a day apart":                {[]reel.Moment{m(0, ""), m(day/2, "")}, []int64{0, 0}, false},
		"nothing":                         {nil, []int64{}, false},
	} {
		later, asked := reel.Night(c.ms, day)
		assert.Equal(t, c.later, later, name)
		assert.Equal(t, c.asked, asked, name)
	}
}
