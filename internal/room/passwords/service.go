// Package passwords keeps the passwords of accounts, sealed: devices deposit them, operators see them with a reason,
// and the keys that they are sealed to are made, proved and retired. It also keeps the list of keys that devices trust.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package passwords

import (
	"context"
	"sync/atomic"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/batch"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
)

// Options are what the room is made of; every field must be set, but View and Hub where nobody reads lists.
type Options struct {
	uow.Room[Reads, Records]
	Keys         keyring.Ring
	Hub          *notices.Hub
	View         Fleet
	Scopes       *cache.Scopes
	Organisation string
	// OpenEscrow reads the private escrow keys; it is called again when they changed.
	OpenEscrow func() (escrow.Opener, error)
	// RevealBudget is how many passwords an operator may see in an hour before a second person must approve.
	RevealBudget int
	// SecondPersonKeys has keys go live and retire only with a second person.
	SecondPersonKeys bool
	Locks            uow.Locks
}

// Service is the room. Use [New].
type Service struct {
	Options
	listed atomic.Pointer[knownKeyList]
	opener atomic.Pointer[escrow.Opener]
	given  batch.Gather[*given] // deposits on their way
}

// New opens the room, and brings its signed key list up to date.
func New(ctx context.Context, o Options) (*Service, error) {
	s := &Service{Options: o}
	opener, err := o.OpenEscrow()
	if err != nil {
		return nil, err
	}
	s.opener.Store(&opener)
	return s, s.publish(ctx)
}

// Fleet is what this room needs to know of the devices as they are now.
type Fleet interface {
	reach.Fleet
	Each(clock store.Clock, f fleetview.Filter, visit func(d *fleetview.Device, standing drift.Standing) bool)
}
