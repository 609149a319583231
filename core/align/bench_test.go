package align_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/align"
)

// Half an hour against half an hour, of which twenty-five minutes are in common.
func BenchmarkAlign(b *testing.B) {
	scene := voice(5, rate, 35*60)
	ref, file := memory{rate, scene[:30*60*rate]}, memory{rate, scene[5*60*rate:]}
	for b.Loop() {
		a, err := align.Align(context.Background(), ref, file)
		require.NoError(b, err)
		require.Equal(b, align.Certain, a.Certainty, a.Reason)
		require.InDelta(b, 5*60*rate, a.Offset, 0.5)
	}
}
