package organisation

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	devicegroups.Names
	forecast.Records
	planning.Records

	Brake(id string) (store.Brake, error)
	ListBrakes(waiting bool, p store.Page) ([]store.Brake, string, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	DirectoryEntries() ([]store.DirectoryEntry, error)
	DirectorySync() (store.DirectorySync, error)
	GoneBefore(before time.Time) ([]store.DirectoryEntry, error)
	Group(name string) (store.Group, error)
	ListDirectory(search, kind string, p store.Page) ([]store.DirectoryEntry, string, error)
	ListGroupMembers(reach rights.Reach, groupID string, p store.Page) ([]store.GroupMember, string, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
	devicegroups.EditRecords

	AddBrake(b store.Brake) error
	DecideBrake(b store.Brake) error
	LockBrake(id string) (store.Brake, error)
	Mark() error
	BackToMark() error
	LockDevices(ids []string) error
	MarkGone(refs []string, at time.Time) error
	PutDirectory(entries []store.DirectoryEntry) error
	RemoveDirectory(refs []string) error
	SetDirectorySync(s store.DirectorySync) error
	SetFacts(id, path string, tags []string, primaryUser string) error
}
