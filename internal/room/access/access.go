// Package access knows who may use the service: operators with their roles, sign-in, sessions and tokens.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package access

import (
	"github.com/go-webauthn/webauthn/webauthn"

	"rankwarden.example/internal/base/auth"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/wire/oidc"
)

// Options are what the room is made of.
type Options struct {
	Room      uow.Room[Reads, Records]
	Strangers *uow.Strangers
	Passwords *auth.Hashing
	Factors   secretbox.Box // keeps the secrets of second factors
	// RequireSecondFactor lets a session without one do nothing but set one up.
	RequireSecondFactor bool
	Organisation        string
	Provider            *oidc.Provider     // nil for none
	Passkeys            *webauthn.WebAuthn // for which site they are, nil for none
	// OnlyProvider lets nobody sign in with a password but sealed owners.
	OnlyProvider bool
}

// Service is the room. Use [New].
type Service struct {
	Options
	uow.Room[Reads, Records]
	passwords *hashing
	secrets   secretbox.Box // of second factors
}

// New opens the room.
func New(o Options) *Service {
	return &Service{Options: o, Room: o.Room, passwords: newHashing(o.Passwords), secrets: o.Factors}
}
