package media

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/source"
	"zestyloom/core/waveform"
	"zestyloom/core/wholefile"
)

// Analysis is what one pass over a file gives.
type Analysis struct {
	Info   source.Info
	Facts  source.Facts
	Levels []audio.Level
	Hash   string // xxHash-64 of the file's bytes, 16 hexadecimal digits
}

// Analyse reads a file once: facts, hash and level per channel are returned, its waveform summary
// is written. name is the name it came with. progress is told the frames done.
func (f *Folder) Analyse(ctx context.Context, id uuid.UUID, rel, name string, progress func(done, total int64)) (*Analysis, error) {
	src, err := source.Open(f.Path(rel))
	if err != nil {
		return nil, err
	}
	defer src.Close()
	out, err := wholefile.Create(f.Summary(id), true)
	if err != nil {
		return nil, err
	}
	defer out.Abort()
	channels := src.Format.Channels
	sum, err := waveform.NewBuilder(out, channels, src.Frames)
	if err != nil {
		return nil, err
	}
	a := &Analysis{Info: src.Info, Facts: src.Gather(filepath.Base(name)), Levels: make([]audio.Level, channels)}
	const block = 1 << 20
	planar := audio.NewBlock(channels, max(1, block/src.Format.FrameBytes()))
	part := make([][]float64, channels)
	hash, err := src.Hash(func() error {
		return src.EachBlock(ctx, block, func(raw []byte, at int64) error {
			n := 0
			for c := range planar {
				n = audio.DecodeChannel(planar[c], raw, src.Format.Coding, channels, c)
				part[c] = planar[c][:n]
				a.Levels[c].Add(part[c])
			}
			progress(at+int64(n), src.Frames)
			return sum.Add(part)
		})
	})
	if err != nil {
		return nil, err
	}
	a.Hash = fmt.Sprintf("%016x", hash)
	if err := sum.Close(); err != nil {
		return nil, err
	}
	return a, out.Commit()
}

// OpenSummary opens a file's waveform summary; close the returned file when done.
func (f *Folder) OpenSummary(id uuid.UUID) (*waveform.Summary, *os.File, error) {
	file, err := os.Open(f.Summary(id))
	if err != nil {
		return nil, nil, err
	}
	s, err := waveform.Open(file)
	if err != nil {
		file.Close()
		return nil, nil, err
	}
	return s, file, nil
}
