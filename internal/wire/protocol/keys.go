package protocol

import (
	"crypto"
	"crypto/ed25519"
	"crypto/rand"
	_ "crypto/sha256" // registers the hash of thumbprints
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"
)

const sha256Hash = crypto.SHA256

// KeysFormat is the format of a key list.
const KeysFormat = "rankwarden.keys/1"

// KeyList names the live keys of the service. Devices accept only a newer list than theirs.
type KeyList struct {
	Format       string      `json:"format"`
	Organisation string      `json:"organisation"`
	Epoch        int64       `json:"epoch"`  // of the service; grows when it comes back from a backup
	Number       int64       `json:"number"` // grows with every list
	IssuedAt     time.Time   `json:"issued_at"`
	Keys         []PublicKey `json:"keys"`
}

// PublicKey is one key of a list.
type PublicKey struct {
	ID     string `json:"id"`
	Use    string `json:"use"`              // signing, escrow or recovery
	Number int64  `json:"number,omitempty"` // of an escrow or recovery key
	Key    []byte `json:"key"`              // Ed25519, or the hybrid of X25519 and ML-KEM-768 as RFC 9180 serialises it
}

// Uses of a key.
const (
	UseSigning  = "signing"  // signs desired states and answers
	UseEscrow   = "escrow"   // passwords are sealed to it; the service holds its private half
	UseRecovery = "recovery" // passwords are sealed to it too; its private half lies offline
)

// Newest is the live key of a use with the highest number.
func (l KeyList) Newest(use string) (PublicKey, bool) {
	newest := PublicKey{}
	for _, k := range l.Keys {
		if k.Use == use && k.Number > newest.Number {
			newest = k
		}
	}
	return newest, newest.Number > 0
}

// Signing finds a live signing key by its id.
func (l KeyList) Signing(id string) (ed25519.PublicKey, bool) {
	i := slices.IndexFunc(l.Keys, func(k PublicKey) bool { return k.ID == id && k.Use == UseSigning })
	if i < 0 || len(l.Keys[i].Key) != ed25519.PublicKeySize {
		return nil, false
	}
	return l.Keys[i].Key, true
}

// ErrRoot is given when a key list is not signed by the root key that the device trusts.
var ErrRoot = errors.New(
	"the key list is not signed by the trusted root key; the enrolment token belongs to another service, or somebody " +
		"stands between",
)

// OpenKeyList checks that the root with the given fingerprint signed the list, and reads it.
func OpenKeyList(document, rootFingerprint string) (KeyList, error) {
	var list KeyList
	signed, err := Parse(document)
	if err != nil {
		return list, err
	}
	if len(signed.Embedded) != ed25519.PublicKeySize || Thumbprint(signed.Embedded) != rootFingerprint {
		return list, ErrRoot
	}
	payload, err := signed.Verify(signed.Embedded)
	if err != nil {
		return list, ErrRoot
	}
	if err := json.Unmarshal(payload, &list); err != nil || list.Format != KeysFormat {
		return list, fmt.Errorf("%w: not a %s document", ErrMalformed, KeysFormat)
	}
	return list, nil
}

// NewKey makes a key pair from the operating system's random source.
func NewKey() (Key, error) {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return Key{}, fmt.Errorf("making a key: %w", err)
	}
	return Key{Thumbprint(public), private}, nil
}
