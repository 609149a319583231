package app

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/monitor"
	"zestyloom/core/readings"
	"zestyloom/core/reel"
	"zestyloom/core/treat"
	"zestyloom/internal/store"
)

// Treatment is what a chain does at a reel's sample rate: in words, and by how many dB its filters raise and lower at
// frequencies in Hz.
func (a *App) Treatment(ctx context.Context, id uuid.UUID, c treat.Chain) (says string, hz, db []float64, err error) {
	if err := c.Check(); err != nil {
		return "", nil, nil, err
	}
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return "", nil, nil, err
	}
	p, err := a.Store.Production(ctx, r.ProductionID)
	if err != nil {
		return "", nil, nil, err
	}
	hz, db = c.Curve(p.SampleRate)
	return c.Says(), hz, db, nil
}

// Spectrum is how loud a track or a bus of a reel is by frequency, before what is done to it: see readings.Spectrum.
func (a *App) Spectrum(ctx context.Context, id uuid.UUID, of string, from, to int64) (hz, db []float64, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	p, err := a.Store.Production(ctx, r.ProductionID)
	if err != nil {
		return nil, nil, err
	}
	return readings.Spectrum(ctx, r.Doc, p.SampleRate, a.sources(ctx), of, from, to)
}

// matchedOver is how much is heard, from where it begins, to find out how loud a treatment is beside the sound before it.
const matchedOver = 8 // seconds

// untreated is a reel in which a track or a bus is not treated, and as loud as it is when it is: by the K-weighted level of its first
// channel over a few seconds from a sample on.
func (a *App) untreated(ctx context.Context, doc reel.Reel, p store.Production, of string, from int64) (reel.Reel, error) {
	var inputs []monitor.Input
	for _, r := range []reel.Reel{doc, doc.Untreated(of, 0)} {
		program, err := mix.Compile(r, p.SampleRate, a.sources(ctx))
		if err != nil {
			return doc, err
		}
		in, err := monitor.Signal(program, mix.Of(of))
		if err != nil {
			return doc, err
		}
		inputs = append(inputs, in[0])
	}
	gains, err := monitor.Match(ctx, inputs, p.SampleRate, from, int64(matchedOver*p.SampleRate))
	if err != nil {
		return doc, err
	}
	return doc.Untreated(of, audio.Decibels(gains[1])), nil
}
