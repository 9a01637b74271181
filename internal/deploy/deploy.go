// Package deploy brings what was authored to devices: it settles what each of them is to have, and gives it a new
// desired state where that is another one than before. It does so on its own, from a queue of what changed.
//
// The errors of its methods are a [*refusal.Error] where the caller can do something about it, and otherwise those of
// the records, which no caller can do anything about.
package deploy

import (
	"rankwarden.example/internal/live"
	"rankwarden.example/internal/published"
	"rankwarden.example/internal/uow"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Records]
	Locks     uow.Locks
	Documents *published.Documents
	Hub       *live.Hub
}
