package store

import "time"

// DeviceGrant is a program without a browser that asks a person for a token (RFC 8628).
type DeviceGrant struct {
	Hash       []byte `gorm:"primaryKey"` // of the device code
	UserCode   string
	Program    string // what it says of itself
	Address    string
	Hours      int // that the token is to live
	CreatedAt  time.Time
	ExpiresAt  time.Time
	PolledAt   *time.Time
	OperatorID *string // who decided
	Approved   bool
	DecidedAt  *time.Time
	FreshAt    *time.Time // when that one last gave the password
	Epoch      int64      // of that one, at the decision
}

// AddDeviceGrant adds one, clears away what has expired, and says how many of the same address wait, this one included.
func (t AccessWriter) AddDeviceGrant(g DeviceGrant) (waiting int, err error) {
	return addUnderWay(t.conn, g, "delete from device_grants where expires_at < $1", g.CreatedAt,
		"select count(*) from device_grants where address = $1 and decided_at is null", g.Address)
}

// DeviceGrantByUserCode finds one that has not expired.
func (t AccessReader) DeviceGrantByUserCode(code string, now time.Time) (DeviceGrant, error) {
	return first[DeviceGrant](t.db.Where("user_code = ? and expires_at > ?", code, now))
}

// LockDeviceGrant reads one for update.
func (t AccessWriter) LockDeviceGrant(hash []byte) (DeviceGrant, error) {
	return one[DeviceGrant](t, "select * from device_grants where hash = $1 for update", hash)
}

// SetDeviceGrant stores what became of one.
func (t AccessWriter) SetDeviceGrant(g DeviceGrant) error { return t.db.Save(&g).Error }

// DropDeviceGrant deletes one; it is no error when it has gone.
func (t AccessWriter) DropDeviceGrant(hash []byte) error {
	return t.exec("delete from device_grants where hash = $1", hash)
}
