// Package organisation shows what the organisation says of itself: groups of devices, and the people and groups of its
// directory. It alters none of it: that is what the room of changes does.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package organisation

import (
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Service is the room; every field must be set but where it is said otherwise.
type Service struct {
	uow.Room[Reads, Records]
	View Fleet
}

// Fleet is what this room needs to know of the devices as they are now.
type Fleet interface {
	forecast.Fleet
	Groups(clock store.Clock, reach rights.Reach, drawn fleetview.Drawn, visit fleetview.Visit) []fleetview.Group
}
