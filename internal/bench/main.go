// Command bench measures the program as a whole against a plain copy of the same file in the same
// run: seconds, bytes a second, the ratio to the copy, and peak memory. It only reports; see
// docs/performance.md for what the figures should be.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/google/uuid"

	"zestyloom/internal/media"
)

func main() {
	bin := flag.String("bin", "bin/zestyloom", "the program")
	minutes := flag.Int("minutes", 10, "length of the file")
	runs := flag.Int("runs", 5, "runs of each, taken in turn; the median counts")
	analyse := flag.String("analyse", "", "analyse this file as intake does, and nothing else; used by the measurement itself")
	mixDir := flag.String("mix", "", "mix the files of this folder, and nothing else; used by the measurement itself")
	out := flag.String("out", "", "what -mix writes")
	only := flag.String("only", "", "measure but this: files, align, mix or loudness")
	flag.Parse()
	if *mixDir != "" {
		if err := mixing(*mixDir, *out); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if *analyse != "" {
		if err := intake(*analyse); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if err := run(*bin, *minutes, *runs, *only); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// run measures everything, or but one of them.
func run(bin string, minutes, runs int, only string) error {
	bin, err := filepath.Abs(bin)
	if err != nil {
		return err
	}
	for name, measure := range map[string]func(dir string) error{
		"files":    func(dir string) error { return measure(bin, dir, minutes, runs) },
		"align":    func(dir string) error { return aligning(bin, dir, runs) },
		"mix":      func(dir string) error { return mixes(dir, minutes, runs) },
		"loudness": func(dir string) error { return loudnesses(bin, dir, minutes, runs) },
	} {
		if only != "" && only != name {
			continue
		}
		dir, err := os.MkdirTemp("", "zestyloom-bench-")
		if err != nil {
			return err
		}
		err = measure(dir)
		os.RemoveAll(dir)
		if err != nil {
			return err
		}
	}
	return nil
}

// aligning lines half an hour up with half an hour that begins five minutes later.
func aligning(bin, dir string, runs int) error {
	base, ref, file := filepath.Join(dir, "base.wav"), filepath.Join(dir, "ref.wav"), filepath.Join(dir, "file.wav")
	for _, args := range [][]string{
		{"-n", "-r", "48000", "-b", "24", "-c", "1", base, "synth", "2100", "whitenoise", "tremolo", "3.1", "95", "lowpass", "4000", "gain", "-6"},
		{base, ref, "trim", "0", "1800"}, {base, file, "trim", "300"},
	} {
		if out, err := exec.Command("sox", append([]string{"-D"}, args...)...).CombinedOutput(); err != nil {
			return fmt.Errorf("sox: %w\n%s", err, out)
		}
	}
	var r result
	var said []byte
	for range runs {
		var err error
		if said, err = r.run(bin, "align", ref, file); err != nil {
			return err
		}
	}
	fmt.Printf("align, 30 minutes against 30 at 48 kHz: %.2f s, peak %.0f MiB; %s", r.median(), float64(r.peak)/1024, strings.TrimPrefix(string(said), file+": "))
	return nil
}

// intake is the analysis of a file as a worker does it: levels, waveform summary, hash, and the
// relations between its channels.
func intake(path string) error {
	dir, err := os.MkdirTemp("", "zestyloom-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	folder, err := media.Open(dir)
	if err != nil {
		return err
	}
	_, err = folder.Analyse(context.Background(), uuid.New(), path, filepath.Base(path), func(int64, int64) {})
	return err
}

type result struct {
	seconds []float64
	peak    int64 // KiB
}

// run runs a program once, and keeps how long it took and how much memory at the most.
func (r *result) run(args ...string) (said []byte, err error) {
	cmd := exec.Command(args[0], args[1:]...)
	begun := time.Now()
	if said, err = cmd.CombinedOutput(); err != nil {
		return said, fmt.Errorf("%s: %w\n%s", filepath.Base(args[0]), err, said)
	}
	r.seconds = append(r.seconds, time.Since(begun).Seconds())
	if u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		r.peak = max(r.peak, u.Maxrss)
	}
	return said, nil
}

func (r *result) median() float64 {
	slices.Sort(r.seconds)
	return r.seconds[len(r.seconds)/2]
}

func measure(bin, dir string, minutes, runs int) error {
	in := filepath.Join(dir, "ten.wav")
	if out, err := exec.Command("sox", "-n", "-r", "48000", "-b", "24", "-c", "8", in, "synth", fmt.Sprint(minutes*60), "whitenoise", "gain", "-6").CombinedOutput(); err != nil {
		return fmt.Errorf("sox: %w\n%s", err, out)
	}
	st, err := os.Stat(in)
	if err != nil {
		return err
	}
	parts := filepath.Join(dir, "parts")
	if out, err := exec.Command(bin, "split", in, "--out", parts).CombinedOutput(); err != nil {
		return fmt.Errorf("split: %w\n%s", err, out)
	}
	monos, err := filepath.Glob(filepath.Join(parts, "*.wav"))
	if err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	pictured := filepath.Join(dir, "ten.mov")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-i", in, "-c:a", "pcm_s24le", pictured).CombinedOutput(); err != nil {
		return fmt.Errorf("ffmpeg: %w\n%s", err, out)
	}
	out := filepath.Join(dir, "out")
	work := []struct {
		name string
		args []string
	}{
		{"copy (cp)", []string{"cp", in, filepath.Join(out, "copy.wav")}},
		{"copy and sync", []string{"dd", "if=" + in, "of=" + filepath.Join(out, "copy.wav"), "bs=2M", "conv=fsync", "status=none"}},
		{"split", []string{bin, "split", in, "--out", out}},
		{"join", append([]string{bin, "join", "--out", filepath.Join(out, "join.wav")}, monos...)},
		{"unwrap (a MOV)", []string{bin, "unwrap", pictured, "--out", out}},
		{"inspect --levels", []string{bin, "inspect", "--levels", in}},
		{"analysis", []string{self, "-analyse", in}},
	}
	results := make([]result, len(work))
	for range runs {
		for i, w := range work {
			if err := os.RemoveAll(out); err != nil {
				return err
			}
			if err := os.Mkdir(out, 0o755); err != nil {
				return err
			}
			syscall.Sync() // what the run before left unwritten is not this one's
			if _, err := results[i].run(w.args...); err != nil {
				return err
			}
		}
	}
	copying := results[0].median()
	fmt.Printf("%d minutes, 8 channels, 24 bits, 48 kHz: %.0f MB; median of %d runs\n", minutes, float64(st.Size())/1e6, runs)
	fmt.Printf("%-18s %9s %9s %12s %10s %10s\n", "", "seconds", "MB/s", "of a copy", "peak MiB", "real time")
	for i, w := range work {
		m := results[i].median()
		fmt.Printf("%-18s %9.2f %9.0f %11.2fx %10.1f %9.0fx\n", w.name, m, float64(st.Size())/1e6/m, copying/m, float64(results[i].peak)/1024, float64(minutes*60)/m)
	}
	return nil
}
