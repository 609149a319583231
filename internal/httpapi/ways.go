package httpapi

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// kinds of layouts, as the contract has them.
var layoutKinds = map[audio.Kind]contract.LayoutOfferedKind{audio.Bed: contract.LayoutOfferedKindBed, audio.Ambisonic: contract.LayoutOfferedKindAmbisonic, audio.Discrete: contract.LayoutOfferedKindDiscrete}

func (s *server) listLayouts(ctx context.Context, _ none, _ none) ([]contract.LayoutOffered, error) {
	all, err := s.app.Layouts(ctx)
	out := []contract.LayoutOffered{}
	for _, l := range all {
		out = append(out, offeredLayout(l))
	}
	return out, err
}

func offeredLayout(l app.OfferedLayout) contract.LayoutOffered {
	out := contract.LayoutOffered{
		Name: l.Name, Says: l.Says, Kind: layoutKinds[l.Kind], Channels: l.Channels(), Orders: append([]audio.NamedOrder{}, l.Orders()...),
		Speakers: append([]audio.Placed{}, l.Placed()...),
	}
	if l.Own != uuid.Nil {
		out.Own, out.Description = &l.Own, &l.Doc.Description
	}
	return out
}

func (s *server) keepLayout(ctx context.Context, _ none, body contract.OwnLayout) (contract.LayoutOffered, error) {
	l, err := s.app.KeepLayout(ctx, body)
	if err != nil {
		return contract.LayoutOffered{}, err
	}
	return offeredLayout(l), nil
}

func (s *server) forgetLayout(ctx context.Context, at ofLayout, _ none) (none, error) {
	return none{}, s.app.ForgetLayout(ctx, at.Layout)
}

func (s *server) listWays(_ context.Context, _ none, q contract.ListWaysParams) ([]contract.Patch, error) {
	from, err := audio.ParseLayout(q.From)
	if err != nil {
		return nil, snag.Refuse("bad_layout", "%w", err)
	}
	to, err := audio.ParseLayout(q.To)
	if err != nil {
		return nil, snag.Refuse("bad_layout", "%w", err)
	}
	return append([]weave.Patch{}, weave.Ways(from, to, given(q.Law))...), nil
}
