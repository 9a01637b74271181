package store

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
}

// TableName is gorm's.
func (ServiceState) TableName() string { return "service_state" }

// ServiceState reads it.
func (t Tx) ServiceState() (ServiceState, error) { return first[ServiceState](t.db) }

// LockServiceState makes the row when it is not there, and reads it for update.
func (t Tx) LockServiceState(organisation string) (ServiceState, error) {
	if err := t.exec("insert into service_state (id, organisation) values (true, $1) on conflict do nothing", organisation); err != nil {
		return ServiceState{}, err
	}
	found, err := rows[ServiceState](t, "select * from service_state for update")
	if err != nil || len(found) == 0 {
		return ServiceState{}, err
	}
	return found[0], nil
}

// SetServiceState stores it.
func (t Tx) SetServiceState(s ServiceState) error { return t.db.Save(&s).Error }
