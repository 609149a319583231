package weave

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/union"
)

// Every field of Change is one.
func TestEveryChangeIsOne(t *testing.T) {
	assert.Empty(t, union.Lacking[changer](Change{}))
}
