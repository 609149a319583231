package httpapi

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func (s *server) listQueue(ctx context.Context, at ofProduction, _ none) ([]contract.Order, error) {
	return s.queue(ctx, at.Production)
}

func (s *server) orderQueue(ctx context.Context, at ofProduction, body contract.QueueOrder) ([]contract.Order, error) {
	if err := s.app.ReorderQueue(ctx, at.Production, body.Order); err != nil {
		return nil, err
	}
	return s.queue(ctx, at.Production)
}

func (s *server) queue(ctx context.Context, production uuid.UUID) ([]contract.Order, error) {
	if _, err := s.app.Store.Production(ctx, production); err != nil {
		return nil, err
	}
	rows, err := s.app.Store.Unfinished(ctx, production)
	out := []contract.Order{}
	for _, o := range rows {
		out = append(out, orderView(o))
	}
	return out, err
}

func (s *server) takeStep(ctx context.Context, at ofOrderStep, _ none) (contract.Order, error) {
	o, err := s.app.TakeStep(ctx, at.Order, at.Step)
	return orderView(o), err
}

func orderView(o store.Order) contract.Order {
	return contract.Order{
		Id: o.ID, Kind: o.Kind, State: o.State, Steps: o.State.Steps(), Name: o.Name, Says: o.Says, Test: o.Test, Version: o.Version,
		Frames: o.Frames, SampleRate: o.SampleRate, Error: contract.Snag{Code: o.ErrorCode, Message: o.ErrorMessage}, BeganAt: o.BeganAt,
	}
}
