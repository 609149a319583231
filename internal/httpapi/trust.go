package httpapi

import (
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"time"

	"zestyloom/core/attest"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

// GetKey implements contract.StrictServerInterface.
func (s *server) GetKey(context.Context, contract.GetKeyRequestObject) (contract.GetKeyResponseObject, error) {
	if s.app.Key == nil {
		return nil, app.ErrNotFound
	}
	key := s.app.Key.Public().(ed25519.PublicKey)
	return contract.GetKey200JSONResponse{Algorithm: contract.Ed25519, Key: base64.StdEncoding.EncodeToString(key), Fingerprint: attest.Fingerprint(key), Pem: attest.PEM(key)}, nil
}

// GetScrub implements contract.StrictServerInterface.
func (s *server) GetScrub(ctx context.Context, _ contract.GetScrubRequestObject) (contract.GetScrubResponseObject, error) {
	n, err := s.app.Scrub(ctx)
	if err != nil {
		return nil, err
	}
	now := s.app.ScrubbingNow()
	return contract.GetScrub200JSONResponse{
		Days: int(s.app.ScrubEvery / (24 * time.Hour)), Files: n.Files, FilesDone: n.FilesDone, Bytes: n.Bytes, BytesDone: n.BytesDone, Deliveries: n.Deliveries, DeliveriesDone: n.DeliveriesDone,
		Amiss: n.Amiss, Oldest: n.Oldest, Reading: now.Name, ReadingDone: now.Done, ReadingTotal: now.Total,
	}, nil
}
