package organisation

import (
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	devicegroups.Names

	DirectorySync() (store.DirectorySync, error)
	Group(name string) (store.Group, error)
	ListDirectory(search, kind string, p store.Page) ([]store.DirectoryEntry, string, error)
	ListGroupMembers(reach rights.Reach, groupID string, p store.Page) ([]store.GroupMember, string, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
}
