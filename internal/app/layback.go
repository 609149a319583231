package app

import (
	"context"
	"errors"
	"os"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/deck"
	"zestyloom/internal/store"
)

// compareLayback fetches what a deck has recorded and compares it with the outputs, which are computed once more, sample by sample.
func (a *App) compareLayback(ctx context.Context, on onLines, l store.Layback, rec deck.Recording, report *line.Report) (err error) {
	f, err := os.CreateTemp("", "zestyloom-layback-*.wav")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.Remove(f.Name())) }()
	if err := errors.Join(a.Lines.Deck.Fetch(ctx, rec, f), f.Close()); err != nil {
		return err
	}
	src, err := source.Open(f.Name())
	if err != nil {
		return err
	}
	defer src.Close()
	start := int64(0)
	if src.Info.Bext != nil {
		start = int64(src.Info.Bext.TimeReference)
	}
	format := src.Info.Format
	if format.Coding != audio.S24 || format.Channels != len(on.outputs) || format.SampleRate != line.Rate || src.Info.Frames != l.ToAt-l.FromAt || start != l.FromAt {
		return snag.Refuse("deck_failed", "the deck recorded %d frames of %d channels, %s at %d Hz, from %d on: %d frames of %d channels, s24 at %d Hz, from %d on were expected",
			src.Info.Frames, format.Channels, format.Coding, format.SampleRate, start, l.ToAt-l.FromAt, len(on.outputs), line.Rate, l.FromAt)
	}
	c := line.NewComparison(len(on.outputs), report.Gaps)
	recorded := audio.NewBlock(len(on.outputs), 0)
	var raw []byte
	tell := a.progress(ctx, l.ProductionID, l.ID)
	err = on.play(ctx, l.FromAt, l.ToAt, func(b audio.Block, at int64) error {
		n := b.Frames()
		if recorded.Frames() < n {
			recorded, raw = audio.NewBlock(len(on.outputs), n), make([]byte, n*format.FrameBytes())
		}
		raw := raw[:n*format.FrameBytes()]
		if err := src.ReadFull(raw, at-l.FromAt); err != nil {
			return err
		}
		some := make(audio.Block, len(recorded))
		for ch := range some {
			some[ch] = recorded[ch][:n]
			audio.DecodeChannel(some[ch], raw, audio.S24, format.Channels, ch)
		}
		c.Add(b, some, at)
		report.Compared += int64(n)
		tell(report.Compared, l.ToAt-l.FromAt)
		return nil
	})
	report.Differences = c.Differences()
	return err
}
