package store

import (
	"time"

	"rankwarden.example/internal/auth"
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
	Deposits []Ref `gorm:"serializer:json"`
	At       time.Time
}

// Ref names a deposit of a device.
type Ref struct {
	Epoch  int64 `json:"epoch"`
	Number int64 `json:"number"`
}

// AddReveal stores one, and on the password who saw it last.
func (t Tx) AddReveal(r Reveal) error {
	if err := translate(t.db.Omit("Device").Create(&r).Error); err != nil {
		return err
	}
	return t.exec("update rotations set shown_at = $3, shown_by = $4 where device_id = $1 and target = $2", r.DeviceID, r.Target, r.At, r.Operator)
}

// CountReveals counts those of an operator since a time.
func (t Tx) CountReveals(operator string, since time.Time) (int, error) {
	n, err := rows[int](t, "select count(*) from reveals where operator = ? and at > ?", operator, since)
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// ListReveals lists a page, latest first.
func (t Tx) ListReveals(n Narrow, p Page) ([]Reveal, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	list, err := latest[Reveal](t, record{"reveals", "at", "x.*"}, n, "true", nil, before, p.limit()+1)
	list, next := cut(p, list, func(r Reveal) []any { return []any{r.ID} })
	return list, next, err
}

// Agreement is a reveal beyond an operator's budget, which a second person must agree to.
type Agreement struct {
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
	Agreed    bool
	UsedAt    *time.Time
}

// AddAgreement stores one that waits.
func (t Tx) AddAgreement(a Agreement) error { return translate(t.db.Omit("Device").Create(&a).Error) }

// LockAgreement reads one for update.
func (t Tx) LockAgreement(id string) (Agreement, error) {
	found, err := rows[Agreement](t, "select a.*, d.name as device from agreements a join devices d on d.id = a.device_id where a.id = ? for update of a", id)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Agreement{}, err
	}
	return found[0], nil
}

// SetAgreement stores what was decided, or that it was used.
func (t Tx) SetAgreement(a Agreement) error {
	return must(t.db.Model(&Agreement{}).Where("id = ?", a.ID).
		Select("decided_by", "decided_at", "agreed", "ends_at", "used_at").Updates(a), ErrNotFound)
}

// OpenAgreement finds what an operator asked for one password that has neither ended nor been used.
func (t Tx) OpenAgreement(operator, device, target string, now time.Time) (Agreement, error) {
	return first[Agreement](t.db.Omit("Device").Where("asked_by = ? and device_id = ? and target = ? and ends_at > ? and used_at is null and (decided_at is null or agreed)",
		operator, device, target, now).Order("id desc"))
}

// ListAgreements lists a page of those that wait, or that were agreed to and not used, latest first, on
// devices in reach.
func (t Tx) ListAgreements(reach auth.Reach, now time.Time, p Page) ([]Agreement, string, error) {
	before := "~"
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	list, err := rows[Agreement](t, `select a.*, d.name as device from agreements a join devices d on d.id = a.device_id
		where a.id < ? and a.ends_at > ? and a.used_at is null and (a.decided_at is null or a.agreed) and `+within+` order by a.id desc limit ?`,
		append(append([]any{before, now}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(a Agreement) []any { return []any{a.ID} })
	return list, next, err
}
