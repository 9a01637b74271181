package devices

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Records is what this room needs of the records. [store.Tx] has it.
type Records interface {
	uow.Records
	devicegroups.Records
	reach.Records
	cache.One

	AddDevice(d store.Device) error
	AddEnrolmentToken(e store.EnrolmentToken) error
	AddEvents(events []store.DeviceEvent) error
	AddFindings(list []store.Finding) error
	AddOrders(devices []string, o store.Order) ([]string, error)
	AddWaivers(list []store.Waiver) error
	DueWaivers(now time.Time, most int) ([]store.Waiver, error)
	FindingsWith(ids []int64) ([]store.Finding, error)
	LockWaiver(id string) (store.Waiver, error)
	SetWaiver(w store.Waiver) error
	Waive(device, unit, subject string, waived bool) error
	AddToGroup(groupID string, devices []string) error
	CountOpenFinding(device string) error
	CountOrders(reach rights.Reach, batch string, now time.Time) (map[string]int, error)
	DecidingGroup(name string, granted []string) (string, error)
	DeliverOrders(device string, after int64, at time.Time) ([]store.Order, error)
	DeviceByKey(keyID string) (store.Device, error)
	FinishOrder(device string, r protocol.OrderResult) error
	Group(name string) (store.Group, error)
	ListEnrolmentTokens(p store.Page) ([]store.EnrolmentToken, string, error)
	ListOrders(n store.Narrow, now time.Time, p store.Page) ([]store.Order, string, error)
	LiveDeviceNamed(folded string) (store.Device, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LockDevice(id string) (store.Device, error)
	LockDevices(ids []string) error
	LockEnrolmentToken(id string) (store.EnrolmentToken, error)
	OpenFindings(device string) ([]store.Finding, error)
	OverdueRotations(clock store.Clock, before time.Time, limit int) ([]store.Rotation, error)
	RenameDevice(id, name, key string) error
	RevokeEnrolmentToken(id string, at time.Time) error
	ScopeOf(device string) (digest string, err error)
	SetDeviceFacts(id, platform, version string, build int, agent string) error
	SetDeviceState(id, state string) error
	SetFacts(id, path string, tags []string, primaryUser string) error
	SetMismatched(id string) error
	SettingsBody(digest string) (string, error)
	UseEnrolmentToken(id string) error
}
