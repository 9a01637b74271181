package store

import (
	"slices"
	"time"

	"rankwarden.example/core/rights"
)

// Reveal is one showing of a password.
type Reveal struct {
	ID       int64
	DeviceID string
	Device   string `gorm:"->;-:migration"` // its name, read only
	Target   string
	Operator string
	Reason   string
	Copied   bool  // without being shown
	Again    bool  // to somebody who had seen it within the hour
	Deposits []Ref `gorm:"serializer:json"`
	At       time.Time
}

// Ref names a deposit of a device.
type Ref struct {
	Epoch  int64 `json:"epoch"`
	Number int64 `json:"number"`
}

// AddReveal stores one, and on the password who saw it last.
func (t PasswordsWriter) AddReveal(r Reveal) error {
	if err := translate(t.db.Omit("Device").Create(&r).Error); err != nil {
		return err
	}
	return t.exec(
		"update rotations set shown_at = $3, shown_by = $4 where device_id = $1 and target = $2",
		r.DeviceID,
		r.Target,
		r.At,
		r.Operator,
	)
}

// RevealsOf counts the passwords that were shown to an operator since a time, and says whether the one of a reveal is
// among them. One that was shown again counts once.
func (t PasswordsReader) RevealsOf(operator string, since time.Time, r Reveal) (shown int, again bool, err error) {
	list, err := rows[Reveal](t, `select device_id, target, deposits from reveals
		where operator = $1 and at > $2 and not again`, operator, since)
	return len(list), slices.ContainsFunc(list, func(seen Reveal) bool {
		return seen.DeviceID == r.DeviceID && seen.Target == r.Target && slices.Equal(seen.Deposits, r.Deposits)
	}), err
}

// ListReveals lists a page, latest first.
func (t PasswordsReader) ListReveals(n Narrow, p Page) ([]Reveal, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	list, err := latest[Reveal](t, record{"reveals", "at", "x.*"}, n, "true", nil, before, p.limit()+1)
	list, next := cut(p, list, func(r Reveal) []any { return []any{r.ID} })
	return list, next, err
}

// Approval is a reveal beyond an operator's budget, which a second person must approve.
type Approval struct {
	ID        string
	DeviceID  string
	Device    string `gorm:"->;-:migration"` // its name, read only
	Target    string
	AskedBy   string
	Reason    string
	AskedAt   time.Time
	EndsAt    time.Time
	DecidedBy string
	DecidedAt *time.Time
	Approved  bool
	UsedAt    *time.Time
}

// AddApproval stores one that waits.
func (t PasswordsWriter) AddApproval(a Approval) error {
	return translate(t.db.Omit("Device").Create(&a).Error)
}

// LockApproval reads one for update.
func (t PasswordsWriter) LockApproval(id string) (Approval, error) {
	return one[Approval](
		t,
		"select a.*, d.name as device from approvals a join devices d on d.id = a.device_id "+
			"where a.id = $1 for update of a",
		id,
	)
}

// SetApproval stores what was decided, or that it was used.
func (t PasswordsWriter) SetApproval(a Approval) error {
	return must(t.db.Model(&Approval{}).Where("id = ?", a.ID).
		Select("decided_by", "decided_at", "approved", "ends_at", "used_at").Updates(a), ErrNotFound)
}

// OpenApproval finds what an operator asked for one password that has neither ended nor been used.
func (t PasswordsReader) OpenApproval(operator, device, target string, now time.Time) (Approval, error) {
	return first[Approval](t.db.Omit("Device").
		Where("asked_by = ? and device_id = ? and target = ? and ends_at > ? and used_at is null and (decided_at is "+
			"null or approved)",
			operator, device, target, now).
		Order("id desc"))
}

// ListApprovals lists a page of those that wait, or that were approved to and not used, latest first, on
// devices in reach.
func (t PasswordsReader) ListApprovals(reach rights.Reach, now time.Time, p Page) ([]Approval, string, error) {
	before := "~"
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	list, err := rows[Approval](t, `select a.*, d.name as device from approvals a join devices d on d.id = a.device_id
		where a.id < ? and a.ends_at > ? and a.used_at is null and (a.decided_at is null or a.approved) and `+within+
		` order by a.id desc limit ?`,
		append(append([]any{before, now}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(a Approval) []any { return []any{a.ID} })
	return list, next, err
}
