//go:build linux

package linux

import (
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/go-crypt/crypt"
	"github.com/go-crypt/crypt/algorithm/bcrypt"
	"github.com/go-crypt/crypt/algorithm/md5crypt"
	"github.com/go-crypt/crypt/algorithm/shacrypt"
	"github.com/go-crypt/x/yescrypt"
)

// yescryptMark begins a hash of the method that most systems of today use, see crypt(5).
const yescryptMark = "$y$"

// opens reports whether a password is that of a hash of crypt(5), without the marks of a lock. The error says that the
// method is none of those known here.
func opens(hash, password string) (bool, error) {
	if strings.HasPrefix(hash, yescryptMark) {
		made, err := yescrypt.Hash([]byte(password), []byte(hash))
		if err != nil {
			return false, fmt.Errorf("the hash of the password: %w", err)
		}
		return subtle.ConstantTimeCompare(made, []byte(hash)) == 1, nil
	}
	known := crypt.NewDecoder()
	err := errors.Join(shacrypt.RegisterDecoder(known), bcrypt.RegisterDecoder(known), md5crypt.RegisterDecoder(known))
	if err != nil {
		return false, err
	}
	digest, err := known.Decode(hash)
	if err != nil {
		return false, errors.New("the password is kept in a way that cannot be read while the account is locked")
	}
	return digest.MatchAdvanced(password)
}

// hashed is a password as the others of the system are kept, see crypt(5).
func (db database) hashed(password string) (string, error) {
	if db.defs["ENCRYPT_METHOD"] == "YESCRYPT" || slices.ContainsFunc(db.people, func(p person) bool {
		return strings.HasPrefix(strings.TrimLeft(p.hash, "!*"), yescryptMark)
	}) {
		salt := make([]byte, 16)
		if _, err := rand.Read(salt); err != nil {
			return "", err
		}
		hash, err := yescrypt.Hash([]byte(password), []byte(yescryptMark+"j9T$"+string(yescrypt.Encode64(salt))))
		return string(hash), err
	}
	method, err := shacrypt.New(shacrypt.WithSHA512(), shacrypt.WithRounds(100_000))
	if err != nil {
		return "", err
	}
	digest, err := method.Hash(password)
	if err != nil {
		return "", err
	}
	return digest.Encode(), nil
}
