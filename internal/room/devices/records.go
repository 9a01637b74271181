package devices

import (
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records
	cache.One

	AccountsToLetGo(devices []string, ref principal.Ref) ([]store.LetGoAccount, error)
	DueWaivers(now time.Time, most int) ([]store.Waiver, error)
	FindingsWith(ids []int64) ([]store.Finding, error)
	CountOrders(reach rights.Reach, batch string, clock store.Clock) (map[string]int, error)
	DecidingGroup(name string, granted []string) (string, error)
	DeviceByKey(keyID string) (store.Device, error)
	Group(name string) (store.Group, error)
	ListEnrolmentTokens(p store.Page) ([]store.EnrolmentToken, string, error)
	ListLeftBehind(reach rights.Reach, group string, p store.Page) ([]store.LocalAccount, string, error)
	ListOrders(n store.Narrow, now time.Time, p store.Page) ([]store.Order, string, error)
	LiveDeviceNamed(folded string) (store.Device, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	Notifies(kind string) (bool, error)
	OpenFindings(device string) ([]store.Finding, error)
	OverdueRotations(clock store.Clock, before time.Time, limit int) ([]store.Rotation, error)
	Retirements(devices []string) ([]store.Retirement, error)
	ScopeOf(device string) (digest string, err error)
	SettingsBody(digest string) (string, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records
	devicegroups.Records

	AddDevice(d store.Device) error
	AddEnrolmentToken(e store.EnrolmentToken) error
	AddEvents(events []store.DeviceEvent) error
	AddFindings(list []store.Finding) error
	AddNotification(n store.Notification) error
	AddOrders(devices []string, o store.Order) ([]string, error)
	AddRetirement(r store.Retirement) error
	DropRetirement(device string) error
	AddWaivers(list []store.Waiver) error
	LockWaiver(id string) (store.Waiver, error)
	SetWaiver(w store.Waiver) error
	Waive(device, unit, subject string, waived bool) error
	JoinGranted(token, device string) error
	CountOpenFinding(device string) error
	DeliverOrders(device string, after int64, at time.Time) ([]store.Order, error)
	FinishOrder(device string, r protocol.OrderResult) error
	LockDevice(id string) (store.Device, error)
	LockDevices(ids []string) error
	LockEnrolmentToken(id string) (store.EnrolmentToken, error)
	FreeName(folded string) error
	JoinExpected(device, name string) error
	NameKeptBy(folded string) (store.Device, error)
	RefuseName(id, name string) error
	RenameDevice(d store.Device, name, key string, until time.Time) error
	TakeGroups(device, former string) error
	RevokeEnrolmentToken(id string, at time.Time) error
	SetDeviceFacts(id, platform, version string, build int, agent string) error
	SetDeviceState(id, state string) error
	SetLife(id, life string, since time.Time, former []string) error
	SetTrouble(id, trouble string) error
	TakeFacts(device, former string) error
	SetMismatched(id string) error
	UseEnrolmentToken(id string) error
	WriteContacts(contacts []store.Contact) (skipped []store.Contact, err error)
}
