package httpapi

import (
	"context"
	"math"

	"zestyloom/core/ambisonic"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func (s *server) showTreatment(ctx context.Context, at ofReel, body contract.TreatChain) (contract.TreatShown, error) {
	says, hz, db, err := s.app.Treatment(ctx, at.Reel, body)
	return contract.TreatShown{Says: says, Hz: hz, Db: db}, err
}

func (s *server) getSpectrum(ctx context.Context, at ofReel, q contract.GetSpectrumParams) (contract.Spectrum, error) {
	hz, db, err := s.app.Spectrum(ctx, at.Reel, q.Of, q.From, q.To)
	return contract.Spectrum{Hz: hz, Db: db}, err
}

func (s *server) getReduction(ctx context.Context, at ofReel, q contract.GetReductionParams) (contract.Reduction, error) {
	v, err := s.app.Reductions(ctx, at.Reel, q.Of, q.From, q.To, q.Points)
	return contract.Reduction{From: q.From, To: q.To, Level: v.Level, DeEsser: asked(v.DeEsser), Expander: asked(v.Expander), Compressor: asked(v.Compressor)}, err
}

func (s *server) getSky(ctx context.Context, at ofReel, q contract.GetSkyParams) (contract.Sky, error) {
	skies, err := s.app.Skies(ctx, at.Reel, q.Of, q.From, q.To, q.Parts)
	if err != nil {
		return contract.Sky{}, err
	}
	v := contract.Sky{From: q.From, To: q.To, Azimuths: []float64{}, Heights: ambisonic.SkyHeights[:], Around: [][]float64{}, Up: [][]float64{}}
	for az := ambisonic.SkyStep - 180; az <= 180; az += ambisonic.SkyStep {
		v.Azimuths = append(v.Azimuths, float64(az))
	}
	for _, sky := range skies {
		v.Around, v.Up = append(v.Around, toTenths(sky.Azimuths)), append(v.Up, toTenths(sky.Heights))
	}
	return v, nil
}

// toTenths rounds levels, with nothing under -100.
func toTenths(db []float64) []float64 {
	out := make([]float64, len(db))
	for i, v := range db {
		out[i] = max(-100, math.Round(v*10)/10)
	}
	return out
}

func (s *server) getBusMeters(ctx context.Context, at ofReel, q contract.GetBusMetersParams) ([]contract.BusMeter, error) {
	list, err := s.app.BusMeters(ctx, at.Reel, listed(given(q.Solo)), listed(given(q.Mute)), q.From, q.To, q.Points)
	out := []contract.BusMeter{}
	for _, m := range list {
		out = append(out, contract.BusMeter{Bus: m.Bus, Peak: m.Peak, Ppm: m.PPM, Over: m.Over})
	}
	return out, err
}

// asked is nil for what is not there.
func asked(v []float64) *[]float64 {
	if v == nil {
		return nil
	}
	return &v
}

func keptTreatment(t store.Treatment) contract.KeptTreatment {
	return contract.KeptTreatment{Id: t.ID, Name: t.Doc.Name, Says: t.Doc.Chain.Says(), Chain: t.Doc.Chain}
}

func (s *server) listTreatments(ctx context.Context, _ none, _ none) ([]contract.KeptTreatment, error) {
	kept, err := s.app.Store.Treatments(ctx)
	out := []contract.KeptTreatment{}
	for _, t := range kept {
		out = append(out, keptTreatment(t))
	}
	return out, err
}

func (s *server) keepTreatment(ctx context.Context, _ none, body contract.KeepTreatmentJSONRequestBody) (contract.KeptTreatment, error) {
	t, err := s.app.KeepTreatment(ctx, body.Name, body.Chain)
	return keptTreatment(t), err
}

func (s *server) removeTreatment(ctx context.Context, at ofTreatment, _ none) (none, error) {
	return none{}, s.app.RemoveTreatment(ctx, at.Treatment)
}
