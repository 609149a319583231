package take_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/take"
)

func TestCamera(t *testing.T) {
	for name, want := range map[string]string{
		"CAM_A_0031": "CAM_A", "A003C012_260314_R1": "A", "b001_C002": "B", "clip 7": "clip", "0012": "0012", "scratch": "scratch", "CAM-B.12": "CAM-B", "": "",
	} {
		assert.Equal(t, want, take.Camera(name), name)
	}
}
