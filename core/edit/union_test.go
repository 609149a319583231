package edit

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/reel"
	"zestyloom/core/union"
)

// Every field of Action is planned, or is an operation of a reel as it is.
func TestEveryActionIsOne(t *testing.T) {
	typ := reflect.TypeFor[Action]()
	for _, name := range union.Lacking[planner](Action{}) {
		f, _ := typ.FieldByName(name)
		var op reel.Op
		assert.True(t, union.Put(&op, reflect.New(f.Type.Elem()).Interface()), name)
	}
}
