// Package secretbox keeps secrets that the database holds: they are sealed with a key that is not in it.
package secretbox

import (
	"crypto/aes"
	"crypto/cipher"
	"errors"
	"fmt"
)

// Box seals with one key (AES-256-GCM). Use [New].
type Box struct{ aead cipher.AEAD }

// New makes a box with a key of 32 bytes.
func New(key []byte) (Box, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return Box{}, fmt.Errorf("a key to seal with: %w", err)
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	return Box{aead}, err
}

// ErrForeign is given for what another key sealed, or what belongs to something else.
var ErrForeign = errors.New("it was sealed with another key: is the key file that of this database?")

// Seal seals a secret of something, which [Box.Open] must name again.
func (b Box) Seal(of, secret string) []byte { return b.aead.Seal(nil, nil, []byte(secret), []byte(of)) }

// Open gives a secret back. Its error is [ErrForeign].
func (b Box) Open(of string, data []byte) (string, error) {
	secret, err := b.aead.Open(nil, nil, data, []byte(of))
	if err != nil {
		return "", ErrForeign
	}
	return string(secret), nil
}
