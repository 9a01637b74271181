package reporting

import (
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/protocol"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records
	cache.One
	cache.Many
	planning.RolloutReads

	Change(name string) (store.Change, error)
	ChangeEdits(change string) ([]store.ChangeEdit, error)
	ListWarrants(f store.WarrantFilter, p store.Page) ([]store.Warrant, string, error)
	DevicesOfWarrants(reach rights.Reach, warrants []string) (map[string][]store.WarrantDevice, error)
	ListWaivers(f store.WaiverFilter, p store.Page) ([]store.Waiver, string, error)
	ListRollouts(underWay bool, p store.Page) ([]store.Rollout, string, error)
	Rollout(name string) (store.Rollout, error)
	Asked(digest string) (protocol.DesiredContent, error)
	Assignments() ([]store.Assignment, error)
	CameBack(list []store.Finding) error
	DepositTimesAt(device string, at time.Time, state *drift.State) error
	DepositTimes(clock store.Clock, device string, state *drift.State) error
	DesiredAt(device string, at time.Time) (store.DesiredState, error)
	DesiredBefore(device string, epoch int64, most int) ([]store.DesiredState, error)
	DesiredState(device string, epoch, number int64) (store.DesiredState, error)
	DevicesByID(clock store.Clock, ids []string) ([]store.Device, error)
	CopiedDevices(reach rights.Reach, most int) ([]store.Device, error)
	TroubledDevices(reach rights.Reach, most int) ([]store.Device, error)
	DevicesWaiting(reach rights.Reach, limit int) ([]store.Device, error)
	DirectoryFor(refs, sids, guids []string) ([]store.DirectoryEntry, error)
	DirectoryOf(settings []unit.Setting, states ...*drift.State) (*principal.Table, error)
	DirectorySync() (store.DirectorySync, error)
	DatabaseReturns(after time.Time) ([]store.DatabaseReturn, error)
	EscrowKeys() ([]store.EscrowKey, error)
	Figures(now time.Time) (store.Figures, error)
	FindingsByID(which func(before int64, most int) []int64, p store.Page) ([]store.Finding, string, error)
	GroupsOf(device string) ([]store.Membership, error)
	ListBrakes(waiting bool, p store.Page) ([]store.Brake, string, error)
	ListChanges(states []string, search string, p store.Page) ([]store.ChangeCount, string, error)
	LeftBehind(reach rights.Reach) (devices int, example store.DeviceName, err error)
	WaitingSheets(reach rights.Reach, since time.Time, most int) ([]store.Sheet, error)
	DevicesOfSheets(reach rights.Reach, sheets []string) (map[string][]store.SheetDevice, error)
	ListApprovals(reach rights.Reach, now time.Time, p store.Page) ([]store.Approval, string, error)
	ListEvents(f store.EventFilter, p store.Page) ([]store.DeviceEvent, string, error)
	ListReveals(n store.Narrow, p store.Page) ([]store.Reveal, string, error)
	ListFindings(f store.FindingFilter, p store.Page) ([]store.Finding, string, error)
	ChangesWithin(since, until time.Time, most int) ([]store.ClosedChange, int, error)
	FindingsByRule(p store.PostureScope) ([]store.RuleFindings, error)
	OverduePasswords(p store.PostureScope, before time.Time, most int) ([]store.OverduePassword, int, error)
	RevealSums(p store.PostureScope, most int) ([]store.RevealSum, int, error)
	VerifiedDays(p store.PostureScope) ([]store.VerifiedDay, error)
	WarrantsWithin(p store.PostureScope, most int) ([]store.Warrant, int, error)
	WaiversWithin(p store.PostureScope, most int) ([]store.Waiver, int, error)
	RecentAudit(since time.Time, limit int, whole bool) ([]audit.Entry, error)
	RecentFindings(reach rights.Reach, since time.Time, limit int) ([]store.Finding, error)
	ReportAt(device string, at time.Time) (store.Report, error)
	ReportBody(id int64) (drift.Report, store.Report, error)
	RuledGroups() ([]store.RuleGroup, error)
	SealedInUse() ([]store.Operator, error)
	SettleWaiting() (waiting int, failed []store.SettleRequest, err error)
	StandingHours(group string, since time.Time) ([]store.StandingHour, error)
	SumClosedFindings(f store.FindingFilter, since time.Time) ([]store.FindingSum, error)
	TrailFoundBroken() (why string, err error)
	Unrecovered() (n int, example store.DeviceName, err error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
	planning.RolloutRecords

	DropStandingHours(before time.Time) error
	PutStandingHours(list []store.StandingHour) error
}
