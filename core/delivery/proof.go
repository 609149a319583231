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
	"zestyloom/core/mix"
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
// what the plan says they must hold: all files at once, in one run. The error is about proving itself; files that are
// not as ordered give a proof that has not passed.
func Prove(ctx context.Context, p Plan, dir string, sources mix.Sources, progress func(done int64)) (Proof, error) {
	proof := Proof{Passed: true, Files: make([]FileProof, len(p.Files))}
	var readings []*reading
	defer func() {
		for _, r := range readings {
			r.src.Close()
		}
	}()
	for i, f := range p.Files {
		fp := &proof.Files[i]
		*fp = FileProof{Name: f.Name, Checks: []Check{}, Channels: []ChannelProof{}}
		r, err := fp.open(p, f, dir)
		if err != nil {
			return Proof{}, fmt.Errorf("%s: %w", f.Name, err)
		}
		if r != nil {
			readings = append(readings, r)
		}
	}
	if err := compare(ctx, p, readings, sources, progress); err != nil {
		return Proof{}, err
	}
	for _, f := range proof.Files {
		for _, c := range f.Checks {
			proof.Passed = proof.Passed && c.OK
		}
		for _, c := range f.Channels {
			proof.Passed = proof.Passed && c.OK
		}
	}
	return proof, nil
}

// reading is a file that is being compared.
type reading struct {
	fp      *FileProof
	file    File
	src     *source.Source
	enc     audio.Encoder
	levels  []audio.Level
	want    []byte
	got     []byte
	differs bool // by what its header says: there is nothing to compare channel by channel
}

// open looks at a file, and gives nil for one that can't be read, of which it says so.
func (fp *FileProof) open(p Plan, f File, dir string) (*reading, error) {
	path := filepath.Join(dir, f.Name)
	st, err := os.Stat(path)
	if err != nil {
		fp.check("file", "there", "missing")
		return nil, nil
	}
	fp.Bytes = st.Size()
	src, err := source.Open(path)
	if err != nil {
		fp.check("readable", "yes", snag.Of(err).Message)
		return nil, nil
	}
	fp.facts(p, f, src)
	for c, o := range f.Outputs {
		fp.Channels = append(fp.Channels, ChannelProof{Channel: c + 1, Output: o + 1, Name: p.Reel.Weave.Outputs[o].Name, FirstAt: -1})
	}
	return &reading{
		fp: fp, file: f, src: src, enc: p.encoder(f), levels: make([]audio.Level, len(f.Outputs)),
		differs: src.Format.Channels != len(f.Outputs) || src.Format.Coding != p.Coding(), // said by the checks
	}, nil
}

// compare compares every channel of all files with a fresh rendering, sample by sample, and takes their hashes.
func compare(ctx context.Context, p Plan, readings []*reading, sources mix.Sources, progress func(int64)) error {
	run := func() error {
		player, err := p.play(sources)
		if err != nil {
			return err
		}
		defer player.Close()
		return player.Run(ctx, p.Start, p.Start+p.Frames, func(b audio.Block, at int64) error {
			for _, r := range readings {
				if err := r.compare(p, b, at-p.Start); err != nil {
					return fmt.Errorf("%s: %w", r.file.Name, err)
				}
			}
			if progress != nil {
				progress(at + int64(b.Frames()) - p.Start)
			}
			return nil
		})
	}
	// Each file's hash is taken of what is read of it meanwhile.
	for _, r := range readings {
		inner := run
		run = func() error {
			sum, err := r.src.Hash(inner)
			r.fp.Hash = fmt.Sprintf("%016x", sum)
			return err
		}
	}
	if len(readings) == 0 {
		return nil
	}
	if err := run(); err != nil {
		return err
	}
	for _, r := range readings {
		for c := range r.fp.Channels {
			if r.differs {
				continue
			}
			ch := &r.fp.Channels[c]
			ch.OK = ch.Differs == 0
			ch.PeakDBFS, ch.RMSDBFS = finite(r.levels[c].PeakDB()), finite(r.levels[c].RMSDB())
		}
	}
	return nil
}

func (r *reading) compare(p Plan, b audio.Block, at int64) error {
	if r.differs {
		return nil
	}
	r.want = r.enc.Encode(r.want[:0], pick(b, r.file.Outputs), at)
	if len(r.got) < len(r.want) {
		r.got = make([]byte, len(r.want))
	}
	k, err := readFull(r.src, r.got[:len(r.want)], at)
	if err != nil {
		return err
	}
	size, width := p.Coding().Bytes(), r.src.Format.FrameBytes()
	audio.AddLevels(r.levels, r.got[:k*width], p.Coding())
	for c := range r.fp.Channels {
		r.fp.Channels[c].compare(r.want, r.got[:k*width], at, size, c, width)
	}
	return nil
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
