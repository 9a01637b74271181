package store

import (
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
)

// SeenPassword is a password that an operator saw and that is the right one still.
type SeenPassword struct {
	DeviceID, Device, Target string
	At                       time.Time // when it was seen last
}

// SeenAndValid are the passwords on live devices in reach that an operator saw and that are the right ones still, by
// device and account.
func (t PasswordsReader) SeenAndValid(reach rights.Reach, operator string, most int) ([]SeenPassword, error) {
	within, args := inReach(reach)
	return rows[SeenPassword](t, `select d.id as device_id, d.name as device, r.target, max(r.at) as at from reveals r
		join devices d on d.id = r.device_id and d.state = 'live'
		join deposits x on x.device_id = r.device_id and x.target = r.target and x.state = 'current'
			and r.deposits @> jsonb_build_array(jsonb_build_object('epoch', x.epoch, 'number', x.number))
		where r.operator = ? and `+within+` group by d.id, d.name, r.target order by d.name, r.target limit ?`,
		append(append([]any{operator}, args...), most)...)
}

// OnlyBy are live devices in reach that nobody can get into as an administrator but the holders of some identifiers, by
// name.
func (t DevicesReader) OnlyBy(reach rights.Reach, sids []string, most int) ([]string, error) {
	within, args := inReach(reach)
	group := drift.WellKnown(unit.GroupAdministrators).String()
	return rows[string](t, `select d.name from inventory_members h
		join devices d on d.id = h.device_id and d.state = 'live'
		where h.sid = any(?) and h.group_sid = ? and `+within+` and not exists (
			select 1 from inventory_members m
			left join inventory_accounts a on a.device_id = m.device_id and a.sid = m.sid
			where m.device_id = d.id and m.group_sid = h.group_sid and m.sid <> all(?) and coalesce(a.enabled, true))
		group by d.name order by d.name limit ?`,
		append(append([]any{array[string](sids), group}, args...), array[string](sids), most)...)
}
