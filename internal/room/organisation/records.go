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

// Records is what this room needs of the records. [store.Tx] has it.
type Records interface {
	uow.Records
	devicegroups.EditRecords
	forecast.Records
	planning.Records

	AddBrake(b store.Brake) error
	Brake(id string) (store.Brake, error)
	DecideBrake(b store.Brake) error
	ListBrakes(waiting bool, p store.Page) ([]store.Brake, string, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LockBrake(id string) (store.Brake, error)
	Mark() error
	BackToMark() error
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	DirectoryEntries() ([]store.DirectoryEntry, error)
	DirectorySync() (store.DirectorySync, error)
	GoneBefore(before time.Time) ([]store.DirectoryEntry, error)
	Group(name string) (store.Group, error)
	ListDirectory(search, kind string, p store.Page) ([]store.DirectoryEntry, string, error)
	ListGroupMembers(reach rights.Reach, groupID string, p store.Page) ([]store.GroupMember, string, error)
	LockDevices(ids []string) error
	MarkGone(refs []string, at time.Time) error
	PutDirectory(entries []store.DirectoryEntry) error
	RemoveDirectory(refs []string) error
	SetDirectorySync(s store.DirectorySync) error
	SetFacts(id, path string, tags []string, primaryUser string) error
}
