package escrow

import (
	"crypto/hpke"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"rankwarden.example/internal/kit/atomicfile"
)

// Private is a private key that opens what was sealed to its public half.
type Private struct{ key hpke.PrivateKey }

// NewPrivate makes one from the operating system's random source.
func NewPrivate() (Private, error) {
	kem, _, _ := suite()
	key, err := kem.GenerateKey()
	if err != nil {
		return Private{}, fmt.Errorf("making an escrow key: %w", err)
	}
	return Private{key}, nil
}

// Public is the public half, as devices get it in the key list.
func (p Private) Public() []byte { return p.key.PublicKey().Bytes() }

// Opener opens what was sealed to the keys it holds: a file of keys, or a key device.
type Opener interface {
	// Holds reports whether it has the private key of that number.
	Holds(number int64) bool
	// Open opens what was sealed to the key that about names. It is [ErrNoKey] without that key.
	Open(about About, sealed []byte) (string, error)
}

// ErrNoKey is given where the private key is not there.
var ErrNoKey = errors.New(
	"the private escrow key of that number is not here; give it with --escrow-keys, or ask a replica that has it",
)

// Ring is a file of private keys.
type Ring struct{ Keys []RingKey }

// RingKey is one private key with its number.
type RingKey struct {
	Number int64
	Use    string // protocol.UseEscrow or protocol.UseRecovery
	MadeAt time.Time
	Private
}

// Holds implements [Opener].
func (r Ring) Holds(number int64) bool {
	return slices.ContainsFunc(r.Keys, func(k RingKey) bool { return k.Number == number })
}

// Open implements [Opener].
func (r Ring) Open(about About, sealed []byte) (string, error) {
	i := slices.IndexFunc(r.Keys, func(k RingKey) bool { return k.Number == about.Key })
	if i < 0 {
		return "", ErrNoKey
	}
	return r.Keys[i].Private.Open(about, sealed)
}

// Highest is the highest number in the ring, 0 without any.
func (r Ring) Highest() (highest int64) {
	for _, k := range r.Keys {
		highest = max(highest, k.Number)
	}
	return highest
}

// RingFormat is the format of a file of private escrow keys.
const RingFormat = "rankwarden.escrow-keys/1"

type ringFile struct {
	Format string        `json:"format"`
	Keys   []ringFileKey `json:"keys"`
}

type ringFileKey struct {
	Number  int64     `json:"number"`
	Use     string    `json:"use"`
	MadeAt  time.Time `json:"made_at"`
	Private []byte    `json:"private"` // as RFC 9180 serialises it
}

// ParseRing reads a file of private keys.
func ParseRing(data []byte) (Ring, error) {
	var file ringFile
	if err := json.Unmarshal(data, &file); err != nil || file.Format != RingFormat {
		return Ring{}, fmt.Errorf("not a file of escrow keys (%s)", RingFormat)
	}
	kem, _, _ := suite()
	var r Ring
	for _, k := range file.Keys {
		private, err := kem.NewPrivateKey(k.Private)
		if err != nil || k.Number < 1 || r.Holds(k.Number) {
			return Ring{}, fmt.Errorf(
				"escrow key %d cannot be read, or stands there twice; restore the file from its copy",
				k.Number,
			)
		}
		r.Keys = append(r.Keys, RingKey{k.Number, k.Use, k.MadeAt, Private{private}})
	}
	return r, nil
}

// Bytes is what ParseRing reads.
func (r Ring) Bytes() ([]byte, error) {
	file := ringFile{Format: RingFormat, Keys: []ringFileKey{}}
	for _, k := range r.Keys {
		private, err := k.key.Bytes()
		if err != nil {
			return nil, fmt.Errorf("writing escrow key %d: %w", k.Number, err)
		}
		file.Keys = append(file.Keys, ringFileKey{k.Number, k.Use, k.MadeAt, private})
	}
	return json.MarshalIndent(file, "", "  ")
}

// ReadRing reads the keys in a file of mode 0600; there are none when the file does not exist.
func ReadRing(path string) (Ring, error) {
	info, err := os.Stat(path)
	if errors.Is(err, os.ErrNotExist) {
		return Ring{}, nil
	}
	if err != nil {
		return Ring{}, fmt.Errorf("escrow keys: %w", err)
	}
	if info.Mode().Perm()&0o077 != 0 {
		return Ring{}, fmt.Errorf(
			"escrow keys: %s can be read by others (mode %04o); run chmod 600 on it",
			path,
			info.Mode().Perm(),
		)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return Ring{}, fmt.Errorf("escrow keys: %w", err)
	}
	r, err := ParseRing(data)
	if err != nil {
		return r, fmt.Errorf("escrow keys: %s: %w", path, err)
	}
	return r, nil
}

// Write writes the keys to a file of mode 0600, whole or not at all.
func (r Ring) Write(path string) error {
	data, err := r.Bytes()
	if err == nil {
		err = atomicfile.Write(path, append(data, '\n'), 0o600)
	}
	if err != nil {
		return fmt.Errorf("escrow keys: %w", err)
	}
	return nil
}
