package store

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/unit"
)

// doorLock keeps alterations of what is in force one after the other, on all replicas: what one was judged by must
// still hold when it is made.
const doorLock = 0x646f6f72

// doorWait is how long one waits at the door: a large change is judged for longer than a row is locked.
const doorWait = "50s"

// LockDoor waits until no other transaction alters what is in force, and keeps all others out until the end of this
// one.
func (t InForceWriter) LockDoor() error {
	usual, err := one[string](t, "select current_setting('lock_timeout')")
	if err != nil {
		return err
	}
	patience := func(how string) error { return t.exec("select set_config('lock_timeout', $1, true)", how) }
	if err := patience(doorWait); err != nil {
		return err
	}
	if err := t.exec("select set_config('statement_timeout', $1, true)", doorWait); err != nil {
		return err
	}
	if err := t.exec("select pg_advisory_xact_lock($1)", doorLock); err != nil {
		return err
	}
	return patience(usual)
}

// Passage is what somebody put into force without having looked at it.
type Passage struct {
	ID      int64
	At      time.Time
	Source  string
	Devices int // whose desired state it altered
	Lost    int // of those, on which somebody left a privileged local group
}

// passagesKept is how long a passage is of interest.
const passagesKept = 24 * time.Hour

// AddPassage counts one, and forgets those that count no longer.
func (t InForceWriter) AddPassage(p Passage) error {
	if err := t.exec("delete from passages where at < $1", p.At.Add(-passagesKept)); err != nil {
		return err
	}
	return translate(t.db.Create(&p).Error)
}

// PassagesOf sums what a source put into force within the last day.
func (t InForceWriter) PassagesOf(source string, now time.Time) (devices, lost int, err error) {
	type sum struct{ Devices, Lost int }
	s, err := one[sum](t, "select coalesce(sum(devices), 0) as devices, coalesce(sum(lost), 0) as lost from passages "+
		"where source = $1 and at > $2", source, now.Add(-passagesKept))
	return s.Devices, s.Lost, err
}

// wayIn is one access effect as it is stored.
type wayIn struct {
	Access  effect.Access `json:"access"`
	Unit    string        `json:"unit"`
	Subject string        `json:"subject,omitempty"`
	Devices []string      `json:"devices"`
}

// PutAgreement stores what somebody is asked to agree to, or agreed to, for a change or what the brake holds, by
// identifier.
func (t ChangesWriter) PutAgreement(id string, access effect.AccessSet) error {
	ways := []wayIn{}
	for _, e := range access.Effects() {
		ways = append(ways, wayIn{e.Access, effect.UnitName(e.Unit), e.Subject,
			slices.Sorted(maps.Keys(access[e]))})
	}
	body, err := json.Marshal(ways)
	if err != nil {
		return fmt.Errorf("storing an agreement: %w", err)
	}
	return t.exec("insert into agreements values ($1, $2) on conflict (id) do update set access = excluded.access",
		id, string(body))
}

// DropAgreement forgets one.
func (t ChangesWriter) DropAgreement(id string) error {
	return t.exec("delete from agreements where id = $1", id)
}

// Agreement reads what was asked or agreed for a change or what the brake holds; nothing where there is none.
func (t ChangesReader) Agreement(id string) (effect.AccessSet, error) {
	bodies, err := rows[string](t, "select access from agreements where id = $1", id)
	access := effect.AccessSet{}
	if err != nil || len(bodies) == 0 {
		return access, err
	}
	var ways []wayIn
	if err := json.Unmarshal([]byte(bodies[0]), &ways); err != nil {
		return nil, fmt.Errorf("reading an agreement: %w", err)
	}
	for _, w := range ways {
		e := effect.AccessEffect{Access: w.Access, Subject: w.Subject}
		if w.Unit != effect.Every {
			if e.Unit, err = unit.Parse(w.Unit); err != nil {
				return nil, fmt.Errorf("reading an agreement: %w", err)
			}
		}
		for _, device := range w.Devices {
			access.Add(e, device)
		}
	}
	return access, nil
}

// NumberedChanges are the names of changes that are a name, or that with a number.
func (t ChangesReader) NumberedChanges(name string) ([]string, error) {
	return rows[string](t, `select name from changes where name = $1 or name ~ ('^' || $1 || '-[0-9]+$')`, name)
}
