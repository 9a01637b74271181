package store

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
)

// LetGoAccount is an account that an order is to let go of.
type LetGoAccount struct {
	LocalAccount
	Managed bool // a policy manages it
}

// AccountsToLetGo are the accounts that a reference means on devices, as the devices said them last, in the order of
// the devices' names. The reference is one of a managed account, of the name of a local one, or an identifier.
func (t DevicesReader) AccountsToLetGo(devices []string, ref principal.Ref) ([]LetGoAccount, error) {
	means := map[principal.Kind]string{principal.Account: "a.key", principal.Local: "a.name_key",
		principal.Bare: "a.sid"}[ref.Kind()]
	if means == "" {
		return nil, nil
	}
	return rows[LetGoAccount](t, `select `+accountColumns+`,
		a.key <> '' and not exists (select 1 from findings f where f.device_id = a.device_id and f.closed_at is null
			and f.kind = $1 and f.unit = 'accounts.' || a.key) as managed
		from inventory_accounts a
		join devices d on d.id = a.device_id and d.state = 'live'
		where a.device_id = any($2) and `+means+` = $3 order by d.name_key, a.sid`,
		string(drift.AccountLeftBehind), array[string](devices), ref.Value())
}

// LeftBehind counts devices in reach with an enabled account that a policy managed once and none does any more, and
// gives one of them.
func (t DevicesReader) LeftBehind(reach rights.Reach) (devices int, example DeviceName, err error) {
	within, args := inReach(reach)
	list, err := rows[struct {
		ID, Name string
		Devices  int
	}](t, `select (array_agg(d.id order by d.name))[1] as id, min(d.name) as name, count(distinct d.id) as devices
		from findings f
		join devices d on d.id = f.device_id and d.state = 'live'
		where f.kind = ? and f.closed_at is null and f.state = 'open' and f.actual <> ?::jsonb and `+within,
		append([]any{string(drift.AccountLeftBehind), `"` + drift.LeftDisabled + `"`}, args...)...)
	if err != nil || len(list) == 0 || list[0].Devices == 0 {
		return 0, DeviceName{}, err
	}
	return list[0].Devices, DeviceName{ID: list[0].ID, NameKey: list[0].Name}, nil
}

// ListLeftBehind lists the accounts that a policy managed once and none does any more, on devices in reach, in the
// order of the devices' identifiers.
func (t DevicesReader) ListLeftBehind(reach rights.Reach, group string, p Page) ([]LocalAccount, string, error) {
	var device, sid string
	if err := p.after(&device, &sid); err != nil {
		return nil, "", err
	}
	within, args := inReach(reach)
	in, groupArgs := inGroup(group)
	args = append(args, groupArgs...)
	list, err := rows[LocalAccount](t, `select `+accountColumns+`
		from findings f
		join inventory_accounts a on a.device_id = f.device_id and 'accounts.' || a.key = f.unit
		join devices d on d.id = a.device_id and d.state = 'live'
		where f.kind = ? and f.closed_at is null and (a.device_id, a.sid) > (?, ?) and `+within+` and `+in+`
		order by a.device_id, a.sid limit ?`,
		append(append([]any{string(drift.AccountLeftBehind), device, sid}, args...), p.limit()+1)...)
	list, next := cut(p, list, func(a LocalAccount) []any { return []any{a.DeviceID, a.SID} })
	return list, next, err
}
