package store

import "time"

// ServiceState is what the service knows of itself.
type ServiceState struct {
	ID            bool `gorm:"primaryKey"`
	Organisation  string
	Epoch         int64
	KeyListNumber int64
	KeyList       string // signed by the root key
	KeyListKeys   string // ids of the keys in it
	// RootFingerprint is that of the root key, which every key list is signed by.
	RootFingerprint string
	// SystemIdentifier and Timeline are those of the database that the records were in when this was written.
	SystemIdentifier string
	Timeline         int64
}

// TableName is gorm's.
func (ServiceState) TableName() string { return "service_state" }

// ServiceState reads it.
func (t ServiceReader) ServiceState() (ServiceState, error) { return first[ServiceState](t.db) }

// LockServiceState makes the row when it is not there, and reads it for update.
func (t ServiceWriter) LockServiceState(organisation string) (ServiceState, error) {
	if err := t.exec("insert into service_state (id, organisation) values (true, $1) on conflict do nothing",
		organisation); err != nil {
		return ServiceState{}, err
	}
	found, err := rows[ServiceState](t, "select * from service_state for update")
	if err != nil || len(found) == 0 {
		return ServiceState{}, err
	}
	return found[0], nil
}

// SetServiceState stores it.
func (t ServiceWriter) SetServiceState(s ServiceState) error { return t.db.Save(&s).Error }

// DatabaseReturn is a time at which the database was found to have gone back.
type DatabaseReturn struct {
	Epoch int64 `gorm:"primaryKey"` // of the service, which began then
	At    time.Time
	Why   string
}

// ReturnSaid is why an epoch began where an operator said so.
const ReturnSaid = "an operator said so"

// AddDatabaseReturn notes one.
func (t ServiceWriter) AddDatabaseReturn(r DatabaseReturn) error {
	return translate(t.db.Create(&r).Error)
}

// DatabaseReturns are those after a time that the service found by itself, the latest first.
func (t ServiceReader) DatabaseReturns(after time.Time) ([]DatabaseReturn, error) {
	return all[DatabaseReturn](t.db.Where("at > ? and why <> ?", after, ReturnSaid).Order("epoch desc"))
}

// What stands on the trail where the database went back, and where the service was frozen and thawed.
const (
	ServiceRestored = "service.restored"
	ServiceFrozen   = "service.frozen"
	ServiceThawed   = "service.thawed"
)

// Freeze stops settling, waves or both everywhere, until it is lifted.
type Freeze struct {
	What   string `gorm:"primaryKey"` // [FreezeRollouts] or [FreezeAll]
	Reason string
	By     string
	At     time.Time
}

// What a freeze stops.
const (
	FreezeRollouts = "rollouts" // no wave opens and no rollout ends
	FreezeAll      = "all"      // that, and no device gets another desired state
)

// Freezes are those in force.
func (t ServiceReader) Freezes() ([]Freeze, error) { return all[Freeze](t.db.Order("at, what")) }

// SetFreeze puts one in force, instead of one of the same kind.
func (t ServiceWriter) SetFreeze(f Freeze) error { return translate(t.db.Save(&f).Error) }

// LiftFreezes ends every freeze.
func (t ServiceWriter) LiftFreezes() error { return t.exec("delete from freezes") }
