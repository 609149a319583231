package reel_test

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/reel"
)

// other fills a value with something else than it holds.
func other(t *testing.T, v reflect.Value) {
	t.Helper()
	switch v.Kind() {
	case reflect.String:
		v.SetString(v.String() + "x")
	case reflect.Bool:
		v.SetBool(!v.Bool())
	case reflect.Int, reflect.Int64:
		v.SetInt(v.Int() + 1)
	case reflect.Float64:
		v.SetFloat(v.Float() + 1)
	case reflect.Slice:
		v.Set(reflect.Append(v, reflect.New(v.Type().Elem()).Elem()))
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
	case reflect.Struct:
		other(t, v.Field(0))
	default:
		require.Failf(t, "a property of a kind that this test does not know", "%s", v.Type())
	}
}

// Whatever property of a clip is changed, it is another: one that is added and forgotten there would change unseen.
func TestClipsDifferByEveryProperty(t *testing.T) {
	clip := reel.Clip{ID: "a", Strands: []string{"x"}, Length: 1}
	require.True(t, clip.Same(clip))
	for i := range reflect.TypeFor[reel.Clip]().NumField() {
		changed := clip
		other(t, reflect.ValueOf(&changed).Elem().Field(i))
		assert.False(t, clip.Same(changed), reflect.TypeFor[reel.Clip]().Field(i).Name)
	}
}
