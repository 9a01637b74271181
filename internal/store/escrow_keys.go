package store

import "time"

// States of an escrow key.
const (
	KeyNew     = "new"     // waits for the proof that a copy of its private half exists
	KeyLive    = "live"    // devices seal to it
	KeyRetired = "retired" // nothing new is sealed to it
)

// EscrowKey is the public half of a key that passwords are sealed to.
type EscrowKey struct {
	Number    int64 `gorm:"primaryKey"`
	Use       string
	Public    []byte
	State     string
	Challenge string // digest of the answer that proves a copy of the private half
	MadeAt    time.Time
	MadeBy    string
	ProvedAt  *time.Time
	RetiredAt *time.Time
	// Asked is the state that waits for a second person, empty for none.
	Asked   string
	AskedBy string
	AskedAt *time.Time
	// ResealBy has its deposits sealed again to another key, empty for nobody.
	ResealBy    string
	ResealTotal int
	ResealDone  int
	ResealError string
	// DrilledAt is when a copy of a recovery key last opened what is sealed to it, see [PasswordsWriter.DrillPassed].
	DrilledAt *time.Time `gorm:"->"`
}

// EscrowKeys are all of them, by number.
func (t PasswordsReader) EscrowKeys() ([]EscrowKey, error) {
	return all[EscrowKey](t.db.Order("number"))
}

// EscrowKey finds one.
func (t PasswordsReader) EscrowKey(number int64) (EscrowKey, error) {
	return first[EscrowKey](t.db.Where("number = ?", number))
}

// AddEscrowKey adds one.
func (t PasswordsWriter) AddEscrowKey(k EscrowKey) error { return translate(t.db.Create(&k).Error) }

// SetEscrowKey stores the state of one.
func (t PasswordsWriter) SetEscrowKey(k EscrowKey) error {
	return must(t.db.Model(&EscrowKey{}).Where("number = ?", k.Number).
		Select("state", "challenge", "proved_at", "retired_at", "asked", "asked_by", "asked_at").
		Updates(k), ErrNotFound)
}

// SetReseal stores how far sealing the deposits of a key again has come.
func (t PasswordsWriter) SetReseal(k EscrowKey) error {
	return must(t.db.Model(&EscrowKey{}).Where("number = ?", k.Number).
		Select("reseal_by", "reseal_total", "reseal_done", "reseal_error").Updates(k), ErrNotFound)
}

// ResealGoes notes progress; false where it was stopped meanwhile.
func (t PasswordsWriter) ResealGoes(number int64, done int) (bool, error) {
	found, err := rows[bool](t, "update escrow_keys set reseal_done = $1 where number = $2 and reseal_by <> '' "+
		"returning true", done, number)
	return len(found) > 0, err
}

// KeyUse is how many deposits are sealed to a key.
type KeyUse struct {
	Number   int64
	Deposits int
}

// KeyUses counts the deposits of each key.
func (t PasswordsReader) KeyUses() (map[int64]int, error) {
	found, err := rows[KeyUse](t, `select number, sum(n)::bigint as deposits from (
		select key_number as number, count(*) as n from deposits group by 1
		union all select recovery_number, count(*) from deposits where recovery_number is not null
		group by 1) as used group
		by 1`)
	uses := map[int64]int{}
	for _, u := range found {
		uses[u.Number] = u.Deposits
	}
	return uses, err
}
