package snag_test

import (
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/snag"
)

func TestInSaysWhere(t *testing.T) {
	assert.NoError(t, snag.In(nil, "fmt", 12))
	err := snag.In(snag.Refuse("bad_format", "16 bytes are needed: %w", io.ErrUnexpectedEOF), "fmt", 12)
	assert.Equal(t, "16 bytes are needed: unexpected EOF (fmt chunk at byte 12)", err.Error())
	assert.Equal(t, "bad_format", snag.Of(err).Code)
	assert.ErrorIs(t, err, io.ErrUnexpectedEOF)
	err = snag.In(errors.New("the disk is gone"), "data", 1<<33)
	assert.Equal(t, "unreadable", snag.Of(err).Code)
	assert.Contains(t, err.Error(), "data chunk at byte 8589934592")
}
