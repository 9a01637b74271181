// Package organisation is what the organisation says of itself: groups of devices, what it knows of each device, and
// the people and groups of its directory. What would alter much by one edit waits at the brake for a decision.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package organisation

import (
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// Service is the room; every field must be set but where it is said otherwise.
type Service struct {
	uow.Room[Reads, Records]
	Locks     uow.Locks
	Documents *cache.Documents
	View      Fleet
	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
	// Brake says what an import, a rule or a change of facts may alter without a decision.
	Brake Brake
}

// Fleet is what this room needs to know of the devices as they are now.
type Fleet interface {
	forecast.Fleet
	Groups(clock store.Clock, reach rights.Reach, drawn fleetview.Drawn, visit fleetview.Visit) []fleetview.Group
}
