package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
)

// Four tracks each come into both sides of one of six stems, at this gain and 3 dB down on either side.
const (
	mixTracks = 24
	mixStems  = 6
	mixGain   = -6.0
)

func trackFile(dir string, i int) string { return filepath.Join(dir, fmt.Sprintf("t%02d.wav", i)) }

// mixing is what a delivery does, as a process of its own: 24 mono files to 12 outputs of one file, in 24 bits.
func mixing(dir, out string) error {
	r := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	for i := range mixStems {
		id := fmt.Sprint("S", i)
		r.Weave.Buses = append(r.Weave.Buses, weave.Bus{ID: id, Name: id, Role: weave.Stem, Layout: "stereo"})
		for c := range 2 {
			r.Weave.Outputs = append(r.Weave.Outputs, weave.Output{Name: fmt.Sprint(i, c), Bus: id, Channel: c})
		}
	}
	for i := range mixTracks {
		st, err := mix.OpenStrand(mix.Source{Path: trackFile(dir, i)}, 0)
		if err != nil {
			return err
		}
		id := strconv.Itoa(i)
		r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id}, Length: st.Frames()}}})
		st.Close()
		r.Weave.Sends[id] = []weave.Send{{To: fmt.Sprint("S", i%mixStems), GainDB: mixGain, Patch: weave.Patch{Preset: weave.BothMinus}}}
	}
	p, err := mix.Compile(r, 48000, func(strand string) (mix.Source, error) {
		i, err := strconv.Atoi(strand)
		return mix.Source{Path: trackFile(dir, i)}, err
	})
	if err != nil {
		return err
	}
	pl, err := p.Play(mix.All())
	if err != nil {
		return err
	}
	defer pl.Close()
	f, err := os.Create(out)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := wave.NewWriter(f, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: p.Outputs()}})
	if err != nil {
		return err
	}
	enc := audio.Encoder{Coding: audio.S24}
	var raw []byte
	start, end := p.Span()
	if err := pl.Run(context.Background(), start, end, func(b audio.Block, at int64) error {
		raw = enc.Encode(raw[:0], b, at)
		_, err := w.Write(raw)
		return err
	}); err != nil {
		return err
	}
	return w.Close()
}

// mixes measures that beside two general tools that make the same sums, all in turn.
func mixes(dir string, minutes, runs int) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	factor := weave.Factor(mixGain) * 0.7071067811865476
	sox, ff := []string{"sox", "-M"}, []string{"ffmpeg", "-v", "error", "-y"}
	var joined string
	for i := range mixTracks {
		args := []string{"-R", "-n", "-r", "48000", "-b", "24", "-c", "1", trackFile(dir, i), "synth", fmt.Sprint(minutes * 60), "whitenoise", "gain", fmt.Sprint(-12 - i)}
		if out, err := exec.Command("sox", args...).CombinedOutput(); err != nil {
			return fmt.Errorf("sox: %w\n%s", err, out)
		}
		sox, ff = append(sox, trackFile(dir, i)), append(ff, "-i", trackFile(dir, i))
		joined += fmt.Sprintf("[%d:a]", i)
	}
	outs := map[string]string{"mix": filepath.Join(dir, "mix.wav"), "sox -M remix": filepath.Join(dir, "sox.wav"), "ffmpeg pan": filepath.Join(dir, "ff.wav")}
	sox = append(sox, "-D", "-b", "24", outs["sox -M remix"], "remix")
	pan := fmt.Sprintf("pan=0x%x", 1<<(2*mixStems)-1) // any layout of as many channels
	for o := range 2 * mixStems {
		var remix, terms []string
		for i := o / 2; i < mixTracks; i += mixStems {
			remix = append(remix, fmt.Sprintf("%dv%.17g", i+1, factor))
			terms = append(terms, fmt.Sprintf("%.17g*c%d", factor, i))
		}
		sox = append(sox, strings.Join(remix, ","))
		pan += fmt.Sprintf("|c%d=%s", o, strings.Join(terms, "+"))
	}
	ff = append(ff, "-filter_complex", joined+fmt.Sprintf("amerge=inputs=%d,%s", mixTracks, pan), "-c:a", "pcm_s24le", outs["ffmpeg pan"])
	work := []struct {
		name string
		args []string
	}{{"mix", []string{self, "-mix", dir, "-out", outs["mix"]}}, {"sox -M remix", sox}, {"ffmpeg pan", ff}}
	results := make([]result, len(work))
	for range runs {
		for i, w := range work {
			os.Remove(outs[w.name])
			syscall.Sync()
			if _, err := results[i].run(w.args...); err != nil {
				return err
			}
		}
	}
	fmt.Printf("%d mono files of %d minutes to %d outputs, 24 bits, 48 kHz; median of %d runs\n", mixTracks, minutes, 2*mixStems, runs)
	fmt.Printf("%-18s %9s %10s %10s %10s\n", "", "seconds", "of mix", "peak MiB", "real time")
	first := 0.0
	for i, w := range work {
		m := results[i].median()
		if i == 0 {
			first = m
		}
		fmt.Printf("%-18s %9.2f %9.2fx %10.1f %9.0fx\n", w.name, m, m/first, float64(results[i].peak)/1024, float64(minutes*60)/m)
	}
	return nil
}
