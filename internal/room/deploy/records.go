package deploy

import (
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"

	"rankwarden.example/internal/base/planning"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	planning.Records
	planning.Names
	planning.RolloutReads

	Asked(digest string) (protocol.DesiredContent, error)
	Carrying(devices []string) ([]store.Carries, error)
	CountDevicesOutside(reach rights.Reach, ids []string) (int, error)
	DirectoryFor(refs, sids, guids []string) ([]store.DirectoryEntry, error)
	GivingBack(devices []string, after time.Time) ([]store.GivesBack, error)
	LiveAmong(ids []string) ([]string, error)
	FormerNames() ([]store.FormerName, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LiveFacts(ids []string) ([]store.DeviceFacts, error)
	OpenFindingsOf(devices []string) ([]store.OpenFinding, error)
	RolloutSights(rollout string, devices []string) ([]store.RolloutSight, error)
	RolloutsUnderWay() ([]store.Rollout, error)
	ServiceState() (store.ServiceState, error)
	SettleRequests() ([]store.SettleRequest, error)
	WaivedOf(devices []string) (map[string][]protocol.Waived, error)
	WarrantsOf(devices []string, after time.Time) (map[string][]protocol.Warrant, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
	planning.RolloutRecords

	AddChangeEvent(e store.ChangeEvent) error
	LiftFreezes() error
	SetFreeze(f store.Freeze) error
	LockChange(name string) (store.Change, error)
	LockForSettling(ids []string) ([]store.SettledDevice, error)
	LockRollout(name string) (store.Rollout, error)
	LookedAt(rollouts []string, at time.Time) error
	PutScope(s store.Scope) error
	PutSettings(digest, body string) error
	RequestSettleAgain(r store.SettleRequest) error
	SetChange(c store.Change, over int64) error
	SetSettled(list []store.SettlingResult, at time.Time) error
	SettleDone(ids []int64) error
	SettleFailed(ids []int64, why string, next time.Time) error
	ToldWith(rollouts, devices []string, stamps []drift.Stamp, at time.Time) error
}
