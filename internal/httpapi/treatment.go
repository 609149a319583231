package httpapi

import (
	"context"

	"zestyloom/internal/httpapi/contract"
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
