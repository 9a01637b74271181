// Package deploy brings what was authored to devices: it settles what each of them is to have, and gives it a new
// desired state where that is another one than before. It does so on its own, from a queue of what changed.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package deploy

import (
	"context"

	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/notices"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Reads, Records]
	Locks     uow.Locks
	Documents *cache.Documents
	Hub       *notices.Hub
	// Finish makes the change of a rollout that is done for good.
	Finish func(ctx context.Context, change string) error
	// SecondPersonOpens says that a wave is opened before its gate is passed only with a second person.
	SecondPersonOpens bool
}
