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

// ListLayouts implements contract.StrictServerInterface.
func (s *server) ListLayouts(ctx context.Context, _ contract.ListLayoutsRequestObject) (contract.ListLayoutsResponseObject, error) {
	all, err := s.app.Layouts(ctx)
	out := contract.ListLayouts200JSONResponse{}
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

// KeepLayout implements contract.StrictServerInterface.
func (s *server) KeepLayout(ctx context.Context, r contract.KeepLayoutRequestObject) (contract.KeepLayoutResponseObject, error) {
	l, err := s.app.KeepLayout(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	return contract.KeepLayout200JSONResponse(offeredLayout(l)), nil
}

// ForgetLayout implements contract.StrictServerInterface.
func (s *server) ForgetLayout(ctx context.Context, r contract.ForgetLayoutRequestObject) (contract.ForgetLayoutResponseObject, error) {
	return contract.ForgetLayout204Response{}, s.app.ForgetLayout(ctx, r.Layout)
}

// ListWays implements contract.StrictServerInterface.
func (s *server) ListWays(_ context.Context, r contract.ListWaysRequestObject) (contract.ListWaysResponseObject, error) {
	from, err := audio.ParseLayout(r.Params.From)
	if err != nil {
		return nil, snag.Refuse("bad_layout", "%w", err)
	}
	to, err := audio.ParseLayout(r.Params.To)
	if err != nil {
		return nil, snag.Refuse("bad_layout", "%w", err)
	}
	return contract.ListWays200JSONResponse(append([]weave.Patch{}, weave.Ways(from, to, given(r.Params.Law))...)), nil
}
