package store

import "time"

// EnrolmentToken lets devices enrol, and puts them into groups. Only a hash of its secret is kept.
type EnrolmentToken struct {
	ID         string
	Note       string
	SecretHash []byte
	UsesLeft   int
	Groups     []string `gorm:"serializer:json"`
	Path       string
	Tags       []string `gorm:"serializer:json"`
	CreatedBy  string
	CreatedAt  time.Time
	ExpiresAt  time.Time
	RevokedAt  *time.Time
}

// AddEnrolmentToken adds one.
func (t DevicesWriter) AddEnrolmentToken(e EnrolmentToken) error {
	return translate(t.db.Create(&e).Error)
}

// LockEnrolmentToken reads a token for update.
func (t DevicesWriter) LockEnrolmentToken(id string) (EnrolmentToken, error) {
	return one[EnrolmentToken](t, "select * from enrolment_tokens where id = $1 for update", id)
}

// UseEnrolmentToken counts one use.
func (t DevicesWriter) UseEnrolmentToken(id string) error {
	return t.exec("update enrolment_tokens set uses_left = uses_left - 1 where id = $1", id)
}

// ListEnrolmentTokens lists a page, newest first.
func (t DevicesReader) ListEnrolmentTokens(p Page) ([]EnrolmentToken, string, error) {
	after := "~"
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[EnrolmentToken](t.db.Where("id < ?", after).Order("id desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(e EnrolmentToken) []any { return []any{e.ID} })
	return list, next, err
}

// RevokeEnrolmentToken ends a token.
func (t DevicesWriter) RevokeEnrolmentToken(id string, at time.Time) error {
	return must(
		t.db.Model(&EnrolmentToken{}).Where("id = ? and revoked_at is null", id).Update("revoked_at", at),
		ErrNotFound,
	)
}
