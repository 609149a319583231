package delivery

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"

	"zestyloom/core/audio"
	"zestyloom/core/render"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// Proof is the report made by reading a delivery's files back and comparing them with what was
// ordered.
type Proof struct {
	Passed bool        `json:"passed"`
	Files  []FileProof `json:"files"`
}

// FileProof is the part of a proof about one file.
type FileProof struct {
	Name     string         `json:"name"`
	Bytes    int64          `json:"bytes"`
	Hash     string         `json:"hash"` // xxHash-64 of the whole file, 16 hexadecimal digits
	Checks   []Check        `json:"checks"`
	Channels []ChannelProof `json:"channels"`
}

// Check is one fact, as ordered and as found.
type Check struct {
	What    string `json:"what"`
	Ordered string `json:"ordered"`
	Found   string `json:"found"`
	OK      bool   `json:"ok"`
}

// ChannelProof is the part of a proof about one channel of a file.
type ChannelProof struct {
	Channel  int      `json:"channel"` // in the file, from 1
	Output   int      `json:"output"`  // of the master, from 1
	Name     string   `json:"name"`
	Differs  int64    `json:"differs"`   // samples that are not what they must be
	FirstAt  int64    `json:"first_at"`  // the first of them, -1 when none
	PeakDBFS *float64 `json:"peak_dbfs"` // null when nothing but zeros
	RMSDBFS  *float64 `json:"rms_dbfs"`
	OK       bool     `json:"ok"`
}

// Prove reads a plan's files back from a folder and compares facts, metadata and every sample with
// what the plan says they must hold. The error is about proving itself; files that are not as
// ordered give a proof that has not passed.
func Prove(ctx context.Context, p Plan, dir string, resolve render.Resolve, progress func(done int64)) (Proof, error) {
	proof := Proof{Passed: true}
	for i, f := range p.Files {
		var report func(int64)
		if progress != nil {
			report = func(done int64) { progress((int64(i)*p.Frames + done) / int64(len(p.Files))) }
		}
		fp, err := proveFile(ctx, p, f, filepath.Join(dir, f.Name), resolve, report)
		if err != nil {
			return Proof{}, fmt.Errorf("%s: %w", f.Name, err)
		}
		for _, c := range fp.Checks {
			proof.Passed = proof.Passed && c.OK
		}
		for _, c := range fp.Channels {
			proof.Passed = proof.Passed && c.OK
		}
		proof.Files = append(proof.Files, fp)
	}
	return proof, nil
}

func proveFile(ctx context.Context, p Plan, f File, path string, resolve render.Resolve, progress func(int64)) (FileProof, error) {
	fp := FileProof{Name: f.Name, Checks: []Check{}, Channels: []ChannelProof{}}
	st, err := os.Stat(path)
	if err != nil {
		fp.check("file", "there", "missing")
		return fp, nil
	}
	fp.Bytes = st.Size()
	src, err := source.Open(path)
	if err != nil {
		fp.check("readable", "yes", snag.Of(err).Message)
		return fp, nil
	}
	defer src.Close()
	fp.facts(p, f, src)
	for c, o := range f.Outputs {
		fp.Channels = append(fp.Channels, ChannelProof{Channel: c + 1, Output: o + 1, Name: p.Reel.Weave.Outputs[o].Name, FirstAt: -1})
	}
	sum, err := src.Hash(func() error { return fp.samples(ctx, p, f, src, resolve, progress) })
	if err != nil {
		return fp, err
	}
	fp.Hash = fmt.Sprintf("%016x", sum)
	return fp, nil
}

func (fp *FileProof) check(what string, ordered, found any) {
	a, b := fmt.Sprint(ordered), fmt.Sprint(found)
	fp.Checks = append(fp.Checks, Check{what, a, b, a == b})
}

// facts compares what the file's header and metadata say.
func (fp *FileProof) facts(p Plan, f File, src *source.Source) {
	facts := src.Gather("")
	fp.check("channels", len(f.Outputs), src.Format.Channels)
	fp.check("sample rate", p.Order.Spec.SampleRate, src.Format.SampleRate)
	fp.check("coding", p.Coding(), src.Format.Coding)
	fp.check("length in frames", p.Frames, src.Frames)
	rate := int64(p.Order.Spec.SampleRate)
	tc := func(start int64) string {
		if start < 0 {
			return "none"
		}
		return fmt.Sprintf("%s (sample %d)", p.Rate.FormatSamples(start, rate), start)
	}
	fp.check("start", tc(p.Start), tc(facts.Start))
	for c, o := range f.Outputs {
		found := "missing"
		if c < len(facts.Tracks) {
			found = facts.Tracks[c].Label
		}
		fp.check(fmt.Sprintf("name of channel %d", c+1), p.Reel.Weave.Outputs[o].Name, found)
	}
	fp.check("snags on reading", 0, len(facts.Snags))
}

// samples compares every channel with a fresh rendering, sample by sample.
func (fp *FileProof) samples(ctx context.Context, p Plan, f File, src *source.Source, resolve render.Resolve, progress func(int64)) error {
	if src.Format.Channels != len(f.Outputs) || src.Format.Coding != p.Coding() {
		return nil // said by the checks; there is nothing to compare channel by channel
	}
	n := render.New(p.Reel, p.Order.Spec.SampleRate, resolve)
	defer n.Close()
	enc := p.encoder(f)
	levels := make([]audio.Level, len(f.Outputs))
	var want []byte
	got := make([]byte, render.BlockFrames*src.Format.FrameBytes())
	size, width := p.Coding().Bytes(), src.Format.FrameBytes()
	err := n.Each(ctx, p.Start, p.Start+p.Frames, func(b audio.Block, at int64) error {
		want = enc.Encode(want[:0], pick(b, f.Outputs), at-p.Start)
		k, err := readFull(src, got[:len(want)], at-p.Start)
		if err != nil {
			return err
		}
		audio.AddLevels(levels, got[:k*width], p.Coding())
		for c := range fp.Channels {
			fp.Channels[c].compare(want, got[:k*width], at-p.Start, size, c, width)
		}
		if progress != nil {
			progress(at + int64(b.Frames()) - p.Start)
		}
		return nil
	})
	if err != nil {
		return err
	}
	for c := range fp.Channels {
		ch := &fp.Channels[c]
		ch.OK = ch.Differs == 0
		ch.PeakDBFS, ch.RMSDBFS = finite(levels[c].PeakDB()), finite(levels[c].RMSDB())
	}
	return nil
}

func readFull(src *source.Source, p []byte, frame int64) (int, error) {
	size := src.Format.FrameBytes()
	done := 0
	for done*size < len(p) {
		n, err := src.ReadFrames(p[done*size:], frame+int64(done))
		done += n
		if errors.Is(err, io.EOF) {
			break // the missing rest is counted as different
		}
		if err != nil {
			return done, err
		}
	}
	return done, nil
}

// compare counts the samples of channel c that differ; samples of want that got lacks all do.
func (ch *ChannelProof) compare(want, got []byte, at int64, size, c, width int) {
	if bytes.Equal(want, got) {
		return
	}
	for i, p := int64(0), c*size; p+size <= len(want); i, p = i+1, p+width {
		if p+size > len(got) || !bytes.Equal(want[p:p+size], got[p:p+size]) {
			if ch.Differs == 0 {
				ch.FirstAt = at + i
			}
			ch.Differs++
		}
	}
}

func finite(db float64) *float64 {
	if math.IsInf(db, 0) || math.IsNaN(db) {
		return nil
	}
	r := math.Round(db*100) / 100
	return &r
}
