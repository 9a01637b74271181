package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/kit/notices"
)

// States of a device's enrolment.
const (
	Live     = "live"
	Claiming = "claiming" // says it is a device that is enrolled already; waits for an operator
	Refused  = "refused"
	Retired  = "retired"
)

// Device is an enrolled workstation.
type Device struct {
	StandingColumns
	ID                 string
	Name               string
	NameKey            string // folded
	Serial             string
	Model              string
	Platform           string
	OSVersion          string
	OSBuild            int
	AgentVersion       string
	State              string
	Path               string   // organisation facts: path, tags, primary user
	Tags               []string `gorm:"serializer:json"`
	PrimaryUser        string
	PrimaryUserLearned bool     `gorm:"->"`                 // from sign-ins
	UserGroups         []string `gorm:"->;serializer:json"` // of the directory that the primary user is in
	Claims             *string
	PublicKey          []byte
	KeyID              string
	TokenID            string
	EnrolledAt         time.Time
	Epoch              int64 // of the device's writes
	Seq                int64
	DepositNumber      int64  // of the latest deposit in the epoch
	ConfirmedNumber    int64  // of the latest confirmed one
	EpochNonce         string // of the request that began the epoch
	Scope              *string
	Held               []resolve.HeldUnit `gorm:"serializer:json"`
	DesiredDigest      string
	SettingsDigest     string
	DesiredAt          *time.Time
	ReportedAt         *time.Time
	ReportID           *int64
	OrderNumber        int64     // of the latest order
	RepeatedlyReverted []unit.ID `gorm:"serializer:json"` // units that something keeps changing back
	VerifiedAt         *time.Time
	ListedIn           string // group that lists its name, where it waits for an owner and claims to be no other
	ChangedAt          time.Time
	Inventory          string         // digest of its inventory, empty before the first
	Life               string         // start of its agent that was heard from last
	LifeSince          *time.Time     // by the claim of the agent
	FormerLives        Lives          `gorm:"type:text[]"` // those before, the latest last
	Trouble            string         // what keeps its agent from its work
	NameRefused        string         // that the workstation says it has, where it could not be taken
	Standing           drift.Standing `gorm:"-"` // worked out when it is read
}

// Desired is the stamp of the newest desired state.
func (d Device) Desired() drift.Stamp {
	return drift.Stamp{Epoch: d.DesiredEpoch, Number: d.DesiredNumber, Digest: d.DesiredDigest}
}

// Clock is what standings are worked out from: the time, and the check-in interval.
type Clock struct {
	Now      time.Time
	Interval time.Duration
	// Since is since when the service was there and could write. That nothing was heard of a device before says nothing
	// of the device.
	Since time.Time
}

// Silent is the time before which a device must have been heard from last to count as silent; zero, so that none does,
// where the service itself was away after that.
func (c Clock) Silent() time.Time {
	before := c.Now.Add(-drift.SilentAfter * c.Interval)
	if c.Since.After(before) {
		return time.Time{}
	}
	return before
}

// Stand works out how a device stands.
func (c Clock) Stand(h drift.StandingInput) drift.Standing {
	if c.Silent().IsZero() {
		h.LastContact = c.Now
	}
	return drift.Stand(h, c.Now, c.Interval)
}

// StandingColumns is what a standing is worked out from.
type StandingColumns struct {
	HeldUnits                     int
	LastContact                   *time.Time // nil when never heard from
	DesiredEpoch, DesiredNumber   int64
	ReportedEpoch, ReportedNumber int64
	OpenFindings                  int
	Mismatched                    bool // the device holds a desired state that the service never gave it
}

// standsColumns are its columns of a device d.
const standsColumns = "d.held_units, d.last_contact, d.desired_epoch, d.desired_number, d.reported_epoch, " +
	"d.reported_number, d.open_findings, d.mismatched"

