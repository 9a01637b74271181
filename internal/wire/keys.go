package wire

import (
	"crypto"
	"crypto/ed25519"
	"crypto/rand"
	_ "crypto/sha256" // registers the hash of thumbprints
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/go-jose/go-jose/v4"
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
var ErrRoot = errors.New("the key list is not signed by the trusted root key; the enrolment token belongs to another service, or somebody stands between")

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

// Keyring holds the service's private keys. They live in a file of mode 0600, never in the
// database; all replicas read the same file.
type Keyring struct {
	Root    Key
	Signing Key
}

type keyringFile struct {
	Root    jose.JSONWebKey `json:"root"`
	Signing jose.JSONWebKey `json:"signing"`
}

// NewKey makes a key pair from the operating system's random source.
func NewKey() (Key, error) {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return Key{}, fmt.Errorf("making a key: %w", err)
	}
	return Key{Thumbprint(public), private}, nil
}

// ErrNoKeyring is given when there is no key file.
var ErrNoKeyring = errors.New("there is no key file")

// LoadKeyring reads the keys. It never makes any: see [CreateKeyring].
func LoadKeyring(path string) (Keyring, error) {
	info, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		return Keyring{}, fmt.Errorf("service keys: %w at %s. Is the volume with the keys mounted? For a new database, make them once: rankwardend keys new --service", ErrNoKeyring, path)
	}
	if err != nil {
		return Keyring{}, fmt.Errorf("service keys: %w", err)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return Keyring{}, fmt.Errorf("service keys: %s can be read by others (mode %04o); run chmod 600 on it", path, info.Mode().Perm())
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return Keyring{}, fmt.Errorf("service keys: %w", err)
	}
	var file keyringFile
	if err := json.Unmarshal(data, &file); err != nil {
		return Keyring{}, fmt.Errorf("service keys: %s is not a key file: %w", path, err)
	}
	root, okRoot := file.Root.Key.(ed25519.PrivateKey)
	signing, okSigning := file.Signing.Key.(ed25519.PrivateKey)
	if !okRoot || !okSigning {
		return Keyring{}, fmt.Errorf("service keys: %s lacks an Ed25519 root or signing key; restore it from a backup", path)
	}
	return Keyring{Key{file.Root.KeyID, root}, Key{file.Signing.KeyID, signing}}, nil
}

// CreateKeyring makes the keys of a new service, and writes them to a file that must not exist yet.
func CreateKeyring(path string) (Keyring, error) {
	if _, err := os.Lstat(path); !errors.Is(err, os.ErrNotExist) {
		return Keyring{}, fmt.Errorf("service keys: there is a file at %s already; keys are never overwritten", path)
	}
	root, err := NewKey()
	if err != nil {
		return Keyring{}, err
	}
	signing, err := NewKey()
	if err != nil {
		return Keyring{}, err
	}
	data, err := json.Marshal(keyringFile{
		Root:    jose.JSONWebKey{Key: root.Private, KeyID: root.ID},
		Signing: jose.JSONWebKey{Key: signing.Private, KeyID: signing.ID},
	})
	if err != nil {
		return Keyring{}, fmt.Errorf("service keys: %w", err)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return Keyring{}, fmt.Errorf("service keys: %w", err)
	}
	if err := WriteDurably(path, data, 0o600); err != nil {
		return Keyring{}, fmt.Errorf("service keys: %w", err)
	}
	return Keyring{root, signing}, nil
}

// WriteDurably replaces a file whole: after a crash there is the old one or the new one.
func WriteDurably(path string, data []byte, mode os.FileMode) error {
	temporary, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+"-*")
	if err != nil {
		return err
	}
	defer os.Remove(temporary.Name())
	_, err = temporary.Write(data)
	err = errors.Join(err, temporary.Chmod(mode), temporary.Sync(), temporary.Close())
	if err != nil {
		return err
	}
	if err := os.Rename(temporary.Name(), path); err != nil {
		return err
	}
	directory, err := os.Open(filepath.Dir(path)) // else the new name itself may be lost with the power
	if err != nil {
		return err
	}
	return errors.Join(directory.Sync(), directory.Close())
}

// SignList has the root sign a list of this ring's public keys and of the live escrow keys.
func (k Keyring) SignList(organisation string, epoch, number int64, escrow []PublicKey, at time.Time) (string, error) {
	list := KeyList{KeysFormat, organisation, epoch, number, at.UTC().Truncate(time.Second),
		append([]PublicKey{{ID: k.Signing.ID, Use: UseSigning, Key: k.Signing.Public()}}, escrow...)}
	return Sign(k.Root, Header{KeyID: k.Root.ID, Time: at}, list, true)
}
