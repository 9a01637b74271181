// Package authoring is where operators write what is to be: policies, groups, assignments, what the organisation knows
// of devices, and the people and groups of the directory. Nothing here reaches a device by itself: what changes is
// asked to be settled.
//
// The errors of its methods are a [*refusal.Error] where the caller can do something about it, and otherwise those of
// the records, which no caller can do anything about.
package authoring

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// Service is the room; every field must be set but where it is said otherwise. Use [New].
type Service struct {
	uow.Room[Records]
	Locks     uow.Locks
	Documents *cache.Documents
	View      Fleet
	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
	// Approvals say which changes need a second person.
	Approvals Approvals
	// Brake says what an import, a rule or a change of facts may alter without a decision.
	Brake Brake
	// Soak is how long the waves of a rollout soak where nothing else is said, [rollout.DefaultGate] when 0.
	Soak time.Duration

	previews chan struct{} // those that are being worked out
	recent   *recentFutures
}

// New opens the room over what it needs.
func New(s Service) *Service {
	s.previews, s.recent = make(chan struct{}, mostPreviews), &recentFutures{}
	return &s
}

// Fleet is what this room needs to know of the devices as they are now.
type Fleet interface {
	Devices(reach rights.Reach) []*fleetview.Device
	CountByGroup(devices []*fleetview.Device) []fleetview.GroupCount
	Groups(clock store.Clock, reach rights.Reach, drawn fleetview.Drawn, visit fleetview.Visit) []fleetview.Group
}
