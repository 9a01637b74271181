package authoring

import (
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Records is what this room needs of the records. [store.Tx] has it.
type Records interface {
	uow.Records
	devicegroups.Names
	devicegroups.Records
	planning.Records
	planning.RolloutRecords

	AddBrake(b store.Brake) error
	Brake(id string) (store.Brake, error)
	DecideBrake(b store.Brake) error
	ListBrakes(waiting bool, p store.Page) ([]store.Brake, string, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LockBrake(id string) (store.Brake, error)

	Mark() error
	BackToMark() error
	AddRollout(r store.Rollout) error
	LockRollout(name string) (store.Rollout, error)
	Rollout(name string) (store.Rollout, error)
	UnderWay(things []string, except string) (name, thing string, err error)

	AddChange(c store.Change) error
	AddChangeEvent(e store.ChangeEvent) error
	Asked(digest string) (protocol.DesiredContent, error)
	Change(name string) (store.Change, error)
	ChangeAuthors(change string) ([]string, error)
	ChangeEdits(change string) ([]store.ChangeEdit, error)
	GroupList(groupID string) ([]string, error)
	GroupNames() ([]string, error)
	KnownStates(ids []string) (map[string]store.KnownState, error)
	ListChangeEvents(change string, p store.Page) ([]store.ChangeEvent, string, error)
	ListChanges(states []string, search string, p store.Page) ([]store.ChangeCount, string, error)
	LockChange(name string) (store.Change, error)
	PolicyNames() ([]string, error)
	PutChangeEdit(e store.ChangeEdit) error
	RemoveChangeEdit(change, typ, name string) error
	SetChange(c store.Change, over int64) error
	VersionsOf(typ string, names []string) (map[string]int64, error)

	AddAssignment(a store.Assignment) error
	AddGroup(g store.Group) error
	AddPolicy(p store.Policy) error
	AddPolicyRevision(r store.PolicyRevision) error
	AddToGroup(groupID string, devices []string) error
	Assignment(name string) (store.Assignment, error)
	AssignmentsOf(policyIDs []string) ([]store.Assignment, error)
	AssignmentsUsing(group string) ([]string, error)
	CountAimedOutside(reach rights.Reach, aim store.Aim) (int, error)
	CountDevicesOutside(reach rights.Reach, ids []string) (int, error)
	CountMembersOutside(reach rights.Reach, groupID string) (int, error)
	CountOutside(reach rights.Reach, names []string) (int, error)
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	DirectoryAround(refs []principal.Ref) (*principal.Table, error)
	DirectoryEntries() ([]store.DirectoryEntry, error)
	DirectoryIsEmpty() (bool, error)
	DirectorySync() (store.DirectorySync, error)
	GoneBefore(before time.Time) ([]store.DirectoryEntry, error)
	Group(name string) (store.Group, error)
	ListAssignments(policy string, p store.Page) ([]store.Assignment, string, error)
	ListDirectory(search, kind string, p store.Page) ([]store.DirectoryEntry, string, error)
	ListGroupMembers(reach rights.Reach, groupID string, p store.Page) ([]store.GroupMember, string, error)
	ListPolicies(search string, p store.Page) ([]store.Policy, string, error)
	ListPolicyRevisions(policyID string, p store.Page) ([]store.PolicyRevision, string, error)
	LiveIDs(keys []string) ([]string, error)
	LockDevices(ids []string) error
	MarkGone(refs []string, at time.Time) error
	OperatorsReaching(group string) ([]string, error)
	PinRevision(policyID string, revision int, at time.Time) ([]store.Assignment, error)
	Policy(name string) (store.Policy, error)
	PutDirectory(entries []store.DirectoryEntry) error
	RemoveAssignment(id string, over int64) error
	RemoveDirectory(refs []string) error
	RemoveFromGroup(groupID string, devices []string) error
	RemoveGroup(id string, over int64) error
	SetAssignment(a store.Assignment, over int64) error
	SetDirectorySync(s store.DirectorySync) error
	SetFacts(id, path string, tags []string, primaryUser string) error
	SetGroup(g store.Group, over int64) error
	SetPolicy(p store.Policy, over int64) error
}
