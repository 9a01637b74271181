package store

import (
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/wire/protocol"
)

// States of a warrant.
const (
	WarrantWaiting   = "waiting" // for somebody to agree
	WarrantAgreed    = "agreed"  // it runs, or will
	WarrantRefused   = "refused"
	WarrantTakenBack = "taken_back"
	WarrantEnded     = "ended" // its time is over, or nobody agreed in time
)

// Warrant makes a principal a member of a local group of some devices for a time.
type Warrant struct {
	ID           string
	Unit         string     // of the local group
	Principal    string     // as members are written
	StartsAt     *time.Time // nil while it waits and begins when it is agreed
	EndsAt       *time.Time // likewise
	LastsSeconds int
	Despite      bool
	EndSessions  bool
	Reason       string
	Ticket       string
	Group        string `gorm:"column:device_group"` // whose devices it is for; empty where they were named
	State        string
	Needs        []string `gorm:"serializer:json"` // why somebody must agree
	People       []string `gorm:"serializer:json"` // in the group that has it, when it was agreed
	AskedBy      string
	AskedByID    string // of the operator, who may be called otherwise by now
	AskedAt      time.Time
	DecidedBy    string // empty where nobody had to agree
	DecidedAt    *time.Time
	EndedBy      string // empty while it has not
	EndedAt      *time.Time
}

// Lasts is how long it holds.
func (w Warrant) Lasts() time.Duration { return time.Duration(w.LastsSeconds) * time.Second }

// Runs reports whether it holds at a time.
func (w Warrant) Runs(at time.Time) bool {
	return w.State == WarrantAgreed && !at.Before(*w.StartsAt) && at.Before(*w.EndsAt)
}

// WarrantFilter narrows a list of warrants. Empty fields do not.
type WarrantFilter struct {
	Reach  rights.Reach
	State  string
	Open   bool   // only those that wait, run or will
	Device string // identifier
}

// AddWarrant adds one for some devices.
func (t DevicesWriter) AddWarrant(w Warrant, devices []string) error {
	if err := translate(t.db.Create(&w).Error); err != nil {
		return err
	}
	return t.exec("insert into warrant_devices (warrant_id, device_id) select $1, unnest($2::text[])", w.ID, devices)
}

// NoteMembers keeps on which devices of a warrant its principal is a member already, as they reported last: what was
// there before stays. Of a device that has reported nothing nobody knows. The local group and the principal have
// identifiers, or names where none is known.
func (t DevicesWriter) NoteMembers(warrant, groupSID, groupName, sid, local string) error {
	return t.exec("update warrant_devices wd set was_member = exists (select 1 from inventory_members m "+
		"where m.device_id = wd.device_id and (m.group_sid = $2 or lower(m.group_name) = $3) "+
		"and (m.sid = $4 or $5 <> '' and lower(m.name) = $5)) or not exists (select 1 from inventory_members m "+
		"where m.device_id = wd.device_id) where wd.warrant_id = $1",
		warrant, groupSID, groupName, sid, local)
}

// LockWarrant finds one, and keeps others from altering it until the transaction ends.
func (t DevicesWriter) LockWarrant(id string) (Warrant, error) {
	if err := t.exec("select 1 from warrants where id = $1 for update", id); err != nil {
		return Warrant{}, err
	}
	return first[Warrant](t.db.Where("id = ?", id))
}

// SetWarrant alters one.
func (t DevicesWriter) SetWarrant(w Warrant) error {
	return translate(t.db.Model(&Warrant{}).Where("id = ?", w.ID).Select("state", "starts_at", "ends_at", "people",
		"decided_by", "decided_at", "ended_by", "ended_at").Updates(w).Error)
}

// Warrant finds one.
func (t DevicesReader) Warrant(id string) (Warrant, error) {
	return first[Warrant](t.db.Where("id = ?", id))
}

// ListWarrants lists a page of those for devices in reach, the latest first.
func (t DevicesReader) ListWarrants(f WarrantFilter, p Page) ([]Warrant, string, error) {
	before := "~" // after every identifier
	if err := p.after(&before); err != nil {
		return nil, "", err
	}
	where, args := "x.id < ?", []any{before}
	if f.State != "" {
		where, args = where+" and x.state = ?", append(args, f.State)
	}
	if f.Open {
		where += " and x.state in ('waiting', 'agreed')"
	}
	of, ofArgs := inReach(f.Reach)
	if f.Device != "" {
		of, ofArgs = of+" and d.id = ?", append(ofArgs, f.Device)
	}
	args = append(append(args, ofArgs...), p.limit()+1)
	list, err := rows[Warrant](t, "select x.* from warrants x where "+where+" and exists (select 1 from "+
		"warrant_devices wd join devices d on d.id = wd.device_id where wd.warrant_id = x.id and "+of+") "+
		"order by x.id desc limit ?", args...)
	list, next := cut(p, list, func(w Warrant) []any { return []any{w.ID} })
	return list, next, err
}

