package store

import (
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// TakenInventory is what is another one in the inventory of a device.
type TakenInventory struct {
	Digest       string
	Unknown      string              // see [inventory.Inventory.Unknown]
	Usual        string              // who uses the device most
	Accounts     []inventory.Account // are there from now on, or are otherwise
	Members      []inventory.Member
	GoneAccounts []inventory.Account
	GoneMembers  []inventory.Member
	Changes      []inventory.Change // none for the first inventory of a device
}

// Inventories reads those of devices.
func (b *ReportBatch) Inventories(devices []string) (map[string]inventory.Inventory, error) {
	found := map[string]inventory.Inventory{}
	if len(devices) == 0 {
		return found, nil
	}
	rows, err := b.conn.Query(b.ctx, `select device_id, sid, name, full_name, enabled, builtin, key, privileged,
		password_set_at, last_sign_in, runs from inventory_accounts where device_id = any($1) order by device_id, sid`, devices)
	if err != nil {
		return nil, err
	}
	var device, sid string
	var a inventory.Account
	var set, used *time.Time
	_, err = pgx.ForEachRow(rows, []any{&device, &sid, &a.Name, &a.FullName, &a.Enabled, &a.Builtin, &a.Key,
		&a.Privileged, &set, &used, &a.Runs}, func() error {
		a.SID, _ = principal.ParseSID(sid) // what is stored is canonical, and reads back
		a.PasswordSetAt, a.LastSignIn = orZero(set), orZero(used)
		if len(a.Runs) == 0 {
			a.Runs = nil
		}
		x := found[device]
		x.Accounts = append(x.Accounts, a)
		found[device] = x
		return nil
	})
	if err != nil {
		return nil, err
	}
	if rows, err = b.conn.Query(b.ctx, `select device_id, group_sid, group_name, sid, name, privileged,
		via from inventory_members where device_id = any($1) order by device_id, group_sid, sid`, devices); err != nil {
		return nil, err
	}
	var m inventory.Member
	var group string
	_, err = pgx.ForEachRow(rows, []any{&device, &group, &m.Group, &sid, &m.Name, &m.Privileged, &m.Via}, func() error {
		m.GroupSID, _ = principal.ParseSID(group)
		m.SID, _ = principal.ParseSID(sid)
		x := found[device]
		x.Members = append(x.Members, m)
		found[device] = x
		return nil
	})
	return found, err
}

// writeInventories stores what is another one in the inventories that were reported.
func (b *ReportBatch) writeInventories(q *pgx.Batch) {
	at := b.taken[0].ReceivedAt
	for _, r := range b.taken {
		x := r.Inventory
		if x == nil {
			continue
		}
		q.Queue("update devices set inventory = $2, unknown_accounts = $3, usual_user = $4 where id = $1", r.DeviceID,
			x.Digest, x.Unknown, x.Usual)
		if len(x.GoneAccounts) > 0 {
			q.Queue("delete from inventory_accounts where device_id = $1 and sid = any($2)", r.DeviceID,
				textsOf(x.GoneAccounts, func(a inventory.Account) string { return a.SID.String() }))
		}
		if len(x.GoneMembers) > 0 {
			q.Queue(`delete from inventory_members m using unnest($2::text[], $3::text[]) as g(group_sid, sid)
				where m.device_id = $1 and m.group_sid = g.group_sid and m.sid = g.sid`, r.DeviceID,
				textsOf(x.GoneMembers, func(m inventory.Member) string { return m.GroupSID.String() }),
				textsOf(x.GoneMembers, func(m inventory.Member) string { return m.SID.String() }))
		}
		queueAccounts(q, r.DeviceID, x.Accounts, at)
		queueMembers(q, r.DeviceID, x.Members, at)
		queueChanges(q, r.DeviceID, x.Changes, at)
	}
}

func queueAccounts(q *pgx.Batch, device string, list []inventory.Account, at time.Time) {
	if len(list) == 0 {
		return
	}
	enabled, privileged := make([]bool, len(list)), make([]bool, len(list))
	set, used := make([]*time.Time, len(list)), make([]*time.Time, len(list))
	for i, a := range list {
		if enabled[i], privileged[i] = a.Enabled, a.Privileged; !a.PasswordSetAt.IsZero() {
			set[i] = &list[i].PasswordSetAt
		}
		if !a.LastSignIn.IsZero() {
			used[i] = &list[i].LastSignIn
		}
	}
	of := func(read func(inventory.Account) string) []string { return textsOf(list, read) }
	q.Queue(
		`insert into inventory_accounts (device_id, sid, name, name_key, full_name, enabled, builtin, key, privileged,
			password_set_at, since, last_sign_in, runs)
		select $1, sid, name, name_key, full_name, enabled, builtin, key, privileged, password_set_at, $11,
			last_sign_in, case when runs = '' then '{}' else string_to_array(runs, chr(10)) end
		from unnest($2::text[], $3::text[], $4::text[], $5::text[], $6::boolean[], $7::text[], $8::text[],
			$9::boolean[], $10::timestamptz[], $12::timestamptz[], $13::text[])
			as a(sid, name, name_key, full_name, enabled, builtin, key, privileged, password_set_at, last_sign_in, runs)
		on conflict (device_id, sid) do update set name = excluded.name, name_key = excluded.name_key,
			full_name = excluded.full_name, enabled = excluded.enabled, builtin = excluded.builtin, key = excluded.key,
			privileged = excluded.privileged, password_set_at = excluded.password_set_at,
			last_sign_in = excluded.last_sign_in, runs = excluded.runs`,
		device,
		of(func(a inventory.Account) string { return a.SID.String() }),
		of(func(a inventory.Account) string { return a.Name }),
		of(func(a inventory.Account) string { return text.Fold(a.Name) }),
		of(func(a inventory.Account) string { return a.FullName }),
		enabled,
		of(func(a inventory.Account) string { return a.Builtin }),
		of(func(a inventory.Account) string { return a.Key }),
		privileged,
		set,
		at,
		used,
		of(func(a inventory.Account) string { return strings.Join(a.Runs, "\n") }),
	)
}

func queueMembers(q *pgx.Batch, device string, list []inventory.Member, at time.Time) {
	if len(list) == 0 {
		return
	}
	privileged := make([]bool, len(list))
	for i, m := range list {
		privileged[i] = m.Privileged
	}
	of := func(read func(inventory.Member) string) []string { return textsOf(list, read) }
	q.Queue(
		`insert into inventory_members (device_id, group_sid, group_name, sid, name, privileged, since, via)
		select $1, group_sid, group_name, sid, name, privileged, $7, via
		from unnest($2::text[], $3::text[], $4::text[], $5::text[], $6::boolean[], $8::text[])
			as m(group_sid, group_name, sid, name, privileged, via)
		on conflict (device_id, group_sid, sid) do update set group_name = excluded.group_name, name = excluded.name,
			privileged = excluded.privileged, via = excluded.via`,
		device,
		of(func(m inventory.Member) string { return m.GroupSID.String() }),
		of(func(m inventory.Member) string { return m.Group }),
		of(func(m inventory.Member) string { return m.SID.String() }),
		of(func(m inventory.Member) string { return m.Name }),
		privileged,
		at,
		of(func(m inventory.Member) string { return m.Via }),
	)
}

func queueChanges(q *pgx.Batch, device string, list []inventory.Change, at time.Time) {
	if len(list) == 0 {
		return
	}
	privileged := make([]bool, len(list))
	for i, c := range list {
		privileged[i] = c.Privileged
	}
	of := func(read func(inventory.Change) string) []string { return textsOf(list, read) }
	q.Queue(
		`insert into inventory_changes (device_id, at, kind, sid, name, group_name, former, privileged)
		select $1, $8, kind, sid, name, group_name, former, privileged
		from unnest($2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::boolean[])
			as c(kind, sid, name, group_name, former, privileged)`,
		device,
		of(func(c inventory.Change) string { return string(c.Kind) }),
		of(func(c inventory.Change) string { return c.SID.String() }),
		of(func(c inventory.Change) string { return c.Name }),
		of(func(c inventory.Change) string { return c.Group }),
		of(func(c inventory.Change) string { return c.Former }),
		privileged,
		at,
	)
}

func orZero(at *time.Time) time.Time {
	if at == nil {
		return time.Time{}
	}
	return at.UTC()
}

func textsOf[T any](list []T, read func(T) string) []string {
	texts := make([]string, len(list))
	for i, x := range list {
		texts[i] = read(x)
	}
	return texts
}
