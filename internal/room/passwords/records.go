package passwords

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records
	cache.One

	OtherOwners(operator string) (int, error)
	Asked(digest string) (protocol.DesiredContent, error)
	RevealsOf(operator string, since time.Time, r store.Reveal) (shown int, again bool, err error)
	Deposit(device string, epoch, number int64) (store.Deposit, error)
	DepositsAfter(after store.Deposit, limit int) ([]store.Deposit, error)
	DevicesOfSheets(reach rights.Reach, sheets []string) (map[string][]store.SheetDevice, error)
	DepositsOf(device, target string) ([]store.Deposit, error)
	EscrowKey(number int64) (store.EscrowKey, error)
	EscrowKeys() ([]store.EscrowKey, error)
	KeyUses() (map[int64]int, error)
	ListApprovals(reach rights.Reach, now time.Time, p store.Page) ([]store.Approval, string, error)
	ListSheets(reach rights.Reach, p store.Page) ([]store.Sheet, string, error)
	ListUnrecovered(p store.Page) ([]store.UnrecoveredPassword, string, error)
	ListReveals(n store.Narrow, p store.Page) ([]store.Reveal, string, error)
	OpenFindings(device string) ([]store.Finding, error)
	OpenApproval(operator, device, target string, now time.Time) (store.Approval, error)
	Rotates(device, subject string, at time.Time) (bool, error)
	RotationsByKey(clock store.Clock, keys []store.RotationKey) ([]store.Rotation, error)
	SeenAndValid(reach rights.Reach, operator string, most int) ([]store.SeenPassword, error)
	RetiredRotations(
		clock store.Clock, reach rights.Reach, search string, p store.Page,
	) ([]store.Rotation, string, error)
	RotationsOf(clock store.Clock, device string) ([]store.Rotation, error)
	ScopesOf(devices []string) (map[string]string, error)
	SealedTo(key int64, after store.Deposit, limit int) ([]store.Deposit, error)
	Sheet(id string) (store.Sheet, error)
	SheetsDue(now, away time.Time, most int) ([]store.SheetDue, error)
	ServiceState() (store.ServiceState, error)
	SomeRecovered(key int64, most int) ([]store.Deposit, error)
	ThisDatabase() (store.Database, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	AddApproval(a store.Approval) error
	AddDrill(d store.Drill) error
	AddEarlierDeposit(d store.Deposit) error
	AddEscrowKey(k store.EscrowKey) error
	AddOrders(devices []string, o store.Order) ([]string, error)
	AddDatabaseReturn(r store.DatabaseReturn) error
	AddReveal(r store.Reveal) error
	AddSheet(s store.Sheet, devices []string) error
	AddSheetPasswords(sheet string, deposits []store.Deposit) error
	BeginEpoch(device string, epoch int64, nonce string) error
	ConfirmDeposit(d store.Deposit, at time.Time) error
	DrillPassed(d store.Drill) error
	KeyIsLive(number int64) (bool, error)
	LatestDrill(after time.Time) (store.Drill, error)
	LockApproval(id string) (store.Approval, error)
	LockDevice(id string) (store.Device, error)
	LockOperator(id string) (store.Operator, error)
	LockSheet(id string) (store.Sheet, error)
	LockServiceState(organisation string) (store.ServiceState, error)
	PruneDeposits(device, target string, keep int, before time.Time) error
	ResealGoes(number int64, done int) (bool, error)
	Reseal(d store.Deposit, from int64) error
	SetApproval(a store.Approval) error
	SetReseal(k store.EscrowKey) error
	SetEscrowKey(k store.EscrowKey) error
	SetSheet(s store.Sheet) error
	SheetOrdered(sheet, device string, at time.Time) error
	SetServiceState(s store.ServiceState) error
	TakeDeposits(list []store.Deposit) (map[string]bool, error)
}
