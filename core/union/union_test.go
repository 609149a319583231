package union_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/union"
)

type (
	cut   struct{ At int }
	trim  struct{ By int }
	other struct{}
	does  interface{ do() int }
	act   struct {
		Cut  *cut
		Trim *trim
	}
)

func (c *cut) do() int  { return c.At }
func (t *trim) do() int { return t.By }

func TestOneIsHeld(t *testing.T) {
	one, ok := union.Of[does](act{Trim: &trim{3}})
	assert.True(t, ok)
	assert.Equal(t, 3, one.do())
	_, ok = union.Of[does](act{})
	assert.False(t, ok, "nothing")
	_, ok = union.Of[does](act{Cut: &cut{}, Trim: &trim{}})
	assert.False(t, ok, "several")
	_, ok = union.Of[interface{ undo() }](act{Cut: &cut{}})
	assert.False(t, ok, "no such thing")

	a := act{Cut: &cut{1}}
	assert.True(t, union.Put(&a, &trim{5}))
	assert.Equal(t, act{Trim: &trim{5}}, a)
	assert.False(t, union.Put(&a, &other{}))
	assert.Empty(t, union.Lacking[does](act{}))
	assert.Equal(t, []string{"Other"}, union.Lacking[does](struct {
		Cut   *cut
		Other *other
	}{}))
}
