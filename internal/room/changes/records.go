package changes

import (
	"time"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
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
	planning.Names
	forecast.Records
	planning.Records
	planning.RolloutReads

	Rollout(name string) (store.Rollout, error)
	Change(name string) (store.Change, error)
	ChangeAuthors(change string) ([]string, error)
	ChangeEdits(change string) ([]store.ChangeEdit, error)
	CurrentNames(names []string) ([]string, error)
	GroupList(groupID string) ([]string, error)
	GroupNames() ([]string, error)
	ListChangeEvents(change string, p store.Page) ([]store.ChangeEvent, string, error)
	ListChanges(states []string, search string, p store.Page) ([]store.ChangeCount, string, error)
	PolicyNames() ([]string, error)
	VersionsOf(typ string, names []string) (map[string]int64, error)
	Assignment(name string) (store.Assignment, error)
	AssignmentsOf(policyIDs []string) ([]store.Assignment, error)
	CountAimedOutside(reach rights.Reach, aim store.Aim) (int, error)
	DirectoryAround(refs []principal.Ref) (*principal.Table, error)
	DirectoryIsEmpty() (bool, error)
	DirectoryNames(refs []string) ([]store.DirectoryEntry, error)
	Group(name string) (store.Group, error)
	Agreement(id string) (effect.AccessSet, error)
	Brake(id string) (store.Brake, error)
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	DirectoryEntries() ([]store.DirectoryEntry, error)
	GoneBefore(before time.Time) ([]store.DirectoryEntry, error)
	ListBrakes(waiting bool, p store.Page) ([]store.Brake, string, error)
	FormerNames() ([]store.FormerName, error)
	ListOperators(p store.Page) ([]store.Operator, string, error)
	OutOfReach(reach rights.Reach, devices []string) (string, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LiveFacts(ids []string) ([]store.DeviceFacts, error)
	NumberedChanges(name string) ([]string, error)
	RolloutsUnderWay() ([]store.Rollout, error)
	UsersToLearn(limit int) ([]store.UserToLearn, error)
	RuledGroups() ([]store.RuleGroup, error)
	ListAssignments(policy string, p store.Page) ([]store.Assignment, string, error)
	ListPolicies(search string, p store.Page) ([]store.Policy, string, error)
	ListPolicyRevisions(policyID string, p store.Page) ([]store.PolicyRevision, string, error)
	Policy(name string) (store.Policy, error)
	PolicyUses(p store.Policy, open []store.ChangeState, most int) ([]string, error)
}

// Records is what it reads and writes of them in a unit of work. [store.DoorWriter] has it, and nobody else is handed
// one.
type Records interface {
	Reads
	uow.Records
	devicegroups.EditRecords
	planning.RolloutRecords

	AddBrake(b store.Brake) error
	AddPassage(p store.Passage) error
	DecideBrake(b store.Brake) error
	DropAgreement(id string) error
	LockBrake(id string) (store.Brake, error)
	LockDevices(ids []string) error
	LockDoor() error
	MarkGone(refs []string, at time.Time) error
	PassagesOf(source string, now time.Time) (devices, lost int, err error)
	PutAgreement(id string, access effect.AccessSet) error
	PutDirectory(entries []store.DirectoryEntry) error
	RemovePolicy(p store.Policy) error
	SetDirectoryMembers(groups []string, members []store.DirectoryMember) error
	RemoveDirectory(refs []string) error
	SetDirectorySync(s store.DirectorySync) error
	SetLearned(devices []string, learned bool) error
	SetUserGroups(devices []string) ([]string, error)
	SetFacts(id, path string, tags []string, primaryUser string) error
	SetUndo(change, typ, name, undo string) error
	Mark() error
	BackToMark() error
	AddRollout(r store.Rollout) error
	LockRollout(name string) (store.Rollout, error)
	AddChange(c store.Change) error
	AddChangeEvent(e store.ChangeEvent) error
	LockChange(name string) (store.Change, error)
	PutChangeEdit(e store.ChangeEdit) error
	RemoveChangeEdit(change, typ, name string) error
	SetChange(c store.Change, over int64) error
	AddAssignment(a store.Assignment) error
	AddPolicy(p store.Policy) error
	AddPolicyRevision(r store.PolicyRevision) error
	PinRevision(policyID string, revision int, at time.Time) ([]store.Assignment, error)
	RemoveAssignment(id string, over int64) error
	SetAssignment(a store.Assignment, over int64) error
	SetPolicy(p store.Policy, over int64) error
}
