package reel

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/union"
)

// Every field of Op is an operation: what is added there and can't be applied, or says not what it touches, is none.
func TestEveryOperationIsOne(t *testing.T) {
	assert.Empty(t, union.Lacking[operation](Op{}))
}
