package store

import (
	"time"

	"rankwarden.example/core/text"
)

// The kinds of targets.
const (
	TargetWebhook = "webhook"
	TargetSyslog  = "syslog"
	TargetMail    = "mail"
)

// NotificationTarget is where notifications go.
type NotificationTarget struct {
	ID       string
	Name     string
	NameKey  string
	Kind     string
	Address  string         // URL, tcp:// or tls:// with host and port, or that of a mail server
	Settings TargetSettings `gorm:"serializer:json"`
	Secret   []byte         // sealed: what signs webhooks, or the password of the mail server
	Events   []string       `gorm:"serializer:json"` // kinds of notifications
	// only of devices in these, and of what is about no device; empty for all
	Groups    []string `gorm:"serializer:json"`
	Enabled   bool
	Version   int64
	CreatedBy string
	CreatedAt time.Time

	Failures    int // in a row
	Error       string
	NextAt      time.Time // before which nothing is tried
	LeasedTo    time.Time // until which a replica delivers
	DeliveredAt *time.Time
}

// TargetSettings are those of the kind.
type TargetSettings struct {
	From string   `json:"from,omitempty"` // of mail
	To   []string `json:"to,omitempty"`
	User string   `json:"user,omitempty"`
	CA   string   `json:"ca,omitempty"` // certificates in PEM that are trusted instead of the system's
}

// targetColumns are those that an operator sets.
var targetColumns = []string{"kind", "address", "settings", "secret", "events", "groups", "enabled"}

// AddTarget adds one; the error is [ErrExists] where the name is taken.
func (t NotifyWriter) AddTarget(n NotificationTarget) error {
	n.NameKey, n.Version = text.Fold(n.Name), 1
	return translate(t.db.Select(append([]string{"id", "name", "name_key", "version", "created_by", "created_at"},
		targetColumns...)).
		Create(&n).Error)
}

// Target finds one by name.
func (t NotifyReader) Target(name string) (NotificationTarget, error) {
	return first[NotificationTarget](t.db.Where("name_key = ?", text.Fold(name)))
}

// SetTarget stores what an operator sets, over the version that was read. What waits is tried at once.
func (t NotifyWriter) SetTarget(n NotificationTarget) error {
	return must(
		t.db.Model(&NotificationTarget{}).Where("id = ? and version = ?", n.ID, n.Version-1).
			Select(append([]string{"version", "failures", "error", "next_at"}, targetColumns...)).Updates(n),
		ErrStale,
	)
}

// DeleteTarget deletes one with its deliveries, over the version that was read.
func (t NotifyWriter) DeleteTarget(id string, version int64) error {
	return must(t.db.Where("id = ? and version = ?", id, version).Delete(&NotificationTarget{}), ErrStale)
}

// ListTargets lists a page by name.
func (t NotifyReader) ListTargets(p Page) ([]NotificationTarget, string, error) {
	after := ""
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[NotificationTarget](t.db.Where("name_key > ?", after).Order("name_key").Limit(p.limit() + 1))
	list, next := cut(p, list, func(n NotificationTarget) []any { return []any{n.NameKey} })
	return list, next, err
}

// CountTargets is how many there are.
func (t NotifyReader) CountTargets() (n int64, err error) {
	err = translate(t.db.Model(&NotificationTarget{}).Count(&n).Error)
	return n, err
}

// EnabledTargets are all that are not switched off.
func (t NotifyReader) EnabledTargets() ([]NotificationTarget, error) {
	return all[NotificationTarget](t.db.Where("enabled").Order("name_key"))
}

// DueTargets are the identifiers of those that something waits for and that nobody delivers to now.
func (t NotifyReader) DueTargets(now time.Time) ([]string, error) {
	return rows[string](t, `select id from notification_targets n where enabled and next_at <= $1 and leased_to <= $2
		and exists (select 1 from deliveries d where d.target_id = n.id and d.state = 'waiting') order by id`, now, now)
}

// LeaseTarget keeps other replicas from delivering to a target until a time; false where one does.
func (t NotifyWriter) LeaseTarget(id string, now, to time.Time) (NotificationTarget, bool, error) {
	found, err := rows[NotificationTarget](t, `update notification_targets set leased_to = $1
		where id = $2 and enabled and next_at <= $3 and leased_to <= $4 returning *`, to, id, now, now)
	if err != nil || len(found) == 0 {
		return NotificationTarget{}, false, err
	}
	return found[0], true, nil
}

// EndLease notes how deliveries to a target went.
func (t NotifyWriter) EndLease(n NotificationTarget) error {
	return translate(t.db.Model(&NotificationTarget{}).Where("id = ?", n.ID).
		Select("failures", "error", "next_at", "leased_to", "delivered_at").Updates(n).Error)
}
