package app

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/readings"
	"zestyloom/core/treat"
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
