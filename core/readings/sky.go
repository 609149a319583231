package readings

import (
	"context"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// Bounds of a sky that is asked for at once.
const (
	MostSky       = 24 * 3600 // seconds
	MostSkyPoints = 600
)

// skyBlocks is how many blocks of the signal graph are listened to of each part of a sky, at equal distances: all of a short part, and
// samples of a long one.
const skyBlocks = 3

// Skies are from where the energy of a track or bus that is a sound field comes over [from, to), in as many equal parts as are asked for.
func Skies(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, of string, from, to int64, parts int) ([]ambisonic.Sky, error) {
	if err := inParts(from, to, rate, MostSky, parts, MostSkyPoints); err != nil {
		return nil, err
	}
	p, err := mix.Compile(r, rate, sources)
	if err != nil {
		return nil, err
	}
	signal := mix.Of(of)
	layout, err := p.Layout(signal)
	if err != nil {
		return nil, err
	}
	if layout.Kind != audio.Ambisonic {
		return nil, snag.Refuse("no_field", "%s is %s: from where sound comes is told of sound fields", of, layout.Name)
	}
	pl, err := p.Play(signal)
	if err != nil {
		return nil, err
	}
	defer pl.Close()
	m := ambisonic.NewSkyMeter(layout)
	out := make([]ambisonic.Sky, parts)
	for k := range out {
		lo, hi := from+(to-from)*int64(k)/int64(parts), from+(to-from)*int64(k+1)/int64(parts)
		step := max(mix.BlockFrames, (hi-lo)/skyBlocks)
		for at := lo; at < hi; at += step {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			blocks, err := pl.Read(ctx, at, int(min(mix.BlockFrames, hi-at)))
			if err != nil {
				return nil, err
			}
			m.Add(blocks[0])
		}
		out[k] = m.Sky()
	}
	return out, nil
}
