package store

import "time"

// ProviderAttempt is a sign-in that went to the identity provider. State and Browser are hashes.
type ProviderAttempt struct {
	State     []byte `gorm:"primaryKey"`
	Browser   []byte // of what the browser keeps that began it
	Nonce     string
	Verifier  string // of the code challenge, RFC 7636
	Target    string // path of the console to go on with
	Address   string // from where it was begun
	Fresh     bool   // the provider must ask for the password again
	Session   []byte // hash of the secret of the session that it is begun from, nil for none
	CreatedAt time.Time
}

// AddProviderAttempt adds one, clears away those from before a time, and says how many of the same address are under
// way, this one included.
func (t AccessWriter) AddProviderAttempt(a ProviderAttempt, before time.Time) (underWay int, err error) {
	return addUnderWay(t.conn, a, "delete from provider_attempts where created_at < $1", before,
		"select count(*) from provider_attempts where address = $1", a.Address)
}

// TakeProviderAttempt gives one and deletes it: it is used once, also when what follows fails.
func (t AccessWriter) TakeProviderAttempt(state []byte) (ProviderAttempt, error) {
	return one[ProviderAttempt](t, "delete from provider_attempts where state = $1 returning *", state)
}

// OperatorByIdentity finds an operator by who a provider says it is.
func (t AccessReader) OperatorByIdentity(issuer, subject string) (Operator, error) {
	return first[Operator](t.db.Where("issuer = ? and subject = ?", issuer, subject))
}
