package httpapi

import (
	"context"

	"zestyloom/core/delivery"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func specView(s store.Spec) contract.Spec {
	return contract.Spec{Id: s.ID, Shipped: s.Shipped, Spec: s.Body}
}

func (s *server) listSpecs(ctx context.Context, _ none, _ none) ([]contract.Spec, error) {
	specs, err := s.app.Store.Specs(ctx)
	if err != nil {
		return nil, err
	}
	out := []contract.Spec{}
	for _, sp := range specs {
		out = append(out, specView(sp))
	}
	return out, nil
}

func (s *server) saveSpec(ctx context.Context, _ none, body contract.DeliverySpec) (contract.Spec, error) {
	kept, err := s.app.SaveSpec(ctx, body)
	if err != nil {
		return contract.Spec{}, err
	}
	return specView(kept), nil
}

func (s *server) removeSpec(ctx context.Context, at ofSpec, _ none) (none, error) {
	if err := s.app.RemoveSpec(ctx, at.Spec); err != nil {
		return none{}, err
	}
	return none{}, nil
}

func (s *server) chooseSpec(ctx context.Context, at ofReel, body contract.ChosenSpec) (none, error) {
	if err := s.app.ChooseSpec(ctx, at.Reel, body.Spec); err != nil {
		return none{}, err
	}
	return none{}, nil
}

func (s *server) getSpecSchema(context.Context, none, none) (document, error) {
	return text("application/schema+json", "", delivery.Schema), nil // as it is published
}
