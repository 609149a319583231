package safely_test

import (
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/safely"
)

func TestAPanicIsAnError(t *testing.T) {
	assert.NoError(t, safely.Do(func() error { return nil }))
	assert.ErrorIs(t, safely.Do(func() error { return io.EOF }), io.EOF)
	var p *safely.Panic
	err := safely.Do(func() error {
		var x []int
		return errors.New(string(rune(x[3])))
	})
	if assert.ErrorAs(t, err, &p) {
		assert.Contains(t, p.Error(), "index out of range")
		assert.Contains(t, string(p.Stack), "safely_test.go", "where it happened")
	}
}

func TestAPanicOfTheOtherHalfIsTheCallers(t *testing.T) {
	done := false
	safely.Both(func() {}, func() { done = true })
	assert.True(t, done)
	for name, halves := range map[string][2]func(){
		"second": {func() {}, func() { panic("here") }},
		"first":  {func() { panic("here") }, func() {}},
		"both":   {func() { panic("here") }, func() { panic("here") }},
	} {
		var p *safely.Panic
		if assert.ErrorAs(t, safely.Do(func() error { safely.Both(halves[0], halves[1]); return nil }), &p, name) {
			assert.Contains(t, p.Error(), "here", name)
			assert.Contains(t, string(p.Stack), "safely_test.go", name)
		}
	}
}
