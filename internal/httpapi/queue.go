package httpapi

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/internal/httpapi/contract"
)

func (s *server) listQueue(ctx context.Context, at ofProduction, _ none) ([]contract.QueueItem, error) {
	return s.queue(ctx, at.Production)
}

func (s *server) orderQueue(ctx context.Context, at ofProduction, body contract.QueueOrder) ([]contract.QueueItem, error) {
	if err := s.app.ReorderQueue(ctx, at.Production, body.Order); err != nil {
		return nil, err
	}
	return s.queue(ctx, at.Production)
}

func (s *server) queue(ctx context.Context, production uuid.UUID) ([]contract.QueueItem, error) {
	if _, err := s.app.Store.Production(ctx, production); err != nil {
		return nil, err
	}
	rows, err := s.app.Store.Makings(ctx, production)
	out := []contract.QueueItem{}
	for _, m := range rows {
		out = append(out, contract.QueueItem{
			Id: m.ID, Kind: contract.QueueItemKind(m.Kind), State: contract.QueueItemState(m.State), Name: m.Name, Says: m.Says, Test: m.Test, Version: m.Version,
			Frames: m.Frames, SampleRate: m.SampleRate, Error: contract.Snag{Code: m.ErrorCode, Message: m.ErrorMessage}, BeganAt: m.BeganAt,
		})
	}
	return out, err
}