// StandingInput is the same in the words of the core.
func (s StandingColumns) StandingInput() drift.StandingInput {
	h := drift.StandingInput{
		HeldUnits: s.HeldUnits,
		Desired:   drift.Stamp{Epoch: s.DesiredEpoch, Number: s.DesiredNumber},
		Reported: drift.Stamp{
			Epoch:  s.ReportedEpoch,
			Number: s.ReportedNumber,
		},
		OpenFindings: s.OpenFindings,
		Mismatched:   s.Mismatched,
	}
	if s.LastContact != nil {
		h.LastContact = *s.LastContact
	}
	return h
}

func (s StandingColumns) standing(c Clock) drift.Standing {
	return c.Stand(s.StandingInput())
}

// AddDevice adds one.
func (t DevicesWriter) AddDevice(d Device) error {
	if d.Held == nil {
		d.Held = []resolve.HeldUnit{}
	}
	if d.Tags == nil {
		d.Tags = []string{}
	}
	if d.RepeatedlyReverted == nil {
		d.RepeatedlyReverted = []unit.ID{}
	}
	return translate(t.db.Omit("ChangedAt").Create(&d).Error)
}

// Device finds a device by identifier or, among live ones first, by name without case; failing that, by a name that it
// had and keeps.
func (t DevicesReader) Device(clock Clock, idOrName, folded string) (Device, error) {
	found, err := rows[Device](
		t,
		"select * from devices where id = $1 or name_key = $2 order by id = $3 desc, state = 'live' desc, id desc "+
			"limit 1",
		idOrName,
		folded,
		idOrName,
	)
	if err == nil && len(found) == 0 {
		found, err = rows[Device](t, `select d.* from former_names f join devices d on d.id = f.device_id
			where f.name_key = $1 and f.until > now()`, folded)
	}
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Device{}, err
	}
	found[0].Standing = found[0].standing(clock)
	return found[0], nil
}

// LockDevice reads a device for update.
func (t DevicesWriter) LockDevice(id string) (Device, error) {
	found, err := rows[Device](t, "select * from devices where id = $1 for update", id)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Device{}, err
	}
	return found[0], nil
}

// LockDevices locks devices in the order of their identifiers. Whoever changes several devices in one
// transaction locks them with it first, so that no two transactions wait for each other.
func (t DevicesWriter) LockDevices(ids []string) error {
	return t.exec(lockInOrder, ids)
}

const lockInOrder = "select id from devices where id = any($1::text[]) order by id for no key update"

// LiveDeviceNamed finds the live device of a folded name.
func (t DevicesReader) LiveDeviceNamed(folded string) (Device, error) {
	return first[Device](t.db.Where("name_key = ? and state = ?", folded, Live))
}

// DeviceByKey finds a device by the id of its key.
func (t DevicesReader) DeviceByKey(keyID string) (Device, error) {
	return first[Device](t.db.Where("key_id = ?", keyID))
}

// SetMismatched notes that a device holds a desired state that the service never gave it.
func (t DevicesWriter) SetMismatched(id string) error {
	return t.exec("update devices set mismatched = true, changed_at = now() where id = $1", id)
}

// SetDeviceState changes the state of a device, and whom it claims to be.
func (t DevicesWriter) SetDeviceState(id, state string) error {
	return t.exec("update devices set state = $2, changed_at = now() where id = $1", id, state)
}

// DevicesByID reads devices by identifier, by name.
func (t DevicesReader) DevicesByID(clock Clock, ids []string) ([]Device, error) {
	found, err := rows[Device](t, "select * from devices where id = any($1) order by name_key, id", ids)
	for i, d := range found {
		found[i].Standing = d.standing(clock)
	}
	return found, err
}

// DevicesWaiting are devices in reach that wait for an owner, by name.
func (t DevicesReader) DevicesWaiting(reach rights.Reach, limit int) ([]Device, error) {
	within, args := inReach(reach)
	return rows[Device](
		t,
		"select d.* from devices d where d.state <> 'live' and d.state = 'claiming' and "+within+
			" order by d.name_key, d.id limit ?",
		append(args, limit)...)
}

// DevicePlace is where a device stands in the list by name.
type DevicePlace struct{ NameKey, ID string }

// After reads the place that a page begins after.
func (p Page) After() (DevicePlace, error) {
	var at DevicePlace
	return at, p.after(&at.NameKey, &at.ID)
}

