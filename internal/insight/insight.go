// Package insight answers what operators ask of the fleet: how it stands, what waits for a decision, why a device has
// what it has, what differs and what happened. It changes nothing.
package insight

import (
	"rankwarden.example/internal/fleetview"
	"rankwarden.example/internal/scopes"
	"rankwarden.example/internal/uow"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Records]
	View   *fleetview.View
	Scopes *scopes.Cache
}
