package store

import (
	"time"

	"rankwarden.example/internal/auth"
)

// Operator is a person who signs in.
type Operator struct {
	ID           string
	Name         string
	Grants       []auth.Grant `gorm:"serializer:json"`
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
	FreshAt    time.Time // when the operator last gave the password in it
}

// APIToken lets a program act for an operator, with at most the operator's rights.
type APIToken struct {
	ID         string
	OperatorID string
	Name       string
	Role       string // empty for all that the operator may do
	Hash       []byte
	CreatedAt  time.Time
	ExpiresAt  time.Time
	RevokedAt  *time.Time
	FreshAt    *time.Time // when the operator last gave the password with it
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

// OperatorsReaching are the names of operators who have a role with reach over a group.
func (t Tx) OperatorsReaching(group string) ([]string, error) {
	return rows[string](t, `select distinct o.name from operators o, jsonb_array_elements(o.grants) g
		where o.disabled_at is null and jsonb_exists(g->'groups', ?) order by 1`, group)
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

// SetOperator changes roles, password and whether the operator may sign in; sessions and tokens of a
// disabled one end.
func (t Tx) SetOperator(o Operator, at time.Time) error {
	if err := must(t.db.Model(&Operator{}).Where("id = ?", o.ID).
		Select("grants", "password_hash", "disabled_at").Updates(o), ErrNotFound); err != nil {
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

// SessionOperator finds a live session and its operator.
func (t Tx) SessionOperator(hash []byte, now time.Time) (Operator, Session, error) {
	session, err := first[Session](t.db.Where("hash = ? and expires_at > ?", hash, now))
	if err != nil {
		return Operator{}, session, err
	}
	operator, err := first[Operator](t.db.Where("id = ? and disabled_at is null", session.OperatorID))
	return operator, session, err
}

// RefreshSession notes that the operator gave the password again.
func (t Tx) RefreshSession(hash []byte, at time.Time) error {
	return t.db.Model(&Session{}).Where("hash = ?", hash).Update("fresh_at", at).Error
}

// RefreshToken notes that the operator gave the password with a token.
func (t Tx) RefreshToken(id string, at time.Time) error {
	return t.db.Model(&APIToken{}).Where("id = ?", id).Update("fresh_at", at).Error
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
