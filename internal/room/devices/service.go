// Package devices takes what comes from workstations: enrolments, reports, events, results of orders; and what
// operators want of single devices. It compares what a device has with what it should have, and keeps the findings.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package devices

import (
	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/batch"
	"rankwarden.example/internal/wire/protocol"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Reads, Records]
	Reports   uow.Batches[ReportBatch]
	Desired   Desired
	Locks     uow.Locks
	Keys      Keys
	View      reach.Fleet
	Scopes    *cache.Scopes
	Strangers *uow.Strangers
	// Rules say what one person alone cannot order.
	Rules gate.Rules
	// SecondPersonWaives says that a second person must agree to waivers of administrators.
	SecondPersonWaives bool

	incoming batch.Gather[*incoming] // reports on their way
	busy     batch.Gather[*incoming] // those of devices that something else holds
	wanted   batch.Gather[*wanted]   // desired states that devices wait for
}

// Keys are the keys of the service, as far as devices are told of them.
type Keys interface {
	Signing() protocol.Key
	Root() string // fingerprint
	Epoch() int64 // of the service
}
