package store

import (
	"encoding/json"
	"fmt"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
)

// Rollout is the record of a change on its way. Its devices are records of their own.
type Rollout struct {
	ID        string
	ChangeID  string
	Name      string // of the change
	State     rollout.State
	Version   int64
	Body      string       // JSON of a rollout.Rollout without its devices
	Edits     []ChangeEdit `gorm:"serializer:json"` // that go out
	Touches   []string     `gorm:"serializer:json"` // things that nothing else may alter meanwhile
	Trouble   string       // why it cannot come to its end, in words; empty for nothing
	StartedAt time.Time
	StartedBy string
	LookedAt  time.Time
	GiveBack  bool       // it was reverted, and its devices give back what the change took away
	EndedAt   *time.Time // when it was reverted, or its change was made for good
}

// AddRollout adds one. The error matches [ErrExists] where the change went out before.
func (t DeployWriter) AddRollout(r Rollout) error { return translate(t.db.Create(&r).Error) }

// Rollout finds one by the name of its change.
func (t DeployReader) Rollout(name string) (Rollout, error) {
	return first[Rollout](t.db.Where("name = ?", name))
}

// LockRollout is [Tx.Rollout], and keeps others from altering it until the transaction ends.
func (t DeployWriter) LockRollout(name string) (Rollout, error) {
	if err := t.exec("select 1 from rollouts where name = $1 for update", name); err != nil {
		return Rollout{}, err
	}
	return t.Rollout(name)
}

// SetRollout alters one over the given version.
func (t DeployWriter) SetRollout(r Rollout, over int64) error {
	return must(t.db.Model(&Rollout{}).Where("id = ? and version = ?", r.ID, over).
		Select("state", "version", "body", "edits", "touches", "trouble", "looked_at", "ended_at", "give_back").
		Updates(r), ErrStale)
}

// LookedAt notes when rollouts were looked at, which alters nothing else of them.
func (t DeployWriter) LookedAt(ids []string, at time.Time) error {
	return t.exec("update rollouts set looked_at = $2 where id = any($1::text[])", ids, at)
}

// RolloutsUnderWay are those that have not ended, the oldest first.
func (t DeployReader) RolloutsUnderWay() ([]Rollout, error) {
	return all[Rollout](t.db.Where("ended_at is null").Order("id"))
}

