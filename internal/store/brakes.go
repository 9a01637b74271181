package store

import "time"

// The kinds of what the brake holds.
const (
	BrakeFacts     = "facts"     // what an organisation knows of devices
	BrakeRule      = "rule"      // of a group
	BrakeDirectory = "directory" // an import
)

// The states of what the brake holds.
const (
	BrakeWaiting  = "waiting"
	BrakeReleased = "released"
	BrakeRefused  = "refused"
)

// Brake is an import, a rule or a change of facts that would alter so much that it waits for a person.
type Brake struct {
	ID        string
	Kind      string
	Object    string // the group, or devices, or directory
	State     string
	Request   string // JSON of what was asked for
	Fleet     int    // devices
	Devices   int    // of those, whose desired state it would alter
	Leaving   int    // of those, on which somebody leaves administrators
	Sums      string // JSON of its effects, counted
	AskedBy   string
	AskedAt   time.Time
	DecidedBy string
	DecidedAt *time.Time
	Reason    string   // of the decision
	Needs     []string `gorm:"serializer:json"` // why a second person must agree, none where anybody may decide
}

// AddBrake has something wait.
func (t ChangesWriter) AddBrake(b Brake) error { return translate(t.db.Create(&b).Error) }

// Brake finds one.
func (t ChangesReader) Brake(id string) (Brake, error) { return first[Brake](t.db.Where("id = ?", id)) }

// LockBrake is [Tx.Brake], and keeps others from deciding it until the transaction ends.
func (t ChangesWriter) LockBrake(id string) (Brake, error) {
	if err := t.exec("select 1 from brakes where id = $1 for update", id); err != nil {
		return Brake{}, err
	}
	return t.Brake(id)
}

// DecideBrake notes a decision.
func (t ChangesWriter) DecideBrake(b Brake) error {
	return translate(t.db.Model(&Brake{}).Where("id = ?", b.ID).
		Select("state", "decided_by", "decided_at", "reason").Updates(b).Error)
}

// ListBrakes lists a page without the requests, the latest first; only those that wait where it is said.
func (t ChangesReader) ListBrakes(waiting bool, p Page) ([]Brake, string, error) {
	at, id := time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC), ""
	if err := p.after(&at, &id); err != nil {
		return nil, "", err
	}
	q := t.db.Omit("request").Where("(asked_at, id) < (?, ?)", at, id)
	if waiting {
		q = q.Where("state = 'waiting'")
	}
	list, err := all[Brake](q.Order("asked_at desc, id desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(b Brake) []any { return []any{b.AskedAt, b.ID} })
	return list, next, err
}
