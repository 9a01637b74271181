package store

import (
	"time"

	"rankwarden.example/internal/wire"
)

// Order is a stored order.
type Order struct {
	ID          int64
	DeviceID    string
	Device      string `gorm:"->;-:migration"` // its name, read only
	Number      int64
	Kind        string
	Subject     string
	State       string
	Detail      string
	CreatedBy   string
	CreatedAt   time.Time
	EndsAt      time.Time
	DeliveredAt *time.Time
	FinishedAt  *time.Time
}

// AddOrders gives the live devices of those named an order, in place of one of the same kind and
// subject that still waits, and gives their identifiers.
func (t Tx) AddOrders(devices []string, o Order) ([]string, error) {
	if err := t.LockDevices(devices); err != nil {
		return nil, err
	}
	if err := t.exec(`update orders set state = 'replaced', finished_at = $4 where device_id = any($1::text[]) and kind = $2 and subject = $3 and state = 'queued'`,
		devices, o.Kind, o.Subject, o.CreatedAt); err != nil {
		return nil, err
	}
	return rows[string](t, `with numbered as (update devices set order_number = order_number + 1, changed_at = now() where id in ? and state = 'live' returning id, order_number)
		insert into orders (device_id, number, kind, subject, state, created_by, created_at, ends_at)
		select id, order_number, ?, ?, 'queued', ?, ?, ? from numbered returning device_id`, orNone(devices), o.Kind, o.Subject, o.CreatedBy, o.CreatedAt, o.EndsAt)
}

// DeliverOrders marks the waiting orders of a device after a number as delivered, and gives them.
func (t Tx) DeliverOrders(device string, after int64, at time.Time) ([]Order, error) {
	if err := t.exec(`update orders set state = 'delivered', delivered_at = coalesce(delivered_at, $3)
		where device_id = $1 and number > $2 and state = 'queued' and ends_at > $3`, device, after, at); err != nil {
		return nil, err
	}
	return rows[Order](t, "select * from orders where device_id = ? and number > ? and state = 'delivered' and ends_at > ? order by number", device, after, at)
}

// FinishOrder stores what became of an order, once.
func (t Tx) FinishOrder(device string, r wire.OrderResult) error {
	return t.exec(`update orders set state = $3, detail = $4, finished_at = $5, delivered_at = coalesce(delivered_at, $5)
		where device_id = $1 and number = $2 and state in ('queued', 'delivered')`, device, r.Number, r.State, r.Detail, r.At)
}

// ListOrders lists a page, latest first, of one device when it is named. One that waited beyond its
// end is ended.
func (t Tx) ListOrders(device string, now time.Time, p Page) ([]Order, string, error) {
	after := int64(1) << 62
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	sql, args := "o.id < ?", []any{now, after}
	if device != "" {
		sql, args = sql+" and o.device_id = ?", append(args, device)
	}
	list, err := rows[Order](t, `select o.id, o.device_id, o.number, o.kind, o.subject, o.detail, o.created_by, o.created_at, o.ends_at, o.delivered_at, o.finished_at,
		case when o.state in ('queued', 'delivered') and o.ends_at <= ? then 'ended' else o.state end as state, d.name as device
		from orders o join devices d on d.id = o.device_id where `+sql+" order by o.id desc limit ?", append(args, p.limit()+1)...)
	list, next := cut(p, list, func(o Order) []any { return []any{o.ID} })
	return list, next, err
}
