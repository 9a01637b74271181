// Package notify tells other systems and people what happened: it finds what is new in the records, and delivers it to
// targets that owners set up, as CloudEvents, syslog or mail.
//
// Nothing has to remember to notify: the trail, findings and standings are read behind what was told last, so that
// nothing is lost when the service stops anywhere, and no report waits for a receiver.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package notify

import (
	"sync/atomic"
	"time"

	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/kit/secretbox"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/transport"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	CountDeliveries() ([]store.DeliveryCount, error)
	CountTargets() (int64, error)
	DevicesByID(clock store.Clock, ids []string) ([]store.Device, error)
	DueTargets(now time.Time) ([]string, error)
	EnabledTargets() ([]store.NotificationTarget, error)
	Group(name string) (store.Group, error)
	ListDeliveries(f store.DeliveryFilter, p store.Page) ([]store.Delivery, string, error)
	ListTargets(p store.Page) ([]store.NotificationTarget, string, error)
	Target(name string) (store.NotificationTarget, error)
	ToldStandings() ([]store.Told, error)
	TrailAfter(seq int64, f store.TrailFilter, most int) ([]audit.Entry, error)
	UnspreadNotifications(most int) ([]store.Notification, error)
	UntoldFindings(most int) ([]store.Finding, error)
	WaitingDeliveries(target string, most int) ([]store.Delivery, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	AddDeliveries(notification string, targets []string, at time.Time) error
	AddNotification(n store.Notification) error
	AddTarget(n store.NotificationTarget) error
	DeleteTarget(id string, version int64) error
	DeliveryFailed(id int64, why string) error
	EndDeliveriesOf(notification, state, why string, at time.Time) error
	EndDeliveries(ids []int64, state, why string, at time.Time) error
	EndLease(n store.NotificationTarget) error
	GiveUpDeliveries(target, why string, before, at time.Time) error
	LeaseTarget(id string, now, to time.Time) (store.NotificationTarget, bool, error)
	NotifiedTo() (int64, error)
	SendAgain(id int64, target string, at time.Time) (int, error)
	SetNotifiedTo(seq int64) error
	SetTarget(n store.NotificationTarget) error
	SpreadNotification(id string) error
	TellStandings(now, gone []store.Told) error
	ToldFindings(list []store.Finding) error
}

// Service is the room; every field must be set but PublicURL and Network.
type Service struct {
	uow.Room[Reads, Records]
	Locks        uow.Locks
	View         *fleetview.View
	Hub          *notices.Hub
	Secrets      secretbox.Box
	Organisation string
	PublicURL    string // where people reach the console, for links
	Network      transport.Network
	// Since is when the service started. Devices count as silent only when it could have heard them.
	Since time.Time

	compared atomic.Int64 // when standings were, in nanoseconds since 1970
}
