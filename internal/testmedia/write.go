package testmedia

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/wave"
)

// Write makes a WAV of channels that are at hand, all of one length.
func Write(tb testing.TB, path string, coding audio.Coding, rate int, channels ...[]float64) {
	tb.Helper()
	WriteAs(tb, path, wave.Options{Format: wave.Format{Coding: coding, SampleRate: rate, Channels: len(channels)}}, channels...)
}

// WriteAs does so with what the file says of itself.
func WriteAs(tb testing.TB, path string, o wave.Options, channels ...[]float64) {
	tb.Helper()
	f, err := os.Create(path)
	require.NoError(tb, err)
	defer f.Close()
	w, err := wave.NewWriter(f, o)
	require.NoError(tb, err)
	enc := audio.Encoder{Coding: o.Format.Coding}
	_, err = w.Write(enc.Encode(nil, channels, 0))
	require.NoError(tb, err)
	require.NoError(tb, w.Close())
}
