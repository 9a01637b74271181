package store

import "time"

// Operator is a person who signs in.
type Operator struct {
	ID           string
	Name         string
	Role         string
	PasswordHash string
	CreatedAt    time.Time
	DisabledAt   *time.Time
}

// Session is a signed-in browser. Hash is the SHA-256 of the secret in its cookie.
type Session struct {
	Hash       []byte `gorm:"primaryKey"`
	OperatorID string
	Address    string
	CreatedAt  time.Time
	ExpiresAt  time.Time
}

// APIToken lets a program act for an operator, with at most the operator's role.
type APIToken struct {
	ID         string
	OperatorID string
	Name       string
	Role       string
	Hash       []byte
	CreatedAt  time.Time
	ExpiresAt  time.Time
	RevokedAt  *time.Time
}

// TableName is gorm's.
func (APIToken) TableName() string { return "api_tokens" }

// SignInFailure counts wrong passwords for a name or an address.
type SignInFailure struct {
	Subject   string `gorm:"primaryKey"`
	Failures  int
	BlockedTo time.Time
	LastAt    time.Time
}

// AddOperator adds one; the name must be new.
func (t Tx) AddOperator(o Operator) error { return translate(t.db.Create(&o).Error) }

// CountOperators counts them all.
func (t Tx) CountOperators() (int64, error) {
	var n int64
	err := t.db.Model(&Operator{}).Count(&n).Error
	return n, err
}

// OperatorByName finds an operator.
func (t Tx) OperatorByName(name string) (Operator, error) {
	return first[Operator](t.db.Where("name = ?", name))
}

// Operator finds an operator by identifier.
func (t Tx) Operator(id string) (Operator, error) { return first[Operator](t.db.Where("id = ?", id)) }

// ListOperators lists a page by name.
func (t Tx) ListOperators(p Page) ([]Operator, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[Operator](t.db.Where("name > ?", after).Order("name").Limit(p.limit() + 1))
	list, next := cut(p, list, func(o Operator) []any { return []any{o.Name} })
	return list, next, err
}

// SetOperator changes role, password and whether the operator may sign in; sessions and tokens of a
// disabled one end.
func (t Tx) SetOperator(o Operator, at time.Time) error {
	if err := must(t.db.Model(&Operator{}).Where("id = ?", o.ID).
		Select("role", "password_hash", "disabled_at").Updates(o), ErrNotFound); err != nil {
		return err
	}
	if err := t.db.Where("operator_id = ?", o.ID).Delete(&Session{}).Error; err != nil || o.DisabledAt == nil {
		return err
	}
	return t.db.Model(&APIToken{}).Where("operator_id = ? and revoked_at is null", o.ID).Update("revoked_at", at).Error
}

// AddSession adds one, and clears away what has expired.
func (t Tx) AddSession(s Session) error {
	if err := t.db.Where("expires_at < ?", s.CreatedAt).Delete(&Session{}).Error; err != nil {
		return err
	}
	return translate(t.db.Create(&s).Error)
}

// SessionOperator finds the operator of a live session.
func (t Tx) SessionOperator(hash []byte, now time.Time) (Operator, error) {
	return first[Operator](t.db.Joins("join sessions s on s.operator_id = operators.id").
		Where("s.hash = ? and s.expires_at > ? and operators.disabled_at is null", hash, now))
}

// EndSession ends one; it is no error when it has ended before.
func (t Tx) EndSession(hash []byte) error {
	return t.db.Where("hash = ?", hash).Delete(&Session{}).Error
}

// AddAPIToken adds one.
func (t Tx) AddAPIToken(a APIToken) error { return translate(t.db.Create(&a).Error) }

// LiveAPIToken finds a token that is neither revoked nor expired.
func (t Tx) LiveAPIToken(hash []byte, now time.Time) (APIToken, error) {
	return first[APIToken](t.db.Where("hash = ? and expires_at > ? and revoked_at is null", hash, now))
}

// ListAPITokens lists a page of an operator's tokens, newest first.
func (t Tx) ListAPITokens(operator string, p Page) ([]APIToken, string, error) {
	after := "~"
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[APIToken](t.db.Where("operator_id = ? and id < ?", operator, after).Order("id desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(a APIToken) []any { return []any{a.ID} })
	return list, next, err
}

// RevokeAPIToken ends a token of an operator.
func (t Tx) RevokeAPIToken(operator, id string, at time.Time) error {
	return must(t.db.Model(&APIToken{}).Where("id = ? and operator_id = ? and revoked_at is null", id, operator).
		Update("revoked_at", at), ErrNotFound)
}

// SignInFailures reads the counts of several subjects.
func (t Tx) SignInFailures(subjects ...string) ([]SignInFailure, error) {
	return all[SignInFailure](t.db.Where("subject in ?", subjects))
}

// SetSignInFailure stores a count.
func (t Tx) SetSignInFailure(f SignInFailure) error { return t.db.Save(&f).Error }

// ClearSignInFailures forgets the counts of subjects.
func (t Tx) ClearSignInFailures(subjects ...string) error {
	return t.db.Where("subject in ?", subjects).Delete(&SignInFailure{}).Error
}
