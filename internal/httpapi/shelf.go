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

func (s *server) getWatch(ctx context.Context, at ofProduction, _ none) (contract.Watch, error) {
	return s.offered(ctx, at.Production)
}

func (s *server) setWatch(ctx context.Context, at ofProduction, body contract.WatchOrder) (contract.Watch, error) {
	if err := s.watcher.Watch(ctx, at.Production, body.Folders); err != nil {
		return contract.Watch{}, err
	}
	return s.offered(ctx, at.Production)
}

func (s *server) declineOffered(ctx context.Context, at ofProduction, body contract.Declined) (contract.Watch, error) {
	if err := s.watcher.Decline(ctx, at.Production, body.Paths); err != nil {
		return contract.Watch{}, err
	}
	return s.offered(ctx, at.Production)
}

func (s *server) listHashLists(ctx context.Context, at ofProduction, _ none) ([]contract.HashList, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return nil, err
	}
	lists, err := s.app.HashLists(ctx, at.Production)
	out := []contract.HashList{}
	for _, l := range lists {
		out = append(out, contract.HashList{
			Id: l.ID, Name: l.Name, Entries: l.Entries, Matches: l.Matches, Waiting: l.Waiting, Differs: append([]string{}, l.Differs...),
			Missing: append([]string{}, l.Missing[:min(50, len(l.Missing))]...), MissingCount: len(l.Missing),
		})
	}
	return out, err
}

func (s *server) giveHashList(ctx context.Context, at ofProduction, body contract.NewHashList) (none, error) {
	return none{}, s.app.GiveHashList(ctx, at.Production, body.Name, strings.NewReader(body.Xml))
}

func (s *server) removeHashList(ctx context.Context, at ofList, _ none) (none, error) {
	return none{}, s.app.RemoveHashList(ctx, at.List)
}
