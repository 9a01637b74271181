//go:build linux

package linux

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/sha256"
	"errors"
	"strings"

	"rankwarden.example/internal/agent/journal"
)

var _ journal.Sealer = (*Host)(nil)

// Seal implements [journal.Sealer]: to the identifier that the system gave itself, see machine-id(5), and to those of
// the firmware, which are on no disk. It keeps what was copied from being used elsewhere; from root of this machine it
// hides nothing.
func (h *Host) Seal(key []byte) ([]byte, error) {
	aead, err := machineAEAD()
	if err != nil {
		return nil, err
	}
	return aead.Seal(nil, nil, key, nil), nil
}

// Unseal implements [journal.Sealer].
func (h *Host) Unseal(sealed []byte) ([]byte, error) {
	aead, err := machineAEAD()
	if err != nil {
		return nil, err
	}
	return aead.Open(nil, nil, sealed, nil)
}

func machineAEAD() (cipher.AEAD, error) {
	id := strings.TrimSpace(string(readOr("/etc/machine-id")))
	if id == "" {
		return nil, errors.New("this machine has no identifier; make one with systemd-machine-id-setup")
	}
	machine := id + "\x00" + firmware("product_uuid") + "\x00" + firmware("board_serial")
	key, err := hkdf.Key(sha256.New, []byte(machine), nil, "rankwarden agent key", 32)
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, err
	}
	return cipher.NewGCMWithRandomNonce(block)
}
