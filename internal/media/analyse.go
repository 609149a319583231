package media

import (
	"context"
	"errors"
	"io"
	"math"
	"os"
	"path/filepath"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/blockhash"
	"zestyloom/core/picture"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/survey"
	"zestyloom/core/take"
	"zestyloom/core/waveform"
	"zestyloom/core/wholefile"
)

// Analysis is what one pass over a file gives.
type Analysis struct {
	Info    source.Info
	Facts   source.Facts
	Survey  survey.Findings
	Shapes  [][]byte       // by channel: peaks in ShapeSteps equal steps of its length, 255 full scale
	Sums    blockhash.Sums // of the original's bytes
	Working string         // where the sound was decoded to, relative to the root; empty when it is read in place
	// WorkingSums are of the file that the sound was decoded to.
	WorkingSums blockhash.Sums
	Picture     *picture.Info
	Strip       *picture.Strip
}

// ShapeSteps is the length of the tiny waveform that lists show.
const ShapeSteps = 24

// Analyse reads the file at a path once: facts, hash, what its channels hold and how they are
// related are returned, its waveform summary is written. name is the name it came with. progress is
// told the frames done. The sound of a file with pictures is decoded to a working copy first.
func (f *Folder) Analyse(ctx context.Context, id uuid.UUID, original, name string, progress func(done, total int64)) (*Analysis, error) {
	a := &Analysis{}
	path := original
	if isPicture(path) {
		if err := f.decode(ctx, id, path, a); err != nil {
			return nil, err
		}
		path = f.Path(a.Working)
	}
	src, err := source.Open(path)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	said := a.Facts.Snags
	a.Info, a.Facts = src.Info, src.Gather(filepath.Base(name))
	a.Facts.Snags = append(a.Facts.Snags, said...)
	if a.Sums, err = src.Hash(func() error { return f.read(ctx, id, src, a, progress) }); err != nil {
		return nil, err
	}
	if a.Picture != nil && a.Picture.Picture != nil {
		a.Facts.Recorder = take.Camera(strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)))
	}
	if a.Working != "" {
		a.WorkingSums = a.Sums
		if a.Sums, err = source.HashFile(original); err != nil {
			return nil, err
		}
		a.Info.Container = a.Picture.Container
	}
	return a, nil
}

// read surveys the channels and writes the waveform summary.
func (f *Folder) read(ctx context.Context, id uuid.UUID, src *source.Source, a *Analysis, progress func(done, total int64)) error {
	out, err := wholefile.Create(f.Summary(id), true)
	if err != nil {
		return err
	}
	defer out.Abort()
	channels := src.Format.Channels
	sum, err := waveform.NewBuilder(out, channels, src.Frames)
	if err != nil {
		return err
	}
	s := survey.New(channels, src.Format.SampleRate, src.Frames, src.Format.Coding)
	a.Shapes = make([][]byte, channels)
	for c := range a.Shapes {
		a.Shapes[c] = make([]byte, ShapeSteps)
	}
	const block = 1 << 20
	planar := audio.NewBlock(channels, max(1, block/src.Format.FrameBytes()))
	part := make([][]float64, channels)
	err = src.EachBlock(ctx, block, func(raw []byte, at int64) error {
		n := len(raw) / src.Format.FrameBytes()
		decode := func(first int) {
			for c := first; c < channels; c += 2 {
				audio.DecodeChannel(planar[c], raw, src.Format.Coding, channels, c)
				part[c] = planar[c][:n]
				shape(a.Shapes[c], part[c], at, src.Frames)
			}
		}
		safely.Both(func() { decode(0) }, func() { decode(1) })
		progress(at+int64(n), src.Frames)
		s.Add(part)
		return sum.Add(part)
	})
	if err != nil {
		return err
	}
	if a.Survey, err = s.Close(ctx); err != nil {
		return err
	}
	if err := sum.Close(); err != nil {
		return err
	}
	return out.Commit()
}

// shape raises the steps of a tiny waveform to the peaks of samples that begin at a frame.
func shape(to []byte, x []float64, at, frames int64) {
	for len(x) > 0 {
		step := at * ShapeSteps / frames
		next := ((step+1)*frames + ShapeSteps - 1) / ShapeSteps
		n := int(min(int64(len(x)), next-at))
		peak := 0.0
		for _, v := range x[:n] {
			peak = max(peak, math.Abs(v))
		}
		to[step] = max(to[step], byte(min(255, math.Ceil(peak*255))))
		x, at = x[n:], at+int64(n)
	}
}

func isPicture(path string) bool {
	f, err := source.OpenFile(path)
	if err != nil {
		return false // opening it as sound says why
	}
	defer f.Close()
	head := make([]byte, 16)
	n, _ := io.ReadFull(f, head)
	return source.SniffPicture(head[:n]) != ""
}

// decode makes the working copy of a file with pictures, its small picture and the strip of stills.
func (f *Folder) decode(ctx context.Context, id uuid.UUID, path string, a *Analysis) error {
	p, err := picture.Probe(ctx, path)
	if err != nil {
		return err
	}
	a.Picture = p
	sound, proxy, strip := f.Working(id)
	if err := os.MkdirAll(filepath.Dir(f.Path(sound)), 0o755); err != nil {
		return err
	}
	left, err := filepath.Glob(filepath.Join(filepath.Dir(f.Path(sound)), ".decoding-*"))
	if err != nil {
		return err
	}
	for _, dir := range left { // of a worker that was killed
		if err := os.RemoveAll(dir); err != nil {
			return err
		}
	}
	tmp, err := os.MkdirTemp(filepath.Dir(f.Path(sound)), ".decoding-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	snags, err := p.WriteSound(ctx, path, f.Path(sound), tmp)
	if err != nil {
		return err
	}
	a.Working = sound
	if p.Picture != nil {
		s, err := p.WriteProxy(ctx, path, f.Path(proxy), f.Path(strip), tmp)
		if err != nil && ctx.Err() != nil {
			return err
		}
		if err != nil {
			snags = append(snags, snag.New("no_proxy", "its sound is read, and no small picture could be made of it: %s", snag.Of(err).Message))
		} else {
			a.Strip = &s
		}
	}
	a.Facts.Snags = snags
	return nil
}

// OpenSummary opens a file's waveform summary; close the returned file when done.
func (f *Folder) OpenSummary(id uuid.UUID) (*waveform.Summary, *os.File, error) {
	file, err := os.Open(f.Summary(id))
	if err != nil {
		return nil, nil, err
	}
	s, err := waveform.Open(file)
	if err != nil {
		return nil, nil, errors.Join(err, file.Close())
	}
	return s, file, nil
}
