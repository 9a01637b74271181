package store

import (
	"time"
)

// The states of a delivery.
const (
	DeliveryWaiting   = "waiting"
	DeliveryDelivered = "delivered"
	DeliveryFailed    = "failed" // given up; it can be sent again
)

// ContestedBySomebody is the kind of a notification that somebody keeps changing back what guards the ways into a
// device.
const ContestedBySomebody = "contested_by_somebody"

// AccountsAltered is the kind of a notification that a policy made, took over, disabled or removed an account of a
// device, or soon will.
const AccountsAltered = "accounts_altered"

// Notifies reports whether any target wants a kind.
func (t NotifyReader) Notifies(kind string) (bool, error) {
	found, err := rows[bool](t, `select true from notification_targets, jsonb_array_elements_text(events) as wanted(kind)
		where enabled and wanted.kind = $1 limit 1`, kind)
	return len(found) > 0, err
}

// CheckpointSigned is the kind of a notification that carries a checkpoint out of the database.
const CheckpointSigned = "checkpoint_signed"

// Notification is one thing to tell.
type Notification struct {
	ID       string
	Kind     string
	Subject  string
	DeviceID string // empty where it is about no device
	Words    string
	Path     string // of the console
	Urgent   bool
	Data     string // JSON
	At       time.Time
	Spread   bool // deliveries to the targets that want it were made
}

// Delivery is a notification on its way to a target.
type Delivery struct {
	ID        int64
	Target    string // name
	State     string
	Attempts  int
	Error     string
	CreatedAt time.Time
	EndedAt   *time.Time
	Notification
}

