// Package access knows who may use the service: operators with their roles, sign-in, sessions and tokens.
//
// The errors of its methods are a [*refusal.Error] where the caller can do something about it, and otherwise those of
// the records, which no caller can do anything about.
package access

import (
	"github.com/go-webauthn/webauthn/webauthn"

	"rankwarden.example/internal/base/auth"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/wire/oidc"
)

// Service is the room. Use [New].
type Service struct {
	uow.Room[Reads, Records]
	Strangers *uow.Strangers
	// RequireSecondFactor lets a session without one do nothing but set one up.
	RequireSecondFactor bool
	Organisation        string
	Provider            *oidc.Provider     // nil for none
	Passkeys            *webauthn.WebAuthn // for which site they are, nil for none
	// OnlyProvider lets nobody sign in with a password but sealed owners.
	OnlyProvider bool
	passwords    *hashing
	secrets      secretbox.Box // of second factors
}

// New opens the room. Secrets of second factors are kept in a box.
func New(
	room uow.Room[Reads, Records], unknown *uow.Strangers, passwords *auth.Hashing, secrets secretbox.Box,
) *Service {
	return &Service{Room: room, Strangers: unknown, passwords: newHashing(passwords), secrets: secrets}
}
