package httpapi

import (
	"context"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/httpapi/contract"
)

// kinds of layouts, as the contract has them.
var layoutKinds = map[audio.Kind]contract.LayoutOfferedKind{audio.Bed: contract.LayoutOfferedKindBed, audio.Ambisonic: contract.LayoutOfferedKindAmbisonic, audio.Discrete: contract.LayoutOfferedKindDiscrete}

// ListLayouts implements contract.StrictServerInterface.
func (s *server) ListLayouts(context.Context, contract.ListLayoutsRequestObject) (contract.ListLayoutsResponseObject, error) {
	out := contract.ListLayouts200JSONResponse{}
	for _, l := range audio.Offered() {
		out = append(out, contract.LayoutOffered{
			Name: l.Name, Kind: layoutKinds[l.Kind], Channels: l.Channels(), Orders: append([]audio.NamedOrder{}, l.Orders()...),
		})
	}
	return out, nil
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