// WarrantDevice is a device that a warrant holds on.
type WarrantDevice struct{ WarrantID, ID, Name string }

// DevicesOfWarrants are the devices in reach of some warrants, by warrant and name.
func (t DevicesReader) DevicesOfWarrants(reach rights.Reach, warrants []string) (map[string][]WarrantDevice, error) {
	of, args := inReach(reach)
	list, err := rows[WarrantDevice](t, "select wd.warrant_id, d.id, d.name from warrant_devices wd "+
		"join devices d on d.id = wd.device_id where wd.warrant_id = any(?) and "+of+" order by d.name_key",
		append([]any{array[string](warrants)}, args...)...)
	devices := map[string][]WarrantDevice{}
	for _, d := range list {
		devices[d.WarrantID] = append(devices[d.WarrantID], d)
	}
	return devices, err
}

// DueWarrants are those that have not ended although their time is over, or that nobody agreed to since a time; at most
// some.
func (t DevicesReader) DueWarrants(now, askedBefore time.Time, most int) ([]Warrant, error) {
	return all[Warrant](t.db.Where("state in ('waiting', 'agreed') and (ends_at <= ? or state = 'waiting' and "+
		"asked_at < ?)", now, askedBefore).Order("id").Limit(most))
}

// CountWarrants counts, for devices that have any, the warrants that wait, run or will.
func (t DevicesReader) CountWarrants(devices []string) (map[string]int, error) {
	list, err := rows[struct {
		DeviceID string
		N        int
	}](t, "select wd.device_id, count(*) as n from warrant_devices wd join warrants w on w.id = wd.warrant_id "+
		"where wd.device_id = any($1::text[]) and w.state in ('waiting', 'agreed') group by 1", slices.Clone(devices))
	counts := map[string]int{}
	for _, r := range list {
		counts[r.DeviceID] = r.N
	}
	return counts, err
}

// GroupsAmong are those of some groups that any of some devices is in, also where that is not certain.
func (t DevicesReader) GroupsAmong(groups, devices []string) ([]string, error) {
	if len(groups) == 0 {
		return nil, nil
	}
	return rows[string](t, "select g.name from groups g where g.name = any($1::text[]) and exists (select 1 from "+
		"members m where m.group_id = g.id and m.device_id = any($2::text[])) order by 1", slices.Clone(groups),
		slices.Clone(devices))
}

// likeOn is on how many devices of a warrant others are looked for that are like it.
const likeOn = 50

// LikeWarrants counts, for some warrants, those of the same principal for the same local group that were agreed since a
// time on any of their first devices in reach, themselves included.
func (t DevicesReader) LikeWarrants(reach rights.Reach, warrants []string, since time.Time) (map[string]int, error) {
	of, args := inReach(reach)
	list, err := rows[struct {
		ID string
		N  int
	}](t, "select x.id, count(distinct w.id) as n from warrants x cross join lateral (select d.id from "+
		"warrant_devices xd join devices d on d.id = xd.device_id where xd.warrant_id = x.id and "+of+" limit ?) "+
		"on_it "+
		"join warrant_devices wd on wd.device_id = on_it.id "+
		"join warrants w on w.id = wd.warrant_id and w.principal = x.principal and w.unit = x.unit "+
		"where x.id = any(?) and w.asked_at > ? and w.state in ('agreed', 'taken_back', 'ended') "+
		"and w.decided_at is not null group by 1",
		append(args, likeOn, array[string](warrants), since)...)
	counts := map[string]int{}
	for _, r := range list {
		counts[r.ID] = r.N
	}
	return counts, err
}

// WarrantsOf is what devices are told of warrants whose end is after a time, by device.
func (t DevicesReader) WarrantsOf(devices []string, after time.Time) (map[string][]protocol.Warrant, error) {
	type row struct {
		DeviceID string
		Warrant
	}
	list, err := rows[row](t, "select wd.device_id, w.* from warrant_devices wd "+
		"join warrants w on w.id = wd.warrant_id where wd.device_id = any($1::text[]) and w.state = 'agreed' "+
		"and w.ends_at > $2 order by wd.device_id, w.id",
		slices.Clone(devices), after)
	of := map[string][]protocol.Warrant{}
	for _, r := range list {
		w, known := readWarrant(r.Unit, r.Principal)
		if !known {
			continue
		}
		w.From, w.Until, w.Despite = r.StartsAt.UTC(), r.EndsAt.UTC(), r.Despite
		of[r.DeviceID] = append(of[r.DeviceID],
			protocol.Warrant{ID: r.ID, EndSessions: r.EndSessions, Warrant: w})
	}
	return of, err
}

// readWarrant reads whom a stored warrant makes a member of what; known is false for a unit that there is no more.
func readWarrant(unitName, holder string) (w warrant.Warrant, known bool) {
	id, wrong := unit.Parse(unitName)
	ref, none := principal.Parse(holder)
	return warrant.Warrant{Unit: id, Principal: ref}, wrong == nil && none == nil
}
