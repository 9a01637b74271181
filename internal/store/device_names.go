package store

import "time"

// FormerName is a name that a device had, and keeps from others until a time.
type FormerName struct {
	NameKey  string // folded
	Name     string
	DeviceID string
	Until    time.Time
}

// FormerNames are those that live devices keep.
func (t DevicesReader) FormerNames() ([]FormerName, error) {
	return rows[FormerName](t, `select f.* from former_names f join devices d on d.id = f.device_id and d.state = 'live'
		where f.until > now()`)
}

// CurrentNames are folded names as the devices are called now that have them, or had them and keep them, sorted; a name
// that no device has stays as it is.
func (t ChangesReader) CurrentNames(names []string) ([]string, error) {
	return rows[string](t, `select distinct coalesce(d.name_key, k.key) from unnest($1::text[]) k(key)
		left join former_names f on f.name_key = k.key and f.until > now()
			and not exists (select 1 from devices x where x.name_key = k.key and x.state = 'live')
		left join devices d on d.id = f.device_id and d.state = 'live' order by 1`, names)
}

// NameKeptBy is the live device that had a folded name and keeps it. The error matches [ErrNotFound] where none does.
func (t DevicesReader) NameKeptBy(folded string) (Device, error) {
	return one[Device](t, `select d.* from former_names f join devices d on d.id = f.device_id and d.state = 'live'
		where f.name_key = $1 and f.until > now()`, folded)
}

// RenameDevice gives a device the name that its workstation has now. Its name of before stays its own until a time.
func (t DevicesWriter) RenameDevice(d Device, name, key string, until time.Time) error {
	if key != d.NameKey {
		if err := t.exec(`insert into former_names (name_key, name, device_id, until) values ($1, $2, $3, $4)
			on conflict (name_key) do update set name = excluded.name, device_id = excluded.device_id,
			until = excluded.until`, d.NameKey, d.Name, d.ID, until); err != nil {
			return err
		}
		if err := t.FreeName(key); err != nil {
			return err
		}
	}
	return t.exec("update devices set name = $2, name_key = $3, name_refused = '', changed_at = now() where id = $1",
		d.ID, name, key)
}

// FreeName has whoever kept a folded name keep it no longer.
func (t DevicesWriter) FreeName(folded string) error {
	return t.exec("delete from former_names where name_key = $1", folded)
}

// RefuseName notes the name that a workstation says it has and that it could not have; empty where it has the one that
// is known.
func (t DevicesWriter) RefuseName(id, name string) error {
	return t.exec("update devices set name_refused = $2, changed_at = now() where id = $1", id, name)
}
