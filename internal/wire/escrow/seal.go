// Package escrow seals passwords so that only who holds a private key can read them, and opens them.
//
// Sealing is HPKE (RFC 9180) in base mode with the hybrid key encapsulation of X25519 and ML-KEM-768,
// HKDF-SHA256 and AES-256-GCM. What a password is for is the associated data: sealed bytes that were
// moved to another device, account or number do not open.
package escrow

import (
	"crypto/hpke"
	"encoding/json"
	"errors"
	"fmt"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

// AboutFormat is the format of what a sealed password is about.
const AboutFormat = "rankwarden.deposit/1"

// About says what a sealed password is for. Its JSON, in the order of the fields, is the associated
// data of the sealing.
type About struct {
	Format       string        `json:"format"`
	Organisation string        `json:"organisation"`
	Device       string        `json:"device"`  // id
	Target       principal.Ref `json:"target"`  // the account as policies name it
	Account      principal.SID `json:"account"` // its security identifier on the device
	Epoch        int64         `json:"epoch"`   // of the device's writes
	Number       int64         `json:"number"`  // of the device's deposits in that epoch, from 1
	Key          int64         `json:"key"`     // number of the key it is sealed to
	NameBefore   string        `json:"name_before"`
	NameAfter    string        `json:"name_after"`
}

// Sizes in bytes.
const (
	encapsulated = 1120 // of the key encapsulation, before the ciphertext
	tag          = 16   // of the cipher, after it
	MaxPassword  = 512
)

// ErrSealed is given for sealed bytes that do not open: they were changed, or belong to another
// device, account, number or key.
var ErrSealed = errors.New(
	"the sealed password does not open: it was changed, or belongs to another device, account, deposit or key",
)

var info = []byte("rankwarden deposit")

func suite() (hpke.KEM, hpke.KDF, hpke.AEAD) {
	return hpke.MLKEM768X25519(), hpke.HKDFSHA256(), hpke.AES256GCM()
}

func (a About) bytes() []byte {
	a.Format = AboutFormat
	data, _ := json.Marshal(a) // plain values, which always marshal
	return data
}

// CheckPublic refuses what is no public key of this suite.
func CheckPublic(public []byte) error {
	kem, _, _ := suite()
	if _, err := kem.NewPublicKey(public); err != nil {
		return errors.New("it is no public key of ML-KEM-768 with X25519; create the key with rankwarden key create")
	}
	return nil
}

// Seal seals a password to a public key.
func Seal(public []byte, about About, password string) ([]byte, error) {
	kem, kdf, aead := suite()
	key, err := kem.NewPublicKey(public)
	if err != nil {
		return nil, fmt.Errorf("sealing to key %d: %w", about.Key, err)
	}
	enc, sender, err := hpke.NewSender(key, kdf, aead, info)
	if err != nil {
		return nil, fmt.Errorf("sealing to key %d: %w", about.Key, err)
	}
	sealed, err := sender.Seal(about.bytes(), []byte(password))
	if err != nil {
		return nil, fmt.Errorf("sealing to key %d: %w", about.Key, err)
	}
	return append(enc, sealed...), nil
}

// Open opens what Seal sealed about exactly the same.
func (p Private) Open(about About, sealed []byte) (string, error) {
	if len(sealed) < encapsulated+tag {
		return "", ErrSealed
	}
	_, kdf, aead := suite()
	recipient, err := hpke.NewRecipient(sealed[:encapsulated], p.key, kdf, aead, info)
	if err != nil {
		return "", ErrSealed
	}
	password, err := recipient.Open(about.bytes(), sealed[encapsulated:])
	if err != nil {
		return "", ErrSealed
	}
	return string(password), nil
}

// SealedLength is the length of the password under sealed bytes, in bytes; negative for none.
func SealedLength(sealed []byte) int { return len(sealed) - encapsulated - tag }

// Of is what a deposit of a device, sealed to a key, is about.
func Of(organisation, device string, d protocol.Deposit, key int64) About {
	return About{Organisation: organisation, Device: device, Target: d.Target, Account: d.Account,
		Epoch: d.Epoch, Number: d.Number, Key: key, NameBefore: d.NameBefore, NameAfter: d.NameAfter}
}
