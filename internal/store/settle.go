package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/wire/protocol"
)

// SettleRequest says which devices must be settled again: those in groups, and those named by
// identifier.
type SettleRequest struct {
	ID        int64
	Cause     string
	Groups    []string `gorm:"serializer:json"`
	Devices   []string `gorm:"serializer:json"`
	CreatedAt time.Time
	Attempts  int
	Error     string    // why it failed last, empty for not yet
	NextAt    time.Time // when it is tried again
}

// RequestSettle stores a request; a worker finds it after the transaction.
func (t DeployWriter) RequestSettle(r SettleRequest) error {
	if r.Groups == nil {
		r.Groups = []string{}
	}
	if r.Devices == nil {
		r.Devices = []string{}
	}
	if err := t.db.Omit("ID", "Attempts", "Error", "NextAt").Create(&r).Error; err != nil {
		return translate(err)
	}
	return t.notify(notices.Notice{Topic: TopicSettle})
}

// RequestSettleAgain stores a request that failed, with when it is tried again.
func (t DeployWriter) RequestSettleAgain(r SettleRequest) error {
	return translate(t.db.Omit("ID").Create(&r).Error)
}

// SettleRequests are those that wait, oldest first.
func (t DeployReader) SettleRequests() ([]SettleRequest, error) {
	return all[SettleRequest](t.db.Order("id"))
}

// SettleWaiting counts requests that wait for their first attempt, and gives some that failed.
func (t DeployReader) SettleWaiting() (waiting int, failed []SettleRequest, err error) {
	n, err := rows[int](t, "select count(*) from settle_requests where error = ''")
	if err != nil {
		return 0, nil, err
	}
	failed, err = rows[SettleRequest](
		t,
		"select id, cause, attempts, error, next_at, created_at, '[]'::jsonb as groups, '[]'::jsonb as devices "+
			"from settle_requests where error <> '' order by id limit 20",
	)
	return n[0], failed, err
}

// SettleFailed notes why requests failed, and when they are tried again.
func (t DeployWriter) SettleFailed(ids []int64, why string, next time.Time) error {
	return t.exec(
		"update settle_requests set attempts = attempts + 1, error = $2, next_at = $3 where id = any($1::bigint[])",
		ids,
		why,
		next,
	)
}

// SettleDone removes requests that were carried out.
func (t DeployWriter) SettleDone(ids []int64) error {
	return t.exec("delete from settle_requests where id = any($1::bigint[])", ids)
}

// DeviceName is a live device and its folded name.
type DeviceName struct {
	ID      string
	NameKey string
}

// LiveDevices are the live devices that are or may be in any of the groups, or have one of the
// identifiers, by id.
func (t DeployReader) LiveDevices(groups, ids []string) ([]DeviceName, error) {
	return rows[DeviceName](
		t,
		`select id, name_key from devices where state = 'live' and (id = any($1) or 'everything' = any($2)
		or id in (select m.device_id from members m join groups g on g.id = m.group_id
		where g.name = any($3))) order
		by id`,
		ids,
		groups,
		groups,
	)
}

// Membership is a device in a group.
type Membership struct {
	Name    string // of the group, or its identifier
	Device  string // its identifier
	Certain bool
}

// MembersOf are the devices in each of the groups.
func (t DeployReader) MembersOf(groups []string) ([]Membership, error) {
	return rows[Membership](t, `select g.name, m.device_id as device, m.certain from members m
		join groups g on g.id = m.group_id where g.name = any($1)`, groups)
}

// Scope is what is settled for the devices that meet the same assignments.
type Scope struct {
	Digest      string
	Assignments string  // JSON: name, policy, revision, rank, stance
	Lane        string  // JSON of a resolve.Lane
	Projected   *string // the same with trial assignments enforced, nil without any
}

// PutScope stores a scope unless it is there. One that is keeps from being deleted as old; it is not touched each
// time, since whoever stores the same would wait for that.
func (t DeployWriter) PutScope(s Scope) error {
	return t.exec(
		"with kept as (update scopes set created_at = now() where digest = $1 "+
			"and created_at < now() - interval '10 minutes') insert into scopes (digest, assignments, lane, "+
			"projected) values ($1, $2, $3, $4) on conflict do nothing",
		s.Digest,
		s.Assignments,
		s.Lane,
		s.Projected,
	)
}

