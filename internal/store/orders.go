package store

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/wire/protocol"
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
	EndsAt      *time.Time // nil for never
	NotBefore   *time.Time
	Files       string // what becomes of those of an account that is removed
	Revealed    bool   // the password was shown
	Batch       string // of the orders that were given together
	DeliveredAt *time.Time
	FinishedAt  *time.Time
}

// AddOrders gives the live devices of those named an order, in place of one of the same kind and
// subject that still waits, and gives their identifiers. The upper half of a number is the epoch of
// the service, so that none is used twice after a database came back from a backup.
func (t DevicesWriter) AddOrders(devices []string, o Order) ([]string, error) {
	if err := t.LockDevices(devices); err != nil {
		return nil, err
	}
	if err := t.exec(`update orders set state = 'replaced', finished_at = $4 where device_id = any($1::text[])
		and kind =
		$2 and subject = $3 and state = 'queued'`,
		devices, o.Kind, o.Subject, o.CreatedAt); err != nil {
		return nil, err
	}
	return rows[string](
		t,
		`with numbered as (update devices set order_number = greatest(order_number, (select epoch
			from service_state) << 32) + 1, changed_at =
			now() where id = any($1) and state = 'live' returning id, order_number)
		insert into orders (device_id, number, kind, subject, state, created_by, created_at, ends_at, not_before,
		revealed,
		batch, files)
		select id, order_number, $2, $3, 'queued', $4, $5, $6, $7, $8, $9, $10 from numbered returning device_id`,
		devices,
		o.Kind,
		o.Subject,
		o.CreatedBy,
		o.CreatedAt,
		o.EndsAt,
		o.NotBefore,
		o.Revealed,
		o.Batch,
		o.Files,
	)
}

// DeliverOrders marks the waiting orders of a device after a number as delivered, and gives them.
func (t DevicesWriter) DeliverOrders(device string, after int64, at time.Time) ([]Order, error) {
	if err := t.exec(`update orders set state = 'delivered', delivered_at = coalesce(delivered_at, $3)
		where device_id = $1 and number > $2 and state = 'queued' and (ends_at is null or ends_at > $3)`, device, after,
		at); err != nil {
		return nil, err
	}
	return rows[Order](
		t,
		"select * from orders where device_id = $1 and number > $2 and state = 'delivered' and (ends_at is null "+
			"or ends_at > $3) order by number",
		device,
		after,
		at,
	)
}

// Rotates reports whether a device is to change a password by an order that waits, not later than a time.
func (t DevicesReader) Rotates(device, subject string, at time.Time) (bool, error) {
	found, err := rows[int64](
		t,
		`select number from orders where device_id = $1 and kind = 'rotate' and subject in ('', $2)
			and state in ('queued',
			'delivered')
		and coalesce(not_before, created_at) <= $3 limit 1`,
		device,
		subject,
		at,
	)
	return len(found) > 0, err
}

// FinishOrder stores what became of an order, once; of one that still waits, why.
func (t DevicesWriter) FinishOrder(device string, r protocol.OrderResult) error {
	if r.State == protocol.OrderDelivered {
		return t.exec(
			`update orders set detail = $3 where device_id = $1 and number = $2 and state = 'delivered'`,
			device,
			r.Number,
			r.Detail,
		)
	}
	return t.exec(
		`update orders set state = $3, detail = $4, finished_at = $5, delivered_at = coalesce(delivered_at, $5)
		where device_id = $1 and number = $2 and state in ('queued', 'delivered')`,
		device,
		r.Number,
		r.State,
		r.Detail,
		r.At,
	)
}

// CountOrders counts the orders of a batch, on devices in reach, by state. Those that wait for a device that is silent
// are counted apart.
func (t DevicesReader) CountOrders(reach rights.Reach, batch string, clock Clock) (map[string]int, error) {
	within, args := inReach(reach)
	counts, err := rows[struct {
		State string
		N     int
	}](t, `select case when o.state in ('queued', 'delivered') and o.ends_at <= ? then 'ended'
		when o.state = 'queued' and coalesce((select s.last_contact from devices s where s.id = o.device_id), 'epoch') < ?
			then 'silent'
		else o.state end as state,
		count(*) as n
		from orders o join devices d on d.id = o.device_id where o.batch = ? and o.batch <> '' and `+within+
		" group by 1", append([]any{clock.Now, clock.Silent(), batch}, args...)...)
	by := map[string]int{}
	for _, c := range counts {
		by[c.State] = c.N
	}
	return by, err
}

// ListOrders lists a page, latest first. One that waited beyond its end is ended.
func (t DevicesReader) ListOrders(n Narrow, now time.Time, p Page) ([]Order, string, error) {
	before := int64(1) << 62
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	list, err := latest[Order](t, record{"orders", "created_at", "x.*"}, n, "true", nil, before, p.limit()+1)
	for i, o := range list {
		if (o.State == "queued" || o.State == protocol.OrderDelivered) && o.EndsAt != nil && !o.EndsAt.After(now) {
			list[i].State = protocol.OrderEnded
		}
	}
	list, next := cut(p, list, func(o Order) []any { return []any{o.ID} })
	return list, next, err
}
