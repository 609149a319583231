package httpapi

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/internal/httpapi/contract"
)

// ListQueue implements contract.StrictServerInterface.
func (s *server) ListQueue(ctx context.Context, r contract.ListQueueRequestObject) (contract.ListQueueResponseObject, error) {
	list, err := s.queue(ctx, r.Production)
	return contract.ListQueue200JSONResponse(list), err
}

// OrderQueue implements contract.StrictServerInterface.
func (s *server) OrderQueue(ctx context.Context, r contract.OrderQueueRequestObject) (contract.OrderQueueResponseObject, error) {
	if err := s.app.ReorderQueue(ctx, r.Production, r.Body.Order); err != nil {
		return nil, err
	}
	list, err := s.queue(ctx, r.Production)
	return contract.OrderQueue200JSONResponse(list), err
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
