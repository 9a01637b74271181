package store

import "time"

// SecondFactor is what an operator has beside the password.
type SecondFactor struct {
	OperatorID  string `gorm:"primaryKey"`
	Secret      []byte // sealed
	MadeAt      time.Time
	ConfirmedAt *time.Time // nil until a first code was given
	LastStep    int64      // of which a code was accepted, see RFC 6238
}

// SecondFactor reads that of an operator.
func (t AccessReader) SecondFactor(operator string) (SecondFactor, error) {
	return first[SecondFactor](t.db.Where("operator_id = ?", operator))
}

// LockSecondFactor reads it for update.
func (t AccessWriter) LockSecondFactor(operator string) (SecondFactor, error) {
	found, err := rows[SecondFactor](t, "select * from second_factors where operator_id = $1 for update", operator)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return SecondFactor{}, err
	}
	return found[0], nil
}

// SetSecondFactor stores it.
func (t AccessWriter) SetSecondFactor(f SecondFactor) error { return t.db.Save(&f).Error }

// DropSecondFactor takes it away, with its recovery codes; it is no error when there is none.
func (t AccessWriter) DropSecondFactor(operator string) error {
	return t.exec("delete from second_factors where operator_id = $1", operator)
}

// SetRecoveryCodes replaces the recovery codes of an operator, by their hashes.
func (t AccessWriter) SetRecoveryCodes(operator string, hashes [][]byte) error {
	if err := t.exec("delete from recovery_codes where operator_id = $1", operator); err != nil {
		return err
	}
	for _, hash := range hashes {
		if err := t.exec("insert into recovery_codes (operator_id, hash) values ($1, $2)", operator, hash); err != nil {
			return err
		}
	}
	return nil
}

// UseRecoveryCode takes one away; it is false when there is none of that hash.
func (t AccessWriter) UseRecoveryCode(operator string, hash []byte) (bool, error) {
	found, err := rows[bool](
		t,
		"delete from recovery_codes where operator_id = $1 and hash = $2 returning true",
		operator,
		hash,
	)
	return len(found) > 0, err
}

// CountRecoveryCodes counts those that are left.
func (t AccessReader) CountRecoveryCodes(operator string) (int, error) {
	n, err := rows[int](t, "select count(*) from recovery_codes where operator_id = $1", operator)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// StrengthenSession notes that a session has a second factor now, and ends the operator's others, which may lack it.
func (t AccessWriter) StrengthenSession(operator string, hash []byte) error {
	if err := t.exec("delete from sessions where operator_id = $1 and hash <> $2", operator, hash); err != nil {
		return err
	}
	return t.exec("update sessions set factor = true where hash = $1", hash)
}

// OpenSealed notes that a sealed owner was used.
func (t AccessWriter) OpenSealed(operator string, at time.Time) error {
	return t.exec("update operators set opened_at = $2 where id = $1 and sealed_at is not null", operator, at)
}

// Seal makes of an operator one that is used when nobody else gets in.
func (t AccessWriter) Seal(operator string, at time.Time) error {
	return t.exec("update operators set sealed_at = $2, opened_at = null where id = $1", operator, at)
}

// SealedInUse are sealed owners that were used since they were sealed.
func (t AccessReader) SealedInUse() ([]Operator, error) {
	return all[Operator](t.db.Where("sealed_at is not null and opened_at is not null").Order("name"))
}