// ListRollouts lists a page, the latest first; only those under way where it is said.
func (t DeployReader) ListRollouts(underWay bool, p Page) ([]Rollout, string, error) {
	at, id := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), ""
	if err := p.after(&at, &id); err != nil {
		return nil, "", err
	}
	q := t.db.Where("(started_at, id) < (?, ?)", at, id)
	if underWay {
		q = q.Where("ended_at is null")
	}
	list, err := all[Rollout](q.Order("started_at desc, id desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(r Rollout) []any { return []any{r.StartedAt, r.ID} })
	return list, next, err
}

// RolloutDevice is a device of a rollout.
type RolloutDevice struct {
	DeviceID   string
	Wave       int // index
	Outcome    rollout.Outcome
	Online     bool      // it was when it was told
	Failing    []unit.ID `gorm:"serializer:json"` // that failed, were refused or are held
	Units      []unit.ID `gorm:"serializer:json"` // that the change alters; nil leaves them as they are
	VerifiedAt *time.Time
}

// RolloutDevices are the devices of a rollout, by identifier, without the settings that the change alters.
func (t DeployReader) RolloutDevices(id string) ([]RolloutDevice, error) {
	type row struct {
		DeviceID   string
		Wave       int
		Outcome    rollout.Outcome
		Online     bool
		Failing    string // JSON
		VerifiedAt *time.Time
	}
	found, err := rows[row](
		t,
		`select device_id, wave, outcome, online, failing::text as failing, verified_at from rollout_devices
		where rollout_id = $1 order by device_id`,
		id,
	)
	list := make([]RolloutDevice, len(found))
	for i, d := range found {
		list[i] = RolloutDevice{DeviceID: d.DeviceID, Wave: d.Wave, Outcome: d.Outcome, Online: d.Online,
			VerifiedAt: d.VerifiedAt}
		if d.Failing == "[]" {
			continue
		}
		if err := json.Unmarshal([]byte(d.Failing), &list[i].Failing); err != nil {
			return nil, fmt.Errorf("reading a device of a rollout: %w", err)
		}
	}
	return list, err
}

// PutRolloutDevices adds devices of a rollout, and alters those that are there. Reports of a device count from now on
// when it has just been told; anew says that the change is another one, of which no desired state knows yet. Devices
// that are told, and were heard from since onlineFrom, are online.
func (t DeployWriter) PutRolloutDevices(id string, list []RolloutDevice, anew bool, at, onlineFrom time.Time) error {
	n := len(list)
	if n == 0 {
		return nil
	}
	ids, outcomes, failing := make([]string, n), make([]string, n), make([]string, n)
	units, waves, known := make([]string, n), make([]int64, n), make([]bool, n)
	for i, d := range list {
		ids[i], outcomes[i], waves[i], known[i] = d.DeviceID, string(d.Outcome), int64(d.Wave), d.Units != nil
		failing[i], units[i] = toJSON(append([]unit.ID{}, d.Failing...)), toJSON(append([]unit.ID{}, d.Units...))
	}
	return t.exec(
		`insert into rollout_devices as r (rollout_id, device_id, wave, outcome, failing, units, epoch, number, since,
		verified_at, online)
		select $1, s.id, s.wave, s.outcome, s.failing::jsonb, s.units::jsonb, 0, 0, $8,
			case when s.outcome = 'verified' then coalesce((select d.verified_at from devices d where d.id = s.id),
			$8) end,
			s.outcome = 'told' and exists (select from devices d where d.id = s.id and d.last_contact >= $10)
		from unnest($2::text[], $3::bigint[], $4::text[], $5::text[], $6::text[], $7::boolean[])
			as s(id, wave, outcome, failing, units, known)
		on conflict (rollout_id, device_id) do update set wave = excluded.wave, outcome = excluded.outcome,
			failing = excluded.failing,
			online = r.online or excluded.online,
			units = case when excluded.units = '[]'::jsonb then r.units else excluded.units end,
			since = case when excluded.outcome = 'told' then excluded.since else r.since end,
			epoch = case when $9 then 0 else r.epoch end, number = case when $9 then 0 else r.number end,
			verified_at = case when excluded.outcome = 'verified' then coalesce(r.verified_at,
			excluded.verified_at) end`,
		id, ids, waves, outcomes, failing, units, known, at, anew, onlineFrom,
	)
}

// DropRolloutDevices takes devices out of a rollout.
func (t DeployWriter) DropRolloutDevices(id string, devices []string) error {
	return t.exec("delete from rollout_devices where rollout_id = $1 and device_id = any($2::text[])", id, devices)
}

// Carries says of a device that it is in a rollout under way.
type Carries struct {
	DeviceID  string
	RolloutID string
	Has       bool // its wave is open, so that it has the change
}

// Carrying says which of the devices are in which rollouts under way, by device and rollout.
func (t DeployReader) Carrying(devices []string) ([]Carries, error) {
	return rows[Carries](t, `select d.device_id, d.rollout_id, d.outcome not in ('not_open', 'late') as has
		from rollouts r
		join rollout_devices d on d.rollout_id = r.id
		where r.ended_at is null and d.device_id = any($1) order by d.device_id, d.rollout_id`, devices)
}

// GivesBack is what a device is to give back.
type GivesBack struct {
	DeviceID string
	Since    time.Time // when the rollout began
	Units    []unit.ID `gorm:"serializer:json"` // that its change altered
}

// GivingBack is what devices are to give back, because rollouts were reverted after a time; by device and rollout.
func (t DeployReader) GivingBack(devices []string, after time.Time) ([]GivesBack, error) {
	return rows[GivesBack](t, `select d.device_id, r.started_at as since, d.units from rollouts r
		join rollout_devices d on d.rollout_id = r.id
		where r.give_back and r.ended_at > $1 and d.outcome not in ('not_open', 'late') and d.device_id = any($2)
		order by d.device_id, r.started_at`, after, devices)
}

// ToldWith notes the desired states by which devices are told of the changes of rollouts, where none knew of them
// before.
func (t DeployWriter) ToldWith(rollouts, devices []string, stamps []drift.Stamp, at time.Time) error {
	epochs, numbers := make([]int64, len(stamps)), make([]int64, len(stamps))
	for i, s := range stamps {
		epochs[i], numbers[i] = s.Epoch, s.Number
	}
	return t.exec(
		`update rollout_devices r set epoch = s.epoch, number = s.number, given_at = $5
		from unnest($2::text[], $3::bigint[], $4::bigint[]) as s(id, epoch, number)
		where r.rollout_id = any($1::text[]) and r.device_id = s.id and r.number = 0 and r.outcome not in ('not_open',
		'late')`,
		rollouts, devices, epochs, numbers, at,
	)
}

// RolloutSight is what is known of a device that has a change: what a rollout is judged by.
type RolloutSight struct {
	DeviceID       string
	Units          []unit.ID `gorm:"serializer:json"`
	Epoch          int64     // of the first desired state with the change, and its number; 0 before there is one
	Number         int64
	Since          time.Time  // from when reports count
	Online         bool       // when it was told
	GivenAt        *time.Time // when there was a desired state with the change
	State          string     // of the device
	ReportedEpoch  int64
	ReportedNumber int64
	ReportedAt     *time.Time
	LastContact    *time.Time
	Held           []resolve.HeldUnit `gorm:"serializer:json"`
	OpenFindings   int
}

// RolloutSights are what is known of the devices that have the change of a rollout; of some, or of all where nil is
// given.
func (t DeployReader) RolloutSights(id string, devices []string) ([]RolloutSight, error) {
	return rows[RolloutSight](
		t,
		`select r.device_id, r.units, r.epoch, r.number, r.since, r.online, r.given_at, d.state, d.reported_epoch,
			d.reported_number,
		d.reported_at, d.last_contact, d.held, d.open_findings
		from rollout_devices r join devices d on d.id = r.device_id
		where r.rollout_id = $1 and r.outcome not in ('not_open', 'late') and ($2 or r.device_id = any($3))
		order by r.device_id`,
		id, devices == nil, devices,
	)
}

// OpenFinding is what an open finding of a device is about.
type OpenFinding struct {
	DeviceID string
	Unit     unit.ID
	Kind     drift.Kind
	Actual   string // JSON, empty for none
}

// OpenFindingsOf are the open findings of devices.
func (t DeployReader) OpenFindingsOf(devices []string) ([]OpenFinding, error) {
	type row struct{ DeviceID, Unit, Kind, Actual string }
	found, err := rows[row](t, `select device_id, unit, kind, coalesce(actual::text, '') as actual from findings
		where device_id = any($1) and closed_at is null`, devices)
	list := make([]OpenFinding, len(found))
	for i, f := range found {
		id, wrong := unit.Parse(f.Unit)
		if wrong != nil {
			return nil, fmt.Errorf("reading a finding of device %s: %w", f.DeviceID, wrong)
		}
		list[i] = OpenFinding{f.DeviceID, id, drift.Kind(f.Kind), f.Actual}
	}
	return list, err
}

// UnderWay gives a rollout under way, other than that of a change, that touches one of the things; empty for none.
func (t DeployReader) UnderWay(things []string, except string) (name, thing string, err error) {
	type row struct{ Name, Touches string }
	found, err := rows[row](t, `select name, touches::text as touches from rollouts
		where ended_at is null and name <> $1 and jsonb_exists_any(touches, $2) order by id`, except, things)
	if err != nil || len(found) == 0 {
		return "", "", err
	}
	var touches []string
	if err := json.Unmarshal([]byte(found[0].Touches), &touches); err != nil {
		return "", "", fmt.Errorf("reading what a rollout touches: %w", err)
	}
	touched := map[string]bool{}
	for _, t := range touches {
		touched[t] = true
	}
	for _, thing := range things {
		if touched[thing] {
			return found[0].Name, thing, nil
		}
	}
	return found[0].Name, things[0], nil
}