// CutDevices makes a page of devices that were read with one more than fits.
func CutDevices(p Page, list []Device) ([]Device, string) {
	return cut(p, list, func(d Device) []any { return []any{d.NameKey, d.ID} })
}

// Fits is the number of records on a page.
func (p Page) Fits() int { return p.limit() }

// Contact says who was heard from, and when.
type Contact struct {
	Device string
	At     time.Time
}

// WriteContacts stores times of last contact in bulk; a later one is never replaced by an earlier. It gives those of
// devices that something else holds now, and waits for none of them.
func (t DevicesWriter) WriteContacts(contacts []Contact) (skipped []Contact, err error) {
	ids, times := make([]string, len(contacts)), make([]time.Time, len(contacts))
	for i, c := range contacts {
		ids[i], times[i] = c.Device, c.At
	}
	if len(contacts) == 0 {
		return nil, nil
	}
	written, err := rows[string](t, `with c as (select * from unnest($1::text[], $2::timestamptz[]) as c(id, at)),
		locked as (select id from devices where id in (select id from c) order by id for no key update skip locked)
		update devices d set last_contact = greatest(d.last_contact, c.at) from locked join c using (id)
		where d.id = locked.id
		returning d.id`, ids, array[time.Time](times))
	if err != nil {
		return nil, err
	}
	if len(written) < len(contacts) {
		done := make(map[string]bool, len(written))
		for _, id := range written {
			done[id] = true
		}
		for _, c := range contacts {
			if !done[c.Device] {
				skipped = append(skipped, c)
			}
		}
	}
	return skipped, t.notify(notices.Notice{Topic: TopicContacts, IDs: written})
}

// ExchangeState is what every replica keeps in memory of a device.
type ExchangeState struct {
	ID              string
	Name            string
	State           string
	PublicKey       []byte
	Epoch           int64
	Seq             int64
	DesiredEpoch    int64
	DesiredNumber   int64
	DesiredDigest   string
	ReportedEpoch   int64
	ReportedNumber  int64
	OrderNumber     int64
	DepositNumber   int64
	ConfirmedNumber int64
	Mismatched      bool
	Life            string
	Trouble         string
}

const knownColumns = "id, name, state, public_key, epoch, seq, desired_epoch, desired_number, desired_digest, " +
	"reported_epoch, reported_number, order_number, deposit_number, confirmed_number, mismatched, life, trouble"

// KnownDevices reads devices by identifier. It goes past GORM, since it reads whole fleets.
func (s *Store) KnownDevices(ctx context.Context, ids []string) ([]ExchangeState, error) {
	found, err := s.devices.Query(ctx, "select "+knownColumns+" from devices where id = any($1)", ids)
	if err != nil {
		return nil, fmt.Errorf("reading devices: %w", err)
	}
	return pgx.CollectRows(found, pgx.RowToStructByPos[ExchangeState])
}

// Answers is nil when the database answers.
func (s *Store) Answers(ctx context.Context) error { return s.devices.Ping(ctx) }

// ChangedDevices reads the devices that changed since a time by the database's clock, and gives
// that clock's time before it looked.
func (s *Store) ChangedDevices(ctx context.Context, since time.Time) ([]ExchangeState, time.Time, error) {
	var now time.Time
	if err := s.devices.QueryRow(ctx, "select now()").Scan(&now); err != nil {
		return nil, now, fmt.Errorf("reading devices: %w", err)
	}
	found, err := s.devices.Query(ctx, "select "+knownColumns+" from devices where changed_at >= $1", since)
	if err != nil {
		return nil, now, fmt.Errorf("reading devices: %w", err)
	}
	list, err := pgx.CollectRows(found, pgx.RowToStructByPos[ExchangeState])
	return list, now, err
}

// LiveIDs are the identifiers of the live devices that have folded names, or had them and keep them.
func (t DevicesReader) LiveIDs(keys []string) ([]string, error) {
	return rows[string](t, `select id from devices where state = 'live' and name_key = any($1)
		union select d.id from former_names f join devices d on d.id = f.device_id and d.state = 'live'
		where f.name_key = any($2) and f.until > now()`, keys, keys)
}
