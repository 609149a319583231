package delivery

import (
	"context"
	"path/filepath"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// Written says what a render met.
type Written struct {
	Clipped []int64 `json:"clipped"` // samples held at full scale, by output
}

// Write renders a plan into a folder that exists. Files appear under their names only when all of
// them are whole. progress, if not nil, is told the frames done.
func Write(ctx context.Context, p Plan, dir string, sources mix.Sources, progress func(done int64)) (Written, error) {
	player, err := p.play(sources)
	if err != nil {
		return Written{}, err
	}
	defer player.Close()
	type sink struct {
		file    *wholefile.File
		w       *wave.Writer
		outputs []int
		enc     audio.Encoder
	}
	var sinks []*sink
	defer func() {
		for _, s := range sinks {
			s.file.Abort()
		}
	}()
	for _, f := range p.Files {
		file, err := wholefile.Create(filepath.Join(dir, f.Name), true)
		if err != nil {
			return Written{}, err
		}
		s := &sink{file: file, outputs: f.Outputs, enc: p.encoder(f)}
		sinks = append(sinks, s)
		if s.w, err = wave.NewWriter(file, p.Options(f)); err != nil {
			return Written{}, err
		}
	}
	var raw []byte
	err = player.Run(ctx, p.Start, p.Start+p.Frames, func(b audio.Block, at int64) error {
		for _, s := range sinks {
			raw = s.enc.Encode(raw[:0], pick(b, s.outputs), at-p.Start)
			if _, err := s.w.Write(raw); err != nil {
				return err
			}
		}
		if progress != nil {
			progress(at + int64(b.Frames()) - p.Start)
		}
		return nil
	})
	if err != nil {
		return Written{}, err
	}
	out := Written{Clipped: make([]int64, len(p.Reel.Weave.Outputs))}
	for _, s := range sinks {
		if err := s.w.Close(); err != nil {
			return Written{}, err
		}
		for c, k := range s.enc.Clipped {
			out.Clipped[s.outputs[c]] += k
		}
	}
	for _, s := range sinks {
		if err := s.file.Commit(); err != nil {
			return Written{}, snag.Refuse("not_placed", "%s could not be put in place: %w", s.file.Path(), err)
		}
	}
	return out, nil
}

// play prepares the outputs of a plan.
func (p Plan) play(sources mix.Sources) (*mix.Player, error) {
	program, err := mix.Compile(p.Reel, p.Order.Spec.SampleRate, sources)
	if err != nil {
		return nil, err
	}
	return program.Play(mix.All())
}

// encoder makes the samples of a file from rendered blocks.
func (p Plan) encoder(f File) audio.Encoder {
	return audio.Encoder{Coding: p.Coding(), Dither: p.Order.Spec.Dither, Seed: uint64(f.Outputs[0] + 1), Clipped: make([]int64, len(f.Outputs))}
}

func pick(b audio.Block, outputs []int) audio.Block {
	out := make(audio.Block, len(outputs))
	for i, o := range outputs {
		out[i] = b[o]
	}
	return out
}
