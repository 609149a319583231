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

func (s *server) getKey(_ context.Context, _ none, _ none) (contract.PublicKey, error) {
	if s.app.Key == nil {
		return contract.PublicKey{}, app.ErrNotFound
	}
	key := s.app.Key.Public().(ed25519.PublicKey)
	return contract.PublicKey{Algorithm: contract.Ed25519, Key: base64.StdEncoding.EncodeToString(key), Fingerprint: attest.Fingerprint(key), Pem: attest.PEM(key)}, nil
}

func (s *server) getScrub(ctx context.Context, _ none, _ none) (contract.Scrub, error) {
	n, err := s.app.Scrub(ctx)
	if err != nil {
		return contract.Scrub{}, err
	}
	now := s.app.ScrubbingNow()
	return contract.Scrub{
		Days: int(s.app.ScrubEvery / (24 * time.Hour)), Files: n.Files, FilesDone: n.FilesDone, Bytes: n.Bytes, BytesDone: n.BytesDone, Deliveries: n.Deliveries, DeliveriesDone: n.DeliveriesDone,
		Amiss: n.Amiss, Oldest: n.Oldest, Reading: now.Name, ReadingDone: now.Done, ReadingTotal: now.Total,
	}, nil
}
