package app

import (
	"context"
	"encoding/binary"
	"errors"
	"io"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/source"
	"zestyloom/core/treat"
	"zestyloom/core/waveform"
	"zestyloom/internal/store"
)

// Waveform draws frames [from, to) of a sound in columns; to of 0 is its end. strand is its name.
func (a *App) Waveform(ctx context.Context, strand string, from, to int64, columns int) ([]waveform.Pair, error) {
	p, s, err := a.sound(ctx, strand)
	if err != nil {
		return nil, err
	}
	if len(p) > 1 {
		return drawn(ctx, p, from, to, columns)
	}
	sum, file, err := a.Media.OpenSummary(s.FileID)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if to <= 0 {
		to = sum.Frames
	}
	if to <= from {
		return make([]waveform.Pair, columns), nil
	}
	return sum.Spread(s.Channel-1, from, to, columns, func(dst []float64, frame int64) (int, error) {
		src, err := source.OpenKnown(p[0].Source.Path, p[0].Source.Known)
		if err != nil {
			return 0, err
		}
		defer src.Close()
		raw := make([]byte, len(dst)*src.Format.FrameBytes())
		n, err := src.ReadFrames(raw, frame)
		if errors.Is(err, io.EOF) {
			err = nil
		}
		audio.DecodeChannel(dst, raw[:n*src.Format.FrameBytes()], src.Format.Coding, src.Format.Channels, s.Channel-1)
		return n, err
	})
}

// drawn draws what is made of two strands from the sound itself: their summaries don't say what
// their sum is.
func drawn(ctx context.Context, parts []mix.Part, from, to int64, columns int) ([]waveform.Pair, error) {
	for i := range parts {
		parts[i].Source.Treat = treat.Treatment{} // as every waveform: what was recorded, not what is done to it
	}
	st, err := mix.OpenSum(parts, 0)
	if err != nil {
		return nil, err
	}
	defer st.Close()
	if to <= 0 {
		to = st.Frames()
	}
	return waveform.Draw(from, to, st.Frames(), columns, func(dst []float64, frame int64) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		return st.Read(dst, frame)
	})
}

// Sound is a strand's sound as a stream of little-endian 32-bit floats.
type Sound struct {
	strand  *mix.Strand
	at, end int64
	mono    []float64
	out     []byte // not yet read
}

// OpenSound opens a sound, by its name, at a frame, as it is treated, at its own rate; frames of 0 is to its end.
// One that is off is heard all the same: that is how one finds out whether it should be. Close it
// when done.
func (a *App) OpenSound(ctx context.Context, strand string, from, frames int64) (*Sound, store.Strand, error) {
	p, s, err := a.sound(ctx, strand)
	if err != nil {
		return nil, s, err
	}
	p[0].Source.Treat.Off = false
	st, err := mix.OpenSum(p, 0)
	if err != nil {
		return nil, s, err
	}
	end := st.Frames()
	if frames > 0 {
		end = min(end, from+frames)
	}
	const block = 4096 // frames: small, so that the first sound leaves at once
	return &Sound{strand: st, at: from, end: end, mono: make([]float64, block)}, s, nil
}

// Rate is the sample rate in Hz.
func (s *Sound) Rate() int { return s.strand.Rate() }

// Frames is how many are left.
func (s *Sound) Frames() int64 { return max(0, s.end-s.at) }

// Read implements io.Reader.
func (s *Sound) Read(p []byte) (int, error) {
	if len(s.out) == 0 {
		left := s.Frames()
		if left == 0 {
			return 0, io.EOF
		}
		block := s.mono[:min(int64(len(s.mono)), left)]
		if err := s.strand.Read(block, s.at); err != nil {
			return 0, err
		}
		s.at += int64(len(block))
		for _, v := range block {
			s.out = binary.LittleEndian.AppendUint32(s.out, math.Float32bits(float32(v)))
		}
	}
	n := copy(p, s.out)
	s.out = s.out[n:]
	return n, nil
}

// Close closes the file.
func (s *Sound) Close() error {
	s.strand.Close()
	return nil
}
