package store

import "time"

// Drill tries whether a recovery key opens what is sealed to it.
type Drill struct {
	ID        string
	KeyNumber int64
	Deposits  int    // that are to be opened
	Answer    string // digest of what proves that they were
	MadeBy    string
	MadeAt    time.Time
	PassedBy  string
	PassedAt  *time.Time
}

func (Drill) TableName() string { return "key_drills" }

// SomeRecovered are deposits that are current and sealed to a recovery key, drawn by lot.
func (t PasswordsReader) SomeRecovered(key int64, most int) ([]Deposit, error) {
	return all[Deposit](t.db.Where("recovery_number = ? and state = ?", key, DepositCurrent).Order("random()").
		Limit(most))
}

// AddDrill adds one that was begun.
func (t PasswordsWriter) AddDrill(d Drill) error { return translate(t.db.Create(&d).Error) }

// LatestDrill is the one that was begun last and has not been passed.
func (t PasswordsWriter) LatestDrill(after time.Time) (Drill, error) {
	return first[Drill](t.db.Where("passed_at is null and made_at > ?", after).Order("made_at desc, id desc"))
}

// DrillPassed stores that a drill was passed, and when its key was tried.
func (t PasswordsWriter) DrillPassed(d Drill) error {
	if err := t.exec("update key_drills set passed_by = $2, passed_at = $3 where id = $1", d.ID, d.PassedBy,
		d.PassedAt); err != nil {
		return err
	}
	return t.exec("update escrow_keys set drilled_at = $2 where number = $1", d.KeyNumber, d.PassedAt)
}
