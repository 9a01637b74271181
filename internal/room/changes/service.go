// Package changes is where operators write what is to be: policies, assignments, and changes that alter several things
// at once, with their preview, their approval and the commands of their rollout. Nothing here reaches a device by
// itself: the devices that an edit concerns are settled afterwards.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package changes

import (
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/semaphore"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/uow"
)

// Service is the room; every field must be set but where it is said otherwise. Use [New].
type Service struct {
	uow.Room[Reads, Records]
	Documents *cache.Documents
	View      forecast.Fleet
	// Approvals say which changes need a second person.
	Approvals Approvals
	// Soak is how long the waves of a rollout soak where nothing else is said, [rollout.DefaultGate] when 0.
	Soak time.Duration

	previews *semaphore.Weighted
	recent   *lru.Cache[string, *futures] // the plans of the previews that were paged through last
}

// New opens the room over what it needs.
func New(s Service) *Service {
	s.previews = semaphore.NewWeighted(mostPreviews)
	s.recent, _ = lru.New[string, *futures](mostRecent) // the size is positive
	return &s
}
