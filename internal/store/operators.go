package store

import (
	"slices"
	"time"

	"rankwarden.example/core/rights"
)

// Operator is a person who signs in.
type Operator struct {
	ID           string
	Name         string
	Grants       []rights.Grant `gorm:"serializer:json"`
	PasswordHash string
	CreatedAt    time.Time
	DisabledAt   *time.Time
	SealedAt     *time.Time // an owner for the day on which nobody else gets in; nil for everybody else
	Issuer       string     // the identity provider that the operator signs in with, empty for one of our own
	Subject      string     // who the operator is there
	OpenedAt     *time.Time // when that one was used, nil for not since it was sealed
	// Epoch begins anew with a password, a role, a second factor, or when the operator is let in again; what began in
	// another one is worth nothing.
	Epoch       int64      `gorm:"default:1"`
	ConfirmedAt *time.Time // when the identity provider last said who it is
	// FirstPassword is one that somebody else gave: it is changed before anything else.
	FirstPassword bool
	Tour          string // how far they have come with the tour of the console
}

// Session is a signed-in browser. Hash is the SHA-256 of the secret in its cookie.
type Session struct {
	Hash       []byte `gorm:"primaryKey"`
	OperatorID string
	Address    string
	CreatedAt  time.Time
	ExpiresAt  time.Time
	FreshAt    time.Time // when the operator last gave the password in it
	Factor     bool      // it was opened with a second factor
	Epoch      int64     // of the operator, when it was opened
}

// APIToken lets a program act for an operator, with at most the operator's rights.
type APIToken struct {
	ID         string
	OperatorID string
	Name       string
	Operator   string         `gorm:"->;-:migration"` // name of its operator, read only
	Role       string         // that was asked for, empty for all that the operator may do
	Grants     []rights.Grant `gorm:"serializer:json"` // what it was given; see [rights.Limited]
	Hash       []byte
	CreatedAt  time.Time
	ExpiresAt  time.Time
	RevokedAt  *time.Time
	FreshAt    *time.Time // when the operator last gave the password with it
	Epoch      int64      // of the operator, when it was made
}

// TableName is gorm's.
func (APIToken) TableName() string { return "api_tokens" }

// SignInFailure counts wrong passwords of a subject: a name, an address, or both together.
type SignInFailure struct {
	Subject   string `gorm:"primaryKey"`
	Failures  int
	BlockedTo time.Time
	LastAt    time.Time
}

// AddOperator adds one; the name must be new.
func (t AccessWriter) AddOperator(o Operator) error { return translate(t.db.Create(&o).Error) }

// CountOperators counts them all.
func (t AccessReader) CountOperators() (int64, error) {
	var n int64
	err := t.db.Model(&Operator{}).Count(&n).Error
	return n, err
}

// OperatorByName finds an operator.
func (t AccessReader) OperatorByName(name string) (Operator, error) {
	return first[Operator](t.db.Where("name = ?", name))
}

// OperatorsReaching are the names of operators who have a role with reach over a group, whether or not they may sign in
// now; roles of the identity provider count before anybody has come with them.
func (t AccessReader) OperatorsReaching(group string) ([]string, error) {
	return rows[string](t, `select distinct o.name from operators o, jsonb_array_elements(o.grants) g
		where jsonb_exists(g->'groups', $1)
		union select 'whoever the identity provider sends' from provider_reach where name = $1 order by 1`, group)
}

// Operator finds an operator by identifier.
func (t AccessReader) Operator(id string) (Operator, error) {
	return first[Operator](t.db.Where("id = ?", id))
}

// DecidingGroup is a listed group that expects a folded name and that an operator's role or an assignment's
// exclusion names, of those not granted; empty for none. No device talks itself into such a group.
func (t AccessReader) DecidingGroup(name string, granted []string) (string, error) {
	found, err := rows[string](
		t,
		`select g.name from expected_names m join groups g on g.id = m.group_id where m.name_key = $1
			and g.name
			<> all($2)
		and (exists (select 1 from operators o, jsonb_array_elements(o.grants) r where jsonb_exists(r->'groups',
		g.name))
			or exists (select 1 from assignments a where jsonb_exists(a.exclude, g.name))) order by 1 limit 1`,
		name,
		granted,
	)
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// ListOperators lists a page by name.
func (t AccessReader) ListOperators(p Page) ([]Operator, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[Operator](t.db.Where("name > ?", after).Order("name").Limit(p.limit() + 1))
	list, next := cut(p, list, func(o Operator) []any { return []any{o.Name} })
	return list, next, err
}

// LockOperator reads an operator for update, so that what is counted for one operator is counted one
// after the other.
func (t AccessWriter) LockOperator(id string) (Operator, error) {
	found, err := rows[Operator](t, "select * from operators where id = $1 for no key update", id)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Operator{}, err
	}
	return found[0], nil
}

