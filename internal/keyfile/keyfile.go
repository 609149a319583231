// Package keyfile keeps the key that an installation signs its proofs with, in a file that only its user can read.
package keyfile

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Open reads the key at path (PKCS#8 in PEM), or makes one where there is none yet. Of two processes that begin at once both
// get the same.
func Open(path string) (ed25519.PrivateKey, error) {
	key, err := read(path)
	if !errors.Is(err, fs.ErrNotExist) {
		return key, err
	}
	if err := create(path); err != nil && !errors.Is(err, fs.ErrExist) {
		return nil, fmt.Errorf("the key that proofs are signed with can't be made: %w", err)
	}
	return read(path)
}

func read(path string) (ed25519.PrivateKey, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	if block, _ := pem.Decode(text); block != nil {
		k, err := x509.ParsePKCS8PrivateKey(block.Bytes)
		if key, ok := k.(ed25519.PrivateKey); err == nil && ok {
			return key, nil
		}
	}
	return nil, fmt.Errorf("%s holds no Ed25519 key in PEM, with which proofs are signed: bring it back from a copy; or move it away and a new one is made, which recipients don't know yet", path)
}

// create makes a key that is under its name when it is whole, unless one is there by then.
func create(path string) error {
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return err
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".key-*") // 0600
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	err = pem.Encode(f, &pem.Block{Type: "PRIVATE KEY", Bytes: der})
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return err
	}
	return os.Link(f.Name(), path)
}
