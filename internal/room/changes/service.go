// Package changes is where operators write what is to be: policies, assignments, groups, facts, the directory, and
// changes that alter several things at once, with their preview, their approval and the commands of their rollout. It
// is the door: the only room that writes what is in force, and whatever alters that goes through [Service.pass].
// Nothing here reaches a device by itself: the devices that an edit concerns are settled afterwards.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package changes

import (
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"

	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/wire/directory"
)

// Service is the room; every field must be set but where it is said otherwise. Use [New].
type Service struct {
	uow.Room[Reads, Records]
	Documents *cache.Documents
	View      forecast.Fleet
	// Rules say what needs a second person, and what the brake holds.
	Rules gate.Rules
	Locks uow.Locks
	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
	// Soak is how long the waves of a rollout soak where nothing else is said, [rollout.DefaultGate] when 0.
	Soak time.Duration

	previews *semaphore.Weighted          // of who decides or drafts
	looks    *semaphore.Weighted          // of everybody else, who keep nobody waiting
	door     *semaphore.Weighted          // one alteration at a time, so that no other waits with a connection in hand
	recent   *lru.Cache[string, *futures] // the plans of the previews that were paged through last
}

// New opens the room over what it needs.
func New(s Service) *Service {
	s.previews, s.looks = semaphore.NewWeighted(mostPreviews), semaphore.NewWeighted(mostLooks)
	s.door = semaphore.NewWeighted(1)
	s.recent, _ = lru.New[string, *futures](mostRecent) // the size is positive
	return &s
}
