package delivery

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/blockhash"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/safely"
	"zestyloom/core/source"
)

// Proof is the report made by reading a delivery's files back and comparing them with what was
// ordered.
type Proof struct {
	Passed bool        `json:"passed"`
	Files  []FileProof `json:"files"`
	// Measures are the loudness and peaks of the programme as the files hold it, of all that is measured as one.
	Measures []Measure `json:"measures,omitempty"`
	Sums     []Sum     `json:"sums,omitempty"`
	// Notes say what was not looked at, and why.
	Notes []string `json:"notes,omitempty"`
}

// FileProof is the part of a proof about one file.
type FileProof struct {
	Name     string         `json:"name"`
	Bytes    int64          `json:"bytes"`
	Hash     string         `json:"hash"` // xxHash-64 of the whole file, 16 hexadecimal digits
	Checks   []Check        `json:"checks"`
	Channels []ChannelProof `json:"channels"`
	// Sums are the hashes of the file's blocks, by which it can be told later whether it still is what was proven.
	Sums blockhash.Sums `json:"-"`
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
	Output   int      `json:"output"`  // of the master, from 1; 0 for one that is none
	Name     string   `json:"name"`
	Differs  int64    `json:"differs"`   // samples that are not what they must be
	FirstAt  int64    `json:"first_at"`  // the first of them, -1 when none
	PeakDBFS *float64 `json:"peak_dbfs"` // null when nothing but zeros
	RMSDBFS  *float64 `json:"rms_dbfs"`
	Hash     string   `json:"hash,omitempty"` // xxHash-64 of its samples, little-endian, as they are coded
	// Alike is how alike compressed sound is to what was ordered, 1 for the same: its samples are others.
	Alike *float64 `json:"alike,omitempty"`
	OK    bool     `json:"ok"`
}

// Measure is what was measured of a set of channels, and what is asked of it.
type Measure struct {
	Name       string             `json:"name"`
	Layout     string             `json:"layout"`
	Integrated *float64           `json:"integrated_lufs"`
	Range      *float64           `json:"range_lu"`
	Momentary  *float64           `json:"max_momentary_lufs"`
	ShortTerm  *float64           `json:"max_short_term_lufs"`
	TruePeak   *float64           `json:"true_peak_dbtp"`
	Limits     string             `json:"limits,omitempty"` // their name, where any are asked
	Verdicts   []loudness.Verdict `json:"verdicts,omitempty"`
	// Line is the short-term loudness at the end of each second of programme, in LUFS; -70 for less.
	Line []float64 `json:"line,omitempty"`
	OK   bool      `json:"ok"`
}

