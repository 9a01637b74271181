package store

import "time"

// ProviderAttempt is a sign-in that went to the identity provider. State and Browser are hashes.
type ProviderAttempt struct {
	State     []byte `gorm:"primaryKey"`
	Browser   []byte // of what the browser keeps that began it
	Nonce     string
	Verifier  string // of the code challenge, RFC 7636
	Target    string // path of the console to go on with
	Fresh     bool   // the provider must ask for the password again
	CreatedAt time.Time
}

// AddProviderAttempt adds one, and clears away those from before a time.
func (t Tx) AddProviderAttempt(a ProviderAttempt, before time.Time) error {
	if err := t.exec("delete from provider_attempts where created_at < $1", before); err != nil {
		return err
	}
	return translate(t.db.Create(&a).Error)
}

// TakeProviderAttempt gives one and deletes it: it is used once, also when what follows fails.
func (t Tx) TakeProviderAttempt(state []byte) (ProviderAttempt, error) {
	found, err := rows[ProviderAttempt](t, "delete from provider_attempts where state = ? returning *", state)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return ProviderAttempt{}, err
	}
	return found[0], nil
}

// OperatorByIdentity finds an operator by who a provider says it is.
func (t Tx) OperatorByIdentity(issuer, subject string) (Operator, error) {
	return first[Operator](t.db.Where("issuer = ? and subject = ?", issuer, subject))
}