// AddNotification adds one. Where it was not spread yet, deliveries follow.
func (t NotifyWriter) AddNotification(n Notification) error {
	return t.exec(`insert into notifications (id, kind, subject, device_id, words, path, urgent, data, at, spread)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		n.ID, n.Kind, n.Subject, n.DeviceID, n.Words, n.Path, n.Urgent, n.Data, n.At, n.Spread)
}

// UnspreadNotifications are the first without deliveries so far.
func (t NotifyReader) UnspreadNotifications(most int) ([]Notification, error) {
	return rows[Notification](t, "select * from notifications where not spread order by id limit $1", most)
}

// SpreadNotification says that the deliveries of one were made.
func (t NotifyWriter) SpreadNotification(id string) error {
	return t.exec("update notifications set spread = true where id = $1", id)
}

// AddDeliveries has a notification delivered to targets.
func (t NotifyWriter) AddDeliveries(notification string, targets []string, at time.Time) error {
	return t.exec(`insert into deliveries (target_id, notification_id, state, created_at)
		select target, $1, 'waiting', $2 from unnest($3::text[]) target`, notification, at, targets)
}

const deliveryColumns = `d.id, t.name as target, d.state, d.attempts, d.error, d.created_at, d.ended_at, n.id as notification_id,
	n.kind, n.subject, n.device_id, n.words, n.path, n.urgent, n.data, n.at`

// deliveryRow is a delivery as it is read: both tables have an id.
type deliveryRow struct {
	Delivery
	NotificationID string
}

func deliveries(found []deliveryRow) []Delivery {
	list := make([]Delivery, len(found))
	for i, r := range found {
		list[i] = r.Delivery
		list[i].Notification.ID = r.NotificationID
	}
	return list
}

// WaitingDeliveries are the first to a target.
func (t NotifyReader) WaitingDeliveries(target string, most int) ([]Delivery, error) {
	found, err := rows[deliveryRow](t, "select "+deliveryColumns+
		` from deliveries d join notifications n on n.id = d.notification_id
		join notification_targets t on t.id = d.target_id where d.target_id = $1 and d.state = 'waiting' order by d.id
		limit $2`, target, most)
	return deliveries(found), err
}

// EndDeliveries says what came of deliveries.
func (t NotifyWriter) EndDeliveries(ids []int64, state, why string, at time.Time) error {
	return t.exec(`update deliveries set state = $1, error = $2, ended_at = $3, attempts = attempts + 1
		where id = any($4) and state = 'waiting'`, state, why, at, ids)
}

// EndDeliveriesOf is [Tx.EndDeliveries] of those of a notification.
func (t NotifyWriter) EndDeliveriesOf(notification, state, why string, at time.Time) error {
	return t.exec(`update deliveries set state = $1, error = $2, ended_at = $3, attempts = attempts + 1
		where notification_id = $4 and state = 'waiting'`, state, why, at, notification)
}

// DeliveryFailed counts an attempt.
func (t NotifyWriter) DeliveryFailed(id int64, why string) error {
	return t.exec("update deliveries set attempts = attempts + 1, error = $1 where id = $2", why, id)
}

// GiveUpDeliveries fails those that wait for a target since before a time.
func (t NotifyWriter) GiveUpDeliveries(target, why string, before, at time.Time) error {
	return t.exec(`update deliveries set state = 'failed', error = $1, ended_at = $2
		where target_id = $3 and state = 'waiting' and created_at < $4`, why, at, target, before)
}

// DeliveryFilter narrows a list of deliveries; what is empty narrows nothing.
type DeliveryFilter struct{ Target, State, Kind string }

// ListDeliveries lists a page, latest first.
func (t NotifyReader) ListDeliveries(f DeliveryFilter, p Page) ([]Delivery, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	found, err := rows[deliveryRow](t, "select "+deliveryColumns+
		` from deliveries d join notifications n on n.id = d.notification_id
		join notification_targets t on t.id = d.target_id where d.id < @before and (@target = ''
		or d.target_id = @target)
		and (@state = '' or d.state = @state) and (@kind = '' or n.kind = @kind) order by d.id desc limit @most`,
		map[string]any{"before": before, "target": f.Target, "state": f.State, "kind": f.Kind, "most": p.limit() + 1})
	if err != nil {
		return nil, "", err
	}
	list, next := cut(p, deliveries(found), func(d Delivery) []any { return []any{d.ID} })
	return list, next, nil
}

// DeliveryCount is how many deliveries to a target are in a state.
type DeliveryCount struct {
	TargetID, State string
	N               int
}

// CountDeliveries counts those that wait and those that failed.
func (t NotifyReader) CountDeliveries() ([]DeliveryCount, error) {
	return rows[DeliveryCount](t, `select target_id, state, count(*) as n from deliveries where state in ('waiting',
		'failed')
		group by target_id, state`)
}

// SendAgain has failed deliveries wait again: one, or all to a target. It gives how many.
func (t NotifyWriter) SendAgain(id int64, target string, at time.Time) (int, error) {
	found, err := rows[int64](t, `update deliveries set state = 'waiting', ended_at = null, created_at = @at
		where state = 'failed' and target_id = @target and (@id = 0 or id = @id) returning id`,
		map[string]any{"id": id, "target": target, "at": at})
	return len(found), err
}

// NotifiedTo is the last entry of the trail that was looked at.
func (t NotifyWriter) NotifiedTo() (int64, error) {
	found, err := rows[int64](t, "select seq from notified_to where what = 'trail' for update")
	if err != nil || len(found) == 0 {
		return 0, err
	}
	return found[0], nil
}

// SetNotifiedTo notes it.
func (t NotifyWriter) SetNotifiedTo(seq int64) error {
	return t.exec("update notified_to set seq = $1 where what = 'trail'", seq)
}

// UntoldFindings are the first whose state was not told.
func (t NotifyReader) UntoldFindings(most int) ([]Finding, error) {
	return rows[Finding](t, `select f.*, d.name as device from findings f join devices d on d.id = f.device_id
		where f.told <> f.state order by f.id limit $1`, most)
}

// ToldFindings notes that the states of findings were told.
func (t NotifyWriter) ToldFindings(list []Finding) error {
	ids, states := make([]int64, len(list)), make([]string, len(list))
	for i, f := range list {
		ids[i], states[i] = f.ID, f.State
	}
	return t.exec(`update findings f set told = x.state from unnest($1::bigint[], $2::text[]) x(id, state)
		where f.id = x.id`, ids, states)
}

// Told is a device that was told of as held or silent. It can be both.
type Told struct{ DeviceID, Standing string }

// ToldStandings are all.
func (t NotifyReader) ToldStandings() ([]Told, error) {
	return rows[Told](t, "select device_id, standing from notified_standings")
}

// TellStandings notes what was told of now, and forgets what is no longer so.
func (t NotifyWriter) TellStandings(now, gone []Told) error {
	columns := func(list []Told) (ids, standings []string) {
		for _, x := range list {
			ids, standings = append(ids, x.DeviceID), append(standings, x.Standing)
		}
		return ids, standings
	}
	ids, standings := columns(now)
	if err := t.exec(`insert into notified_standings select * from unnest($1::text[], $2::text[])
		on conflict do nothing`,
		ids, standings); err != nil {
		return err
	}
	ids, standings = columns(gone)
	return t.exec(`delete from notified_standings where (device_id, standing) in (select * from unnest($1::text[],
		$2::text[]))`,
		ids, standings)
}