// OwnersLeft counts the operators who are owners and may sign in.
func (t AccessReader) OwnersLeft() (int, error) {
	n, err := rows[int](
		t,
		`select count(*) from operators where disabled_at is null and grants @> '[{"role": "owner"}]'`,
	)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// OtherOwners counts the owners beside an operator who may sign in every day; a sealed one is not among them.
func (t AccessReader) OtherOwners(operator string) (int, error) {
	return one[int](t, `select count(*) from operators where disabled_at is null and sealed_at is null and id <> $1
		and exists (select from jsonb_array_elements(grants) g where g ->> 'role' = 'owner')`, operator)
}

// SetOperator changes roles, password and whether the operator may sign in. Sessions and tokens of the
// operator end, and the addresses from which somebody signed in with the former password are forgotten.
func (t AccessWriter) SetOperator(o Operator, at time.Time) error {
	if err := must(t.db.Model(&Operator{}).Where("id = ?", o.ID).
		Select("grants", "password_hash", "first_password", "disabled_at").Updates(o), ErrNotFound); err != nil {
		return err
	}
	if err := t.BeginOperatorEpoch(o.ID); err != nil {
		return err
	}
	if err := t.db.Where("operator_id = ?", o.ID).Delete(&Session{}).Error; err != nil {
		return err
	}
	if err := t.exec("delete from operator_addresses where operator_id = $1", o.ID); err != nil {
		return err
	}
	return t.db.Model(&APIToken{}).Where("operator_id = ? and revoked_at is null", o.ID).Update("revoked_at", at).Error
}

// SetTour keeps how far an operator has come with the tour of the console.
func (t AccessWriter) SetTour(operator, at string) error {
	return t.exec("update operators set tour = $2 where id = $1", operator, at)
}

// SetOwnPassword stores a password that an operator gave instead of another, and ends every session but the one that it
// was given in, and every token.
func (t AccessWriter) SetOwnPassword(o Operator, session []byte, at time.Time) error {
	if err := t.exec("update operators set password_hash = $2, first_password = false, epoch = epoch + 1 where id = $1",
		o.ID, o.PasswordHash); err != nil {
		return err
	}
	if err := t.exec("delete from sessions where operator_id = $1 and hash <> $2", o.ID, session); err != nil {
		return err
	}
	err := t.exec("update sessions set epoch = $2, fresh_at = $3 where hash = $1", session, o.Epoch+1, at)
	if err != nil {
		return err
	}
	return t.exec("update api_tokens set revoked_at = $2 where operator_id = $1 and revoked_at is null", o.ID, at)
}

// BeginOperatorEpoch has everything that an operator began before be worth nothing.
func (t AccessWriter) BeginOperatorEpoch(operator string) error {
	return t.exec("update operators set epoch = epoch + 1 where id = $1", operator)
}

// Confirm notes that the identity provider said who an operator is.
func (t AccessWriter) Confirm(operator string, at time.Time) error {
	return t.exec("update operators set confirmed_at = $2 where id = $1", operator, at)
}

// SetProviderReach keeps the groups over which the roles of the identity provider give reach.
func (t AccessWriter) SetProviderReach(groups []string) error {
	if err := t.exec("delete from provider_reach where name <> all($1::text[])", groups); err != nil {
		return err
	}
	return t.exec("insert into provider_reach select unnest($1::text[]) on conflict do nothing", groups)
}

// AddSession adds one, and clears away what has expired.
func (t AccessWriter) AddSession(s Session) error {
	if err := t.db.Where("expires_at < ?", s.CreatedAt).Delete(&Session{}).Error; err != nil {
		return err
	}
	return translate(t.db.Create(&s).Error)
}

// SessionOperator finds a live session and its operator.
func (t AccessReader) SessionOperator(hash []byte, now time.Time) (Operator, Session, error) {
	session, err := first[Session](t.db.Where("hash = ? and expires_at > ?", hash, now))
	if err != nil {
		return Operator{}, session, err
	}
	operator, err := first[Operator](t.db.Where("id = ? and disabled_at is null and epoch = ?", session.OperatorID,
		session.Epoch))
	return operator, session, err
}

// RefreshSession notes that the operator gave the password again.
func (t AccessWriter) RefreshSession(hash []byte, at time.Time) error {
	return t.db.Model(&Session{}).Where("hash = ?", hash).Update("fresh_at", at).Error
}

// RefreshToken notes that the operator gave the password with a token.
func (t AccessWriter) RefreshToken(id string, at time.Time) error {
	return t.db.Model(&APIToken{}).Where("id = ?", id).Update("fresh_at", at).Error
}

// EndSession ends one; it is no error when it has ended before.
func (t AccessWriter) EndSession(hash []byte) error {
	return t.db.Where("hash = ?", hash).Delete(&Session{}).Error
}

// AddAPIToken adds one.
func (t AccessWriter) AddAPIToken(a APIToken) error {
	return translate(t.db.Omit("Operator").Create(&a).Error)
}

// LiveAPIToken finds a token that is neither revoked nor expired.
func (t AccessReader) LiveAPIToken(hash []byte, now time.Time) (APIToken, error) {
	return first[APIToken](t.db.Omit("Operator").Where("hash = ? and expires_at > ? and revoked_at is null", hash, now))
}

// ListAPITokens lists a page, newest first: of one operator, or of all when none is given.
func (t AccessReader) ListAPITokens(operator string, p Page) ([]APIToken, string, error) {
	before := "~"
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	q := t.db.Table("api_tokens").Select("api_tokens.*, o.name as operator").
		Joins("join operators o on o.id = api_tokens.operator_id").
		Where("api_tokens.id < ?", before)
	if operator != "" {
		q = q.Where("operator_id = ?", operator)
	}
	list, err := all[APIToken](q.Order("api_tokens.id desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(a APIToken) []any { return []any{a.ID} })
	return list, next, err
}

// RevokeAPIToken ends a token: of one operator, or of anybody when none is given.
func (t AccessWriter) RevokeAPIToken(operator, id string, at time.Time) error {
	q := t.db.Model(&APIToken{}).Where("id = ? and revoked_at is null", id)
	if operator != "" {
		q = q.Where("operator_id = ?", operator)
	}
	return must(q.Update("revoked_at", at), ErrNotFound)
}

// LockSignInFailures reads the counts of subjects for update, making those that are not there, in one
// order for everybody.
func (t AccessWriter) LockSignInFailures(at time.Time, subjects ...string) ([]SignInFailure, error) {
	slices.Sort(subjects)
	if err := t.exec(`insert into sign_in_failures (subject, failures, blocked_to, last_at) select subject, 0, $2,
		$2 from
		unnest($1::text[]) as s(subject)
		order by subject on conflict do nothing`, subjects, at); err != nil {
		return nil, err
	}
	return rows[SignInFailure](
		t,
		"select * from sign_in_failures where subject = any($1) order by subject for update",
		subjects,
	)
}

// SetSignInFailure stores a count.
func (t AccessWriter) SetSignInFailure(f SignInFailure) error { return t.db.Save(&f).Error }

// ClearSignInFailures forgets the counts of subjects.
func (t AccessWriter) ClearSignInFailures(subjects ...string) error {
	slices.Sort(subjects)
	return t.exec(
		"delete from sign_in_failures where subject in (select subject from sign_in_failures where subject = any($1) "+
			"order by subject for update)",
		subjects,
	)
}

// KnowsAddress reports whether an operator signed in from an address before.
func (t AccessReader) KnowsAddress(operator, address string) (bool, error) {
	found, err := rows[bool](
		t,
		"select true from operator_addresses where operator_id = $1 and address = $2",
		operator,
		address,
	)
	return len(found) > 0, err
}

// RememberAddress notes that an operator signed in from an address. The latest twenty are kept.
func (t AccessWriter) RememberAddress(operator, address string, at time.Time) error {
	if err := t.exec(`insert into operator_addresses (operator_id, address, last_at) values ($1, $2, $3)
		on conflict (operator_id, address) do update set last_at = excluded.last_at`, operator, address,
		at); err != nil {
		return err
	}
	return t.exec(`delete from operator_addresses where operator_id = $1 and address not in
		(select address from operator_addresses where operator_id = $1 order by last_at desc limit 20)`, operator)
}
