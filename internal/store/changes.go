package store

import (
	"encoding/json"
	"fmt"
	"time"

	quickjson "github.com/segmentio/encoding/json" // a preview reads the report of every device

	"rankwarden.example/core/drift"
	"rankwarden.example/core/edit"
)

// ChangeState is where a change stands.
type ChangeState string

// The states of a change.
const (
	ChangeDraft    ChangeState = "draft"     // edits come and go; nothing is altered
	ChangeWaiting  ChangeState = "waiting"   // a second person must approve
	ChangeApproved ChangeState = "approved"  // a second person has approved
	ChangeGoingOut ChangeState = "going_out" // its rollout is under way
	ChangeDone     ChangeState = "done"      // it went out
	ChangeDropped  ChangeState = "dropped"
	ChangeReverted ChangeState = "reverted" // it went out to some or all devices, and was taken back
)

// ChangeStates are all of them.
var ChangeStates = []ChangeState{
	ChangeDraft,
	ChangeWaiting,
	ChangeApproved,
	ChangeGoingOut,
	ChangeDone,
	ChangeDropped,
	ChangeReverted,
}

// IsOpen reports whether a change has neither come to its end nor been dropped or reverted.
func (s ChangeState) IsOpen() bool {
	return s != ChangeDone && s != ChangeDropped && s != ChangeReverted
}

// Change is a set of edits that goes out together.
type Change struct {
	ID        string
	Name      string
	Title     string
	Reason    string
	State     ChangeState
	Version   int64 // counts every alteration, also of its edits
	CreatedAt time.Time
	CreatedBy string
	UpdatedAt time.Time
	ClosedAt  *time.Time
	AskedBy   string   // who asked for it to go out, while a second person must approve or has
	Preview   string   // digest of the preview that they asked for
	Needs     []string `gorm:"serializer:json"` // why a second person must approve
}

// ChangeEdit is one edit of a change.
type ChangeEdit struct {
	ChangeID string `gorm:"primaryKey"`
	Type     string `gorm:"primaryKey"` // policy, assignment or group
	Name     string `gorm:"primaryKey"`
	Kind     string
	Body     string // JSON
	BasedOn  int64  // version of the thing that was read, 0 when it did not exist
	Position int    // edits go out in this order
	EditedAt time.Time
	EditedBy string
	Version  int64   // of the change, once the edit was in it
	Undo     *string // JSON of the edit that takes it back, once it was made; nil for none
}

// NewChangeEdit is an edit of a change as it is stored.
func NewChangeEdit(changeID string, e edit.Edit) (ChangeEdit, error) {
	body, err := json.Marshal(e)
	if err != nil {
		return ChangeEdit{}, fmt.Errorf("storing an edit: %w", err)
	}
	return ChangeEdit{ChangeID: changeID, Type: string(e.Kind.Type()), Name: e.Name, Kind: string(e.Kind),
		Body: string(body), BasedOn: e.BasedOn}, nil
}

// Edit reads what is stored.
func (r ChangeEdit) Edit() (edit.Edit, error) {
	var e edit.Edit
	if err := json.Unmarshal([]byte(r.Body), &e); err != nil {
		return e, fmt.Errorf("reading an edit: %w", err)
	}
	e.Kind, e.Name, e.BasedOn = edit.Kind(r.Kind), r.Name, r.BasedOn // earlier versions have them beside the body
	return e, nil
}

// ChangeEvent is one line of the history of a change.
type ChangeEvent struct {
	ID       int64
	ChangeID string
	At       time.Time
	Who      string
	What     string // short stable name
	Detail   string
}

// ChangeCount is a change with the number of its edits.
type ChangeCount struct {
	Change
	Edits int
}

// AddChange adds a change; the name must be new.
func (t ChangesWriter) AddChange(c Change) error { return translate(t.db.Create(&c).Error) }

// Change finds a change by name.
func (t ChangesReader) Change(name string) (Change, error) {
	return first[Change](t.db.Where("name = ?", name))
}

// LockChange is [Tx.Change], and keeps others from altering it until the transaction ends.
func (t ChangesWriter) LockChange(name string) (Change, error) {
	if err := t.exec("select 1 from changes where name = $1 for update", name); err != nil {
		return Change{}, err
	}
	return t.Change(name)
}

// SetChange alters a change over the given version.
func (t ChangesWriter) SetChange(c Change, over int64) error {
	return must(t.db.Model(&Change{}).Where("id = ? and version = ?", c.ID, over).
		Select("title", "reason", "state", "version", "updated_at", "closed_at", "asked_by", "preview", "needs").
		Updates(c), ErrStale)
}

// ListChanges lists a page, the latest altered first; only those of some states when any is given. Search is part of a
// name or title.
func (t ChangesReader) ListChanges(states []string, search string, p Page) ([]ChangeCount, string, error) {
	at, id := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), ""
	if err := p.after(&at, &id); err != nil {
		return nil, "", err
	}
	list, err := rows[ChangeCount](
		t,
		`select c.*, (select count(*) from change_edits e where e.change_id = c.id) as edits
		from changes c where (c.updated_at, c.id) < ($1, $2) and ($3 or c.state = any($4)) and (c.name ilike $5
		or c.title ilike $6)
		order by c.updated_at desc, c.id desc limit $7`,
		at,
		id,
		len(states) == 0,
		states,
		like(search),
		like(search),
		p.limit()+1,
	)
	list, next := cut(p, list, func(c ChangeCount) []any { return []any{c.UpdatedAt, c.ID} })
	return list, next, err
}