// ScopeAssignment is what the record of a scope says of each of its assignments.
type ScopeAssignment struct {
	Assignment string        `json:"assignment"`
	Policy     string        `json:"policy"`
	Revision   int           `json:"revision"`
	Rank       int           `json:"rank"`
	Stance     assign.Stance `json:"stance"`
}

// Described are its assignments.
func (s Scope) Described() ([]ScopeAssignment, error) {
	var list []ScopeAssignment
	return list, json.Unmarshal([]byte(s.Assignments), &list)
}

// DecidedBy says which assignments decided each setting of the scope.
func (s Scope) DecidedBy() (map[unit.ID][]string, error) {
	whose := map[unit.ID][]string{}
	var lane struct {
		Units []struct {
			Unit unit.ID
			From []string
		}
	}
	if err := json.Unmarshal([]byte(s.Lane), &lane); err != nil {
		return nil, fmt.Errorf("reading a scope: %w", err)
	}
	for _, u := range lane.Units {
		whose[u.Unit] = u.From
	}
	return whose, nil
}

// Scope finds one.
func (t DeployReader) Scope(digest string) (Scope, error) {
	return first[Scope](t.db.Where("digest = ?", digest))
}

// PutSettings stores settings unless they are there, like [Tx.PutScope].
func (t DeployWriter) PutSettings(digest, body string) error {
	return t.exec(
		"with kept as (update settings set created_at = now() where digest = $1 "+
			"and created_at < now() - interval '10 minutes') insert into settings (digest, body) values ($1, $2) "+
			"on conflict do nothing",
		digest,
		body,
	)
}

// Asked reads what is asked under the given digest, nothing for an empty one.
func (t DeployReader) Asked(digest string) (protocol.DesiredContent, error) {
	var asked protocol.DesiredContent
	if digest == "" {
		return asked, nil
	}
	body, err := t.SettingsBody(digest)
	if err != nil {
		return asked, err
	}
	return asked, json.Unmarshal([]byte(body), &asked)
}

// SettledDevice is what settling reads of a device.
type SettledDevice struct {
	ID             string
	Name           string
	Scope          string
	HeldUnits      int
	Held           string
	DesiredEpoch   int64
	DesiredNumber  int64
	DesiredDigest  string
	SettingsDigest string
}

// LockForSettling reads live devices for update, by identifier, as far as nothing else holds them. Rows go past GORM:
// they are those of whole fleets.
func (t DeployWriter) LockForSettling(ids []string) ([]SettledDevice, error) {
	found, err := t.db.Statement.ConnPool.QueryContext(
		t.db.Statement.Context,
		`select id, name, coalesce(scope, ''), held_units, held::text, desired_epoch, desired_number, desired_digest,
		settings_digest from devices where id = any($1::text[]) and state = 'live'
		order by id for no key update skip locked`,
		ids,
	)
	if err != nil {
		return nil, translate(err)
	}
	defer found.Close()
	list := make([]SettledDevice, 0, len(ids))
	for found.Next() {
		var d SettledDevice
		if err := found.Scan(&d.ID, &d.Name, &d.Scope, &d.HeldUnits, &d.Held, &d.DesiredEpoch, &d.DesiredNumber,
			&d.DesiredDigest, &d.SettingsDigest); err != nil {
			return nil, translate(err)
		}
		list = append(list, d)
	}
	return list, translate(found.Err())
}

// LiveAmong are those of devices that are live, by identifier.
func (t DeployReader) LiveAmong(ids []string) ([]string, error) {
	return rows[string](t, "select id from devices where id = any($1) and state = 'live' order by id", ids)
}

// SettlingResult is what settling found out of one device: its scope, what is held on it, and its newest
// desired state.
type SettlingResult struct {
	Device    string
	Name      string
	Scope     string
	Held      string // JSON
	HeldUnits int
	Stamp     drift.Stamp
	Settings  string // digest
	New       bool   // the desired state is new
}

