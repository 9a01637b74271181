// Package reporting answers what operators ask of the fleet: how it stands, what waits for a decision, why a device has
// what it has, what differs and what happened. It changes nothing but its own record of how the fleet stood.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package reporting

import (
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Reads, Records]
	View   *fleetview.View
	Scopes *cache.Scopes

	recent recentRollouts
}
