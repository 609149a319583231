package main

import (
	"fmt"
	"os/exec"
	"path/filepath"
)

// loudnesses measures stereo and 5.1 with true peak beside ffmpeg's ebur128, in turn.
func loudnesses(bin, dir string, minutes, runs int) error {
	for _, width := range []int{2, 6} {
		file := filepath.Join(dir, fmt.Sprint(width, ".wav"))
		synth := []string{"-R", "-n", "-r", "48000", "-b", "24", "-c", fmt.Sprint(width), file, "synth", fmt.Sprint(minutes * 60), "pinknoise", "gain", "-8", "tremolo", "0.3", "80"}
		if out, err := exec.Command("sox", synth...).CombinedOutput(); err != nil {
			return fmt.Errorf("sox: %w\n%s", err, out)
		}
		var ours, theirs result
		for range runs {
			if _, err := ours.run(bin, "measure", file); err != nil {
				return err
			}
			if _, err := theirs.run("ffmpeg", "-v", "error", "-i", file, "-af", "ebur128=peak=true", "-f", "null", "-"); err != nil {
				return err
			}
		}
		a, b := ours.median(), theirs.median()
		fmt.Printf("measure, %d minutes of %d channels with true peak: %.2f s, %.0f times real time, peak %.0f MiB; ffmpeg ebur128=peak=true %.2f s: %.2f of its time\n",
			minutes, width, a, float64(minutes*60)/a, float64(ours.peak)/1024, b, a/b)
	}
	return nil
}
