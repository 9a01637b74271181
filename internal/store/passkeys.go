package store

import (
	"time"
)

// Passkey is the public half of a key that an operator signs in with (WebAuthn).
type Passkey struct {
	ID         []byte `gorm:"primaryKey"`
	OperatorID string
	Name       string // that its owner knows it by
	Credential string // JSON
	CreatedAt  time.Time
	UsedAt     *time.Time
}

// PasskeyCeremony is a registration or a sign-in under way.
type PasskeyCeremony struct {
	Hash       []byte `gorm:"primaryKey"` // of the secret that finishes it
	OperatorID string // whose it is, empty for a sign-in
	Session    string // JSON
	Address    string
	CreatedAt  time.Time
}

// AddPasskey adds one; the error is [ErrExists] where it is somebody's already.
func (t AccessWriter) AddPasskey(p Passkey) error { return translate(t.db.Create(&p).Error) }

// Passkeys are those of an operator, the oldest first.
func (t AccessReader) Passkeys(operator string) ([]Passkey, error) {
	return all[Passkey](t.db.Where("operator_id = ?", operator).Order("created_at, id"))
}

// PasskeyUsed notes a use.
func (t AccessWriter) PasskeyUsed(p Passkey) error {
	return must(t.db.Model(&Passkey{}).Where("id = ?", p.ID).Select("credential", "used_at").Updates(p), ErrNotFound)
}

// DropPasskey drops one of an operator.
func (t AccessWriter) DropPasskey(operator string, id []byte) error {
	return must(t.db.Where("operator_id = ? and id = ?", operator, id).Delete(&Passkey{}), ErrNotFound)
}

// DropPasskeys drops all of an operator.
func (t AccessWriter) DropPasskeys(operator string) error {
	return translate(t.db.Where("operator_id = ?", operator).Delete(&Passkey{}).Error)
}

// AddCeremony adds one, clears away those from before a time, and says how many of the same address are under way, this
// one included.
func (t AccessWriter) AddCeremony(c PasskeyCeremony, before time.Time) (underWay int, err error) {
	return addUnderWay(t.conn, c, "delete from passkey_ceremonies where created_at < $1", before,
		"select count(*) from passkey_ceremonies where address = $1", c.Address)
}

// TakeCeremony gives one and deletes it: it is used once, also when what follows fails.
func (t AccessWriter) TakeCeremony(hash []byte) (PasskeyCeremony, error) {
	return one[PasskeyCeremony](t, "delete from passkey_ceremonies where hash = $1 returning *", hash)
}
