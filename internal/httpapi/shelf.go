package httpapi

import (
	"context"
	"path"
	"strings"

	"github.com/google/uuid"

	"zestyloom/internal/httpapi/contract"
)

// maxOffered bounds what one answer offers.
const maxOffered = 1000

func (s *server) offered(ctx context.Context, production uuid.UUID) (contract.Watch, error) {
	o, err := s.watcher.Offered(ctx, production)
	out := contract.Watch{Folders: append([]string{}, o.Folders...), Offered: []contract.ShelfEntry{}, Growing: len(o.Growing), Snags: snags(o.Snags)}
	for _, f := range o.New {
		if len(out.Offered) == maxOffered {
			out.More = len(o.New) - maxOffered
			break
		}
		out.Offered = append(out.Offered, contract.ShelfEntry{Name: path.Base(f.Path), Path: f.Path, Size: f.Size})
	}
	return out, err
}

// GetWatch implements contract.StrictServerInterface.
func (s *server) GetWatch(ctx context.Context, r contract.GetWatchRequestObject) (contract.GetWatchResponseObject, error) {
	o, err := s.offered(ctx, r.Production)
	return contract.GetWatch200JSONResponse(o), err
}

// SetWatch implements contract.StrictServerInterface.
func (s *server) SetWatch(ctx context.Context, r contract.SetWatchRequestObject) (contract.SetWatchResponseObject, error) {
	if err := s.watcher.Watch(ctx, r.Production, r.Body.Folders); err != nil {
		return nil, err
	}
	o, err := s.offered(ctx, r.Production)
	return contract.SetWatch200JSONResponse(o), err
}

// DeclineOffered implements contract.StrictServerInterface.
func (s *server) DeclineOffered(ctx context.Context, r contract.DeclineOfferedRequestObject) (contract.DeclineOfferedResponseObject, error) {
	if err := s.watcher.Decline(ctx, r.Production, r.Body.Paths); err != nil {
		return nil, err
	}
	o, err := s.offered(ctx, r.Production)
	return contract.DeclineOffered200JSONResponse(o), err
}

// ListHashLists implements contract.StrictServerInterface.
func (s *server) ListHashLists(ctx context.Context, r contract.ListHashListsRequestObject) (contract.ListHashListsResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	lists, err := s.app.HashLists(ctx, r.Production)
	out := contract.ListHashLists200JSONResponse{}
	for _, l := range lists {
		out = append(out, contract.HashList{
			Id: l.ID, Name: l.Name, Entries: l.Entries, Matches: l.Matches, Waiting: l.Waiting, Differs: append([]string{}, l.Differs...),
			Missing: append([]string{}, l.Missing[:min(50, len(l.Missing))]...), MissingCount: len(l.Missing),
		})
	}
	return out, err
}

// GiveHashList implements contract.StrictServerInterface.
func (s *server) GiveHashList(ctx context.Context, r contract.GiveHashListRequestObject) (contract.GiveHashListResponseObject, error) {
	return contract.GiveHashList202Response{}, s.app.GiveHashList(ctx, r.Production, r.Body.Name, strings.NewReader(r.Body.Xml))
}

// RemoveHashList implements contract.StrictServerInterface.
func (s *server) RemoveHashList(ctx context.Context, r contract.RemoveHashListRequestObject) (contract.RemoveHashListResponseObject, error) {
	return contract.RemoveHashList204Response{}, s.app.RemoveHashList(ctx, r.List)
}