// SetSettled stores it, and the desired states that are new.
func (t DeployWriter) SetSettled(list []SettlingResult, at time.Time) error {
	n := len(list)
	ids, names, scopes, held := make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	digests, settings, fresh := make([]string, n), make([]string, n), make([]bool, n)
	counts, epochs, numbers := make([]int64, n), make([]int64, n), make([]int64, n)
	for i, s := range list {
		ids[i], names[i], scopes[i], held[i], counts[i] = s.Device, s.Name, s.Scope, s.Held, int64(s.HeldUnits)
		epochs[i], numbers[i], digests[i], settings[i], fresh[i] = s.Stamp.Epoch, s.Stamp.Number, s.Stamp.Digest,
			s.Settings, s.New
	}
	if err := t.exec(`insert into desired_states (device_id, epoch, number, name, settings, digest, created_at, scope)
		select id, epoch, number, name, settings, digest, $8, scope
		from unnest($1::text[], $2::bigint[], $3::bigint[], $4::text[], $5::text[], $6::text[], $7::boolean[],
		$9::text[])
			as s(id, epoch, number, name, settings, digest, fresh, scope) where fresh`,
		ids, epochs, numbers, names, settings, digests, fresh, at, scopes); err != nil {
		return err
	}
	return t.exec(
		`update devices d set scope = s.scope, held = s.held::jsonb, held_units = s.n, desired_epoch = s.epoch,
		desired_number = s.number, desired_digest = s.digest, settings_digest = s.settings,
		mismatched = mismatched and not fresh, desired_at = case when fresh then $10 else desired_at end,
		verified_at = case when fresh then null else verified_at
		end, changed_at = now()
		from unnest($1::text[], $2::text[], $3::text[], $4::bigint[], $5::bigint[], $6::bigint[], $7::text[],
		$8::text[],
		$9::boolean[])
			as s(id, scope, held, n, epoch, number, digest, settings, fresh) where d.id = s.id`,
		ids,
		scopes,
		held,
		counts,
		epochs,
		numbers,
		digests,
		settings,
		fresh,
		at,
	)
}

// DesiredState is one stored desired state of a device.
type DesiredState struct {
	DeviceID  string
	Epoch     int64
	Number    int64
	Name      string
	Settings  string // digest
	Digest    string
	CreatedAt time.Time
	Scope     string // digest of what the assignments came to then, empty where that is not kept
}

// NewestDesired is the newest desired state of a device; its number is 0 while there is none.
type NewestDesired struct {
	Name     string // of the device in it
	Stamp    drift.Stamp
	Settings string // digest
}

// NewestDesired reads those of devices. It goes past GORM: whole fleets ask at once.
func (s *Store) NewestDesired(ctx context.Context, devices []string) (map[string]NewestDesired, error) {
	found, err := s.pools[classOf(ctx)].Query(
		ctx,
		`select d.id, d.desired_epoch, d.desired_number, d.desired_digest, coalesce(s.name, d.name),
		coalesce(s.settings, '') from devices d left join desired_states s on s.device_id = d.id
		and s.epoch = d.desired_epoch and
		s.number = d.desired_number and s.created_at = d.desired_at where d.id = any($1)`,
		devices,
	)
	if err != nil {
		return nil, fmt.Errorf("reading desired states: %w", err)
	}
	newest := make(map[string]NewestDesired, len(devices))
	var id string
	var n NewestDesired
	_, err = pgx.ForEachRow(found, []any{&id, &n.Stamp.Epoch, &n.Stamp.Number, &n.Stamp.Digest, &n.Name, &n.Settings},
		func() error { newest[id] = n; return nil })
	return newest, err
}

// DesiredState finds one.
func (t DeployReader) DesiredState(device string, epoch, number int64) (DesiredState, error) {
	return first[DesiredState](t.db.Where("device_id = ? and epoch = ? and number = ?", device, epoch, number))
}

// DesiredBefore are the latest desired states of a device in an epoch, latest first.
func (t DeployReader) DesiredBefore(device string, epoch int64, most int) ([]DesiredState, error) {
	return all[DesiredState](t.db.Where("device_id = ? and epoch = ?", device, epoch).Order("number desc").Limit(most))
}

// SettingsBody reads settings as the bytes that were stored.
func (t DeployReader) SettingsBody(digest string) (string, error) {
	found, err := rows[string](t, "select body from settings where digest = $1", digest)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return "", err
	}
	return found[0], nil
}