// Prove reads a plan's files back from a folder and compares facts, metadata and every sample with
// what the plan says they must hold: all files at once, in one run. The error is about proving itself; files that are
// not as ordered give a proof that has not passed.
func Prove(ctx context.Context, p Plan, dir string, o Options) (Proof, error) {
	proof := Proof{Passed: true, Files: make([]FileProof, len(p.Files))}
	tmp, err := os.MkdirTemp(dir, ".proving-*")
	if err != nil {
		return Proof{}, err
	}
	defer os.RemoveAll(tmp)
	var readings []*reading
	defer func() {
		for _, r := range readings {
			r.src.Close()
		}
	}()
	for i, f := range p.Files {
		fp := &proof.Files[i]
		*fp = FileProof{Name: f.Name, Checks: []Check{}, Channels: []ChannelProof{}}
		made, err := p.open(ctx, i, fp, filepath.Join(dir, filepath.FromSlash(f.Name)), tmp, o.Picture)
		readings = append(readings, made...)
		if err != nil {
			return Proof{}, fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	if err := p.compare(ctx, &proof, readings, o); err != nil {
		return Proof{}, err
	}
	if o.OwnReader {
		proof.Notes = append(proof.Notes, "no second reader looked at the files: it was left out")
	} else if err := second(ctx, p, dir, &proof); err != nil {
		return Proof{}, err
	}
	proof.judge()
	return proof, nil
}

// judge says whether everything is as it was ordered.
func (proof *Proof) judge() {
	proof.Passed = true
	for _, f := range proof.Files {
		for _, c := range f.Checks {
			proof.Passed = proof.Passed && c.OK
		}
		for _, c := range f.Channels {
			proof.Passed = proof.Passed && c.OK
		}
	}
	for _, m := range proof.Measures {
		proof.Passed = proof.Passed && m.OK
	}
	for _, s := range proof.Sums {
		proof.Passed = proof.Passed && s.OK
	}
}

// Failures says in words all that is not as it was ordered.
func (proof Proof) Failures() (out []string) {
	for _, f := range proof.Files {
		for _, c := range f.Checks {
			if !c.OK {
				out = append(out, fmt.Sprintf("%s: %s: %s instead of %s", f.Name, c.What, c.Found, c.Ordered))
			}
		}
		for _, c := range f.Channels {
			switch {
			case !c.OK && c.Alike != nil:
				out = append(out, fmt.Sprintf("%s: channel %d (%s): compressed, %.2f %% alike to what was ordered", f.Name, c.Channel, c.Name, 100**c.Alike))
			case !c.OK:
				out = append(out, fmt.Sprintf("%s: channel %d (%s): %d samples differ, the first is %d", f.Name, c.Channel, c.Name, c.Differs, c.FirstAt))
			}
		}
	}
	for _, m := range proof.Measures {
		for _, v := range m.Verdicts {
			if !v.Pass {
				out = append(out, fmt.Sprintf("%s: %s: %s (asked: %s)", m.Name, v.What, v.Words, v.Asked))
			}
		}
	}
	for _, s := range proof.Sums {
		if !s.OK {
			out = append(out, s.Says)
		}
	}
	return out
}

func (fp *FileProof) check(what string, ordered, found any) {
	a, b := fmt.Sprint(ordered), fmt.Sprint(found)
	fp.Checks = append(fp.Checks, Check{what, a, b, a == b})
}

// compare compares every channel of all files with a fresh rendering, sample by sample, and measures them.
func (p Plan) compare(ctx context.Context, proof *Proof, readings []*reading, o Options) error {
	if len(readings) == 0 {
		return nil
	}
	list, of := p.feeds()
	wanted := func(file int) bool {
		return slices.ContainsFunc(readings, func(r *reading) bool { return r.index == file && !r.differs })
	}
	heard := p.listen(wanted)
	heard.findSums()
	tones := p.toneMeters()
	silence := make([]float64, largest(p))
	// took has what was read of all files measured, and tells of it.
	took := func(at int64, n int) {
		heard.add(at, n)
		if o.Progress != nil {
			o.Progress(at + int64(n))
		}
	}
	listen := func(r *reading, at int64, n int) {
		heard.heard(r.index, r.first, r.count, r.got[:r.read0], r.coding, at, n)
		tones.heard(r, at, n)
	}
	render := func() error {
		encoders := make([]audio.Encoder, len(p.Files))
		for i, f := range p.Files {
			encoders[i] = p.encoder(f)
		}
		var picked audio.Block
		var want []byte
		return p.run(ctx, o.Sources, list, func(b audio.Block, at int64) error {
			if n := b.Frames(); n > len(silence) {
				silence = make([]float64, n)
			}
			encoded := -1
			for _, r := range readings {
				if r.index != encoded {
					encoded = r.index
					picked = blockOf(picked, b, of[r.index], silence)
					want = encoders[r.index].Encode(want[:0], picked, at)
				}
				if err := r.read(p, want, at, b.Frames()); err != nil {
					return fmt.Errorf("%s: %w", p.Files[r.index].Name, err)
				}
				listen(r, at, b.Frames())
			}
			took(at, b.Frames())
			return nil
		})
	}
	run := render
	if known := o.Hashes != nil && !slices.ContainsFunc(readings, func(r *reading) bool { return r.lossy }); known {
		run = func() error { return p.readThrough(ctx, readings, listen, took) }
	}
	if err := hashed(readings, run)(); err != nil {
		return err
	}
	others := false // what was read is not what was rendered, by its hashes
	for _, r := range readings {
		others = r.held(o.Hashes) || others
	}
	if others {
		for _, r := range readings {
			r.levels, r.hashes = make([]audio.Level, r.count), newHashes(r.count)
		}
		heard = p.listen(wanted)
		heard.findSums()
		tones = p.toneMeters()
		if err := render(); err != nil {
			return err
		}
	}
	for _, r := range readings {
		r.finish(p, heard)
		r.end(p)
	}
	tones.judge(p, proof)
	proof.Sums = heard.sumsFound()
	proof.Measures = p.measures(heard)
	return nil
}

// readThrough reads all files at once from their beginning to their end, several at a time.
func (p Plan) readThrough(ctx context.Context, readings []*reading, each func(r *reading, at int64, n int), all func(at int64, n int)) error {
	const block = 4 * mix.BlockFrames
	for at := int64(0); at < p.Frames; at += block {
		if err := ctx.Err(); err != nil {
			return err
		}
		n := int(min(block, p.Frames-at))
		err := safely.Each(workers, len(readings), func(i int) error {
			r := readings[i]
			if r.differs {
				return nil
			}
			if err := r.take(at, n); err != nil {
				return fmt.Errorf("%s: %w", r.fp.Name, err)
			}
			each(r, at, n)
			return nil
		})
		if err != nil {
			return err
		}
		all(at, n)
	}
	return nil
}

// measures judges what was measured.
func (p Plan) measures(heard *listeners) (out []Measure) {
	for _, s := range heard.sets {
		if s.meter == nil {
			continue
		}
		set := p.Sets[s.index]
		r, powers := s.meter.Result(), s.meter.Powers()
		m := Measure{
			Name: set.Name, Layout: set.Layout, Integrated: finite(r.Integrated), Momentary: finite(r.MaxMomentary.Value),
			ShortTerm: finite(r.MaxShortTerm.Value), TruePeak: finite(r.TruePeak.Value), OK: true,
		}
		if r.RangeKnown {
			m.Range = finite(r.Range)
		}
		if limits, asked := p.Order.Spec.LimitsOf(set); asked {
			m.Limits, m.Verdicts = limits.Name, limits.Judge(r, powers)
			for i := range m.Verdicts {
				v := &m.Verdicts[i]
				// A span's loudness is not the programme's: it is said, and not held against it.
				if p.Test() && v.What == "integrated loudness" && !v.Pass {
					v.Pass, v.Words = true, v.Words+", of this span"
				}
				m.OK = m.OK && v.Pass
			}
		}
		for i := loudness.PowersPerSecond - 1; i < len(powers); i += loudness.PowersPerSecond {
			v := -70.0
			if i+1 >= loudness.ShortTermPowers {
				v = max(v, powers.At(i, loudness.ShortTermPowers))
			}
			m.Line = append(m.Line, *finite(v))
		}
		out = append(out, m)
	}
	return out
}

// hash reads a file whole and keeps its hashes.
func (fp *FileProof) hash(path string) (err error) {
	fp.Sums, err = source.HashFile(path)
	fp.Hash = fp.Sums.Hash()
	return err
}
