package httpapi

import (
	"context"
	"math"

	"zestyloom/core/ambisonic"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// ShowTreatment implements contract.StrictServerInterface.
func (s *server) ShowTreatment(ctx context.Context, r contract.ShowTreatmentRequestObject) (contract.ShowTreatmentResponseObject, error) {
	says, hz, db, err := s.app.Treatment(ctx, r.Reel, *r.Body)
	return contract.ShowTreatment200JSONResponse{Says: says, Hz: hz, Db: db}, err
}

// GetSpectrum implements contract.StrictServerInterface.
func (s *server) GetSpectrum(ctx context.Context, r contract.GetSpectrumRequestObject) (contract.GetSpectrumResponseObject, error) {
	hz, db, err := s.app.Spectrum(ctx, r.Reel, r.Params.Of, r.Params.From, r.Params.To)
	return contract.GetSpectrum200JSONResponse{Hz: hz, Db: db}, err
}

// GetReduction implements contract.StrictServerInterface.
func (s *server) GetReduction(ctx context.Context, r contract.GetReductionRequestObject) (contract.GetReductionResponseObject, error) {
	q := r.Params
	v, err := s.app.Reductions(ctx, r.Reel, q.Of, q.From, q.To, q.Points)
	return contract.GetReduction200JSONResponse{From: q.From, To: q.To, Level: v.Level, DeEsser: asked(v.DeEsser), Expander: asked(v.Expander), Compressor: asked(v.Compressor)}, err
}

// GetSky implements contract.StrictServerInterface.
func (s *server) GetSky(ctx context.Context, r contract.GetSkyRequestObject) (contract.GetSkyResponseObject, error) {
	q := r.Params
	skies, err := s.app.Skies(ctx, r.Reel, q.Of, q.From, q.To, q.Parts)
	if err != nil {
		return nil, err
	}
	v := contract.GetSky200JSONResponse{From: q.From, To: q.To, Azimuths: []float64{}, Heights: ambisonic.SkyHeights[:], Around: [][]float64{}, Up: [][]float64{}}
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

// GetBusMeters implements contract.StrictServerInterface.
func (s *server) GetBusMeters(ctx context.Context, r contract.GetBusMetersRequestObject) (contract.GetBusMetersResponseObject, error) {
	q := r.Params
	list, err := s.app.BusMeters(ctx, r.Reel, listed(given(q.Solo)), listed(given(q.Mute)), q.From, q.To, q.Points)
	out := contract.GetBusMeters200JSONResponse{}
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

// ListTreatments implements contract.StrictServerInterface.
func (s *server) ListTreatments(ctx context.Context, _ contract.ListTreatmentsRequestObject) (contract.ListTreatmentsResponseObject, error) {
	kept, err := s.app.Store.Treatments(ctx)
	out := contract.ListTreatments200JSONResponse{}
	for _, t := range kept {
		out = append(out, keptTreatment(t))
	}
	return out, err
}

// KeepTreatment implements contract.StrictServerInterface.
func (s *server) KeepTreatment(ctx context.Context, r contract.KeepTreatmentRequestObject) (contract.KeepTreatmentResponseObject, error) {
	t, err := s.app.KeepTreatment(ctx, r.Body.Name, r.Body.Chain)
	return contract.KeepTreatment200JSONResponse(keptTreatment(t)), err
}

// RemoveTreatment implements contract.StrictServerInterface.
func (s *server) RemoveTreatment(ctx context.Context, r contract.RemoveTreatmentRequestObject) (contract.RemoveTreatmentResponseObject, error) {
	return contract.RemoveTreatment204Response{}, s.app.RemoveTreatment(ctx, r.Treatment)
}
