// Package keyring keeps the service's private keys: the root, which signs key lists, and the key that signs what
// devices are told.
package keyring

import (
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/go-jose/go-jose/v4"

	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/wire/protocol"
)

// Ring holds the service's private keys. They live in a file of mode 0600, never in the
// database; all replicas read the same file.
type Ring struct {
	Root    protocol.Key
	Signing protocol.Key
}

type keyringFile struct {
	Root    jose.JSONWebKey `json:"root"`
	Signing jose.JSONWebKey `json:"signing"`
}

// ErrNone is given when there is no key file.
var ErrNone = errors.New("there is no key file")

// Load reads the keys. It never makes any: see [Create].
func Load(path string) (Ring, error) {
	info, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		return Ring{}, fmt.Errorf(
			"service keys: %w at %s. Is the volume with the keys mounted? For a new database, make them once: "+
				"rankwardend keys new --service",
			ErrNone,
			path,
		)
	}
	if err != nil {
		return Ring{}, fmt.Errorf("service keys: %w", err)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return Ring{}, fmt.Errorf(
			"service keys: %s can be read by others (mode %04o); run chmod 600 on it",
			path,
			info.Mode().Perm(),
		)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return Ring{}, fmt.Errorf("service keys: %w", err)
	}
	var file keyringFile
	if err := json.Unmarshal(data, &file); err != nil {
		return Ring{}, fmt.Errorf("service keys: %s is not a key file: %w", path, err)
	}
	root, okRoot := file.Root.Key.(ed25519.PrivateKey)
	signing, okSigning := file.Signing.Key.(ed25519.PrivateKey)
	if !okRoot || !okSigning {
		return Ring{}, fmt.Errorf(
			"service keys: %s lacks an Ed25519 root or signing key; restore it from a backup",
			path,
		)
	}
	return Ring{
		protocol.Key{ID: file.Root.KeyID, Private: root},
		protocol.Key{ID: file.Signing.KeyID, Private: signing},
	}, nil
}

// Create makes the keys of a new service, and writes them to a file that must not exist yet.
func Create(path string) (Ring, error) {
	if _, err := os.Lstat(path); !errors.Is(err, os.ErrNotExist) {
		return Ring{}, fmt.Errorf("service keys: there is a file at %s already; keys are never overwritten", path)
	}
	root, err := protocol.NewKey()
	if err != nil {
		return Ring{}, err
	}
	signing, err := protocol.NewKey()
	if err != nil {
		return Ring{}, err
	}
	data, err := json.Marshal(keyringFile{
		Root:    jose.JSONWebKey{Key: root.Private, KeyID: root.ID},
		Signing: jose.JSONWebKey{Key: signing.Private, KeyID: signing.ID},
	})
	if err != nil {
		return Ring{}, fmt.Errorf("service keys: %w", err)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return Ring{}, fmt.Errorf("service keys: %w", err)
	}
	if err := atomicfile.Write(path, data, 0o600); err != nil {
		return Ring{}, fmt.Errorf("service keys: %w", err)
	}
	return Ring{root, signing}, nil
}

// Derive gives a key of 32 bytes for one purpose, which this ring alone can give (HKDF, RFC 5869).
func (k Ring) Derive(purpose string) ([]byte, error) {
	return hkdf.Key(sha256.New, k.Root.Private.Seed(), nil, "rankwarden "+purpose, 32)
}

// SignList has the root sign a list of this ring's public keys and of the live escrow keys.
func (k Ring) SignList(
	organisation string, epoch, number int64, escrow []protocol.PublicKey, at time.Time,
) (string, error) {
	list := protocol.KeyList{
		Format:       protocol.KeysFormat,
		Organisation: organisation,
		Epoch:        epoch,
		Number:       number,
		IssuedAt:     at.UTC().Truncate(time.Second),
		Keys: append(
			[]protocol.PublicKey{{ID: k.Signing.ID, Use: protocol.UseSigning, Key: k.Signing.Public()}},
			escrow...),
	}
	return protocol.Sign(k.Root, protocol.Header{KeyID: k.Root.ID, Time: at}, list, true)
}
