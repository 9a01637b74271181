// Package auth knows who somebody is: password hashes, session and token secrets, roles.
package auth

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
)

// MinPassword is the least length of an operator's password, in characters.
const MinPassword = 12

// ErrWeakPassword is given for a password that is too short.
var ErrWeakPassword = fmt.Errorf("a password needs at least %d characters; a few words do well", MinPassword)

// Hashing hashes passwords of operators with Argon2id (RFC 9106). Use [NewHashing].
type Hashing struct {
	cost  argon2id.Params
	decoy string // compared with when there is no such operator, so that time does not tell
}

// NewHashing hashes in so many KiB of memory for each password, 64 MiB when it is 0. Whoever guesses needs as much.
func NewHashing(memory uint32) *Hashing {
	h := &Hashing{cost: *argon2id.DefaultParams}
	if memory > 0 {
		h.cost.Memory = memory
	}
	h.decoy, _ = argon2id.CreateHash("no operator has this", &h.cost) // fails only where there is no randomness
	return h
}

// Hash hashes a password. Its errors are [ErrWeakPassword], and one that says that the hash could not be made.
func (h *Hashing) Hash(password string) (string, error) {
	if utf8.RuneCountInString(password) < MinPassword {
		return "", ErrWeakPassword
	}
	hash, err := argon2id.CreateHash(password, &h.cost)
	if err != nil {
		return "", errors.New("the password could not be hashed")
	}
	return hash, nil
}

// Check compares a password with a hash, in the same time also without one.
func (h *Hashing) Check(password, hash string) bool {
	known := hash != ""
	if !known {
		hash = h.decoy
	}
	match, err := argon2id.ComparePasswordAndHash(password, hash)
	return match && err == nil && known
}

// TokenPrefix begins every API token, so that a lost one is recognised.
const TokenPrefix = "rwt_"

// NewSecret makes 256 random bits in base64url.
func NewSecret() string {
	secret := make([]byte, 32)
	_, _ = rand.Read(secret) // never fails, see crypto/rand
	return base64.RawURLEncoding.EncodeToString(secret)
}

// HashSecret is what is stored of a session or token secret. A plain hash is enough for 256 random bits.
func HashSecret(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// NewPassword makes a password for a first sign-in: four groups of five characters that are not
// taken for one another.
func NewPassword() string {
	const alphabet = "abcdefghjkmnpqrstuvwxyz23456789"
	raw := make([]byte, 64)
	var b strings.Builder
	for n := 0; n < 20; {
		_, _ = rand.Read(raw)
		for _, c := range raw {
			if int(c) >= 256/len(alphabet)*len(alphabet) || n == 20 {
				continue
			}
			if n > 0 && n%5 == 0 {
				b.WriteByte('-')
			}
			b.WriteByte(alphabet[int(c)%len(alphabet)])
			n++
		}
	}
	return b.String()
}