// PutChangeEdit adds an edit, or puts it in the place of that of the same thing.
func (t ChangesWriter) PutChangeEdit(e ChangeEdit) error {
	return t.exec(
		`insert into change_edits (change_id, type, name, kind, body, based_on, position, edited_at, edited_by, version)
		values ($1, $2, $3, $4, $5, $6, (select coalesce(max(position), 0) + 1 from change_edits where change_id = $1),
		$7, $8, $9)
		on conflict (change_id, type, name) do update set kind = excluded.kind, body = excluded.body,
		based_on = excluded.based_on, edited_at = excluded.edited_at, edited_by = excluded.edited_by,
		version = excluded.version`,
		e.ChangeID,
		e.Type,
		e.Name,
		e.Kind,
		e.Body,
		e.BasedOn,
		e.EditedAt,
		e.EditedBy,
		e.Version,
	)
}

// RemoveChangeEdit takes an edit out of a change.
func (t ChangesWriter) RemoveChangeEdit(change, typ, name string) error {
	return must(
		t.db.Where("change_id = ? and type = ? and name = ?", change, typ, name).Delete(&ChangeEdit{}),
		ErrNotFound,
	)
}

// ChangeEdits are the edits of a change in their order.
func (t ChangesReader) ChangeEdits(change string) ([]ChangeEdit, error) {
	return all[ChangeEdit](t.db.Where("change_id = ?", change).Order("position, type, name"))
}

// AddChangeEvent adds a line to the history of a change.
func (t ChangesWriter) AddChangeEvent(e ChangeEvent) error { return translate(t.db.Create(&e).Error) }

// ChangeAuthors are all who ever wrote to a change, also what was replaced or taken out since.
func (t ChangesReader) ChangeAuthors(change string) ([]string, error) {
	return rows[string](t, `select distinct who from change_events where change_id = $1 and what = any($2)`,
		change, []string{"created", "edited", "edit_removed", "retitled"})
}

// ListChangeEvents lists a page of the history of a change, newest first.
func (t ChangesReader) ListChangeEvents(change string, p Page) ([]ChangeEvent, string, error) {
	after := int64(1) << 62
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[ChangeEvent](
		t.db.Where("change_id = ? and id < ?", change, after).Order("id desc").Limit(p.limit() + 1),
	)
	list, next := cut(p, list, func(e ChangeEvent) []any { return []any{e.ID} })
	return list, next, err
}

// VersionsOf are the versions of policies, assignments or groups, by name; those that do not exist are left out.
func (t ChangesReader) VersionsOf(typ string, names []string) (map[string]int64, error) {
	table, known := map[string]string{"policy": "policies", "assignment": "assignments", "group": "groups"}[typ]
	if !known {
		return nil, fmt.Errorf("%w: things of the type %q", ErrNotFound, typ)
	}
	type row struct {
		Name    string
		Version int64
	}
	list, err := rows[row](t, "select name, version from "+table+" where name = any($1)", names)
	versions := make(map[string]int64, len(list))
	for _, r := range list {
		versions[r.Name] = r.Version
	}
	return versions, err
}

// GroupList are the folded names of the live devices that are listed in a group, and those that are expected, sorted.
func (t ChangesReader) GroupList(groupID string) ([]string, error) {
	return rows[string](t, `select d.name_key from members m join devices d on d.id = m.device_id and d.state = 'live'
		where m.group_id = $1 union select name_key from expected_names where group_id = $2 order by 1`, groupID, groupID)
}

// KnownState is what is known of a device beside what is in force.
type KnownState struct {
	ID       string
	State    *drift.State // of its last report, nil when it never reported
	Settings string       // digest of the settings it was last told, empty for none
}

// KnownStates are those of live devices, by identifier.
func (t ChangesReader) KnownStates(ids []string) (map[string]KnownState, error) {
	type row struct {
		ID       string
		Body     *string
		Settings string
	}
	// Whole fleets are asked for, so that each report is looked for in its month alone, and not through the view of
	// all.
	list, err := rows[row](t, `select d.id, coalesce(r.body, b.body, z.body) as body, d.settings_digest as settings
		from devices d
		left join device_reports r on r.id = d.report_id and r.received_at = d.reported_at
		left join report_bodies b on b.digest = r.body_digest and b.month = date_trunc('month',
		r.received_at at time zone 'UTC')::date
		left join daily_reports y on r.id is null and y.id = d.report_id and y.received_at = d.reported_at
		left join daily_bodies z on z.digest = y.body_digest and z.month = date_trunc('month',
		y.received_at at time zone 'UTC')::date
		where d.id = any($1) and d.state = 'live'`, ids)
	known := make(map[string]KnownState, len(list))
	for _, r := range list {
		k := KnownState{ID: r.ID, Settings: r.Settings}
		if r.Body != nil {
			var report drift.Report
			if err := quickjson.Unmarshal([]byte(*r.Body), &report); err != nil {
				return nil, fmt.Errorf("reading the report of device %s: %w", r.ID, err)
			}
			k.State = &report.State
		}
		known[r.ID] = k
	}
	return known, err
}

// SetUndo notes what takes an edit back: JSON of the edit that does, empty where nothing does.
func (t ChangesWriter) SetUndo(change, typ, name, undo string) error {
	return t.exec("update change_edits set undo = nullif($4, '')::jsonb where change_id = $1 and type = $2 "+
		"and name = $3",
		change, typ, name, undo)
}
