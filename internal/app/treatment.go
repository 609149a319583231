package app

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/ambisonic"
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
	_, p, err := a.reelIn(ctx, id)
	if err != nil {
		return "", nil, nil, err
	}
	hz, db = c.Curve(p.SampleRate)
	return c.Says(), hz, db, nil
}

// Spectrum is how loud a track or a bus of a reel is by frequency, before what is done to it: see readings.Spectrum.
func (a *App) Spectrum(ctx context.Context, id uuid.UUID, of string, from, to int64) (hz, db []float64, err error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	return readings.Spectrum(ctx, r.Doc, p.SampleRate, a.sources(ctx), of, from, to)
}

// Reductions are by how much the dynamics of a track or a bus turn it down over a stretch: see readings.Reductions.
func (a *App) Reductions(ctx context.Context, id uuid.UUID, of string, from, to int64, points int) (readings.Reduction, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return readings.Reduction{}, err
	}
	return readings.Reductions(ctx, r.Doc, p.SampleRate, a.sources(ctx), of, from, to, points)
}

// BusMeters are what meters read of all buses of a reel, of which some is heard alone or not at all: see readings.BusMeters.
func (a *App) BusMeters(ctx context.Context, id uuid.UUID, solo, mute []string, from, to int64, parts int) ([]readings.BusMeter, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, err
	}
	return readings.BusMeters(ctx, r.Doc.Heard(solo, mute), p.SampleRate, a.sources(ctx), from, to, parts)
}

// KeepTreatment keeps a chain under a name; the one of that name is replaced.
func (a *App) KeepTreatment(ctx context.Context, name string, c treat.Chain) (store.Treatment, error) {
	c.Off = false // it is kept to be used
	s := treat.Setting{Format: treat.SettingFormat, Name: strings.TrimSpace(name), Chain: c}
	if err := s.Check(); err != nil {
		return store.Treatment{}, err
	}
	id, err := a.Store.SaveTreatment(ctx, uuid.Must(uuid.NewV7()), s)
	return store.Treatment{ID: id, Doc: s}, err
}

// RemoveTreatment forgets one that was kept. What was treated by it stays so.
func (a *App) RemoveTreatment(ctx context.Context, id uuid.UUID) error {
	there, err := a.Store.DeleteTreatment(ctx, id)
	if err == nil && !there {
		err = ErrNotFound
	}
	return err
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

// Skies are from where the energy of a sound field of a reel comes over time: see readings.Skies.
func (a *App) Skies(ctx context.Context, id uuid.UUID, of string, from, to int64, parts int) ([]ambisonic.Sky, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, err
	}
	return readings.Skies(ctx, r.Doc, p.SampleRate, a.sources(ctx), of, from, to, parts)
}
