package httpapi

import (
	"context"
	"net/http"

	"zestyloom/core/delivery"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func specView(s store.Spec) contract.Spec {
	return contract.Spec{Id: s.ID, Shipped: s.Shipped, Spec: s.Body}
}

// ListSpecs implements contract.StrictServerInterface.
func (s *server) ListSpecs(ctx context.Context, _ contract.ListSpecsRequestObject) (contract.ListSpecsResponseObject, error) {
	specs, err := s.app.Store.Specs(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.ListSpecs200JSONResponse{}
	for _, sp := range specs {
		out = append(out, specView(sp))
	}
	return out, nil
}

// SaveSpec implements contract.StrictServerInterface.
func (s *server) SaveSpec(ctx context.Context, r contract.SaveSpecRequestObject) (contract.SaveSpecResponseObject, error) {
	kept, err := s.app.SaveSpec(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	return contract.SaveSpec200JSONResponse(specView(kept)), nil
}

// RemoveSpec implements contract.StrictServerInterface.
func (s *server) RemoveSpec(ctx context.Context, r contract.RemoveSpecRequestObject) (contract.RemoveSpecResponseObject, error) {
	if err := s.app.RemoveSpec(ctx, r.Spec); err != nil {
		return nil, err
	}
	return contract.RemoveSpec204Response{}, nil
}

// ChooseSpec implements contract.StrictServerInterface.
func (s *server) ChooseSpec(ctx context.Context, r contract.ChooseSpecRequestObject) (contract.ChooseSpecResponseObject, error) {
	if err := s.app.ChooseSpec(ctx, r.Reel, r.Body.Spec); err != nil {
		return nil, err
	}
	return contract.ChooseSpec204Response{}, nil
}

// GetSpecSchema implements contract.StrictServerInterface.
func (s *server) GetSpecSchema(context.Context, contract.GetSpecSchemaRequestObject) (contract.GetSpecSchemaResponseObject, error) {
	return specSchema{}, nil
}

type specSchema struct{}

// VisitGetSpecSchemaResponse writes the schema as it is published.
func (specSchema) VisitGetSpecSchemaResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/schema+json")
	_, err := w.Write(delivery.Schema)
	return err
}
