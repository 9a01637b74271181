// Package access knows who may use the service: operators with their roles, sign-in, sessions and tokens.
//
// The errors of its methods are a [*refusal.Error] where the caller can do something about it, and otherwise those of
// the records, which no caller can do anything about.
package access

import (
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/strangers"
	"rankwarden.example/internal/uow"
)

// Service is the room. Use [New].
type Service struct {
	uow.Room[Records]
	Strangers *strangers.Counter
	passwords *hashing
}

// New opens the room.
func New(room uow.Room[Records], unknown *strangers.Counter, passwords *auth.Hashing) *Service {
	return &Service{Room: room, Strangers: unknown, passwords: newHashing(passwords)}
}
