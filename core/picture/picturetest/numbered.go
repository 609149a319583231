// Package picturetest makes pictures for tests whose frames say which they are.
package picturetest

import (
	"bytes"
	"os/exec"
	"testing"

	"github.com/stretchr/testify/require"
)

// The bits of a frame's number are eight bars, bright or dark, over something that moves.
const barWidth, barHeight, bars = 8, 48, 8

// Numbered writes a file with a picture of up to 256 numbered frames, coded as ffmpeg is told.
func Numbered(t testing.TB, out string, frames int, rate string, args ...string) string {
	t.Helper()
	var raw bytes.Buffer
	for n := range frames {
		for y := range barHeight {
			for bit := range bars {
				v := byte(40)
				if n>>bit&1 == 1 {
					v = 210
				}
				for x := range barWidth {
					raw.WriteByte(v + byte((x+y+3*n)%11))
				}
			}
		}
	}
	cmd := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "gray", "-s", "64x48", "-r", rate, "-i", "-"}, args...), out)...)
	cmd.Stdin = &raw
	b, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", b)
	return out
}

// Numbers reads them back, by a decoder that knows nothing of cuts.
func Numbers(t testing.TB, path string) (out []int) {
	t.Helper()
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", path, "-map", "0:v:0", "-fps_mode", "passthrough", "-pix_fmt", "gray", "-f", "rawvideo", "-").Output()
	require.NoError(t, err)
	size := barWidth * barHeight * bars
	for at := 0; at+size <= len(raw); at += size {
		n := 0
		for bit := range bars {
			if raw[at+24*barWidth*bars+bit*barWidth+barWidth/2] > 125 {
				n |= 1 << bit
			}
		}
		out = append(out, n)
	}
	return out
}
