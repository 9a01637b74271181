package store

import (
	"time"

	"rankwarden.example/core/assign"
)

// Assignment aims the revision of a policy that it has in force at groups.
type Assignment struct {
	ID        string
	Name      string
	PolicyID  string
	Policy    string `gorm:"->;-:migration"` // its name, read only
	Revision  int
	Include   []string `gorm:"serializer:json"`
	Exclude   []string `gorm:"serializer:json"`
	Within    []string `gorm:"serializer:json"`
	Rank      int
	Stance    string
	Version   int64
	CreatedAt time.Time
	UpdatedAt time.Time
}

// Aim is the assignment as the core knows it.
func (a Assignment) Aim() assign.Assignment {
	return assign.Assignment{Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within,
		Rank: assign.Rank(a.Rank), Stance: assign.Stance(a.Stance)}
}

func (t conn) assignments() conn {
	return conn{
		t.db.Model(&Assignment{}).Select("assignments.*, p.name as policy").
			Joins("join policies p on p.id = assignments.policy_id"),
	}
}

// AddAssignment adds one; the name must be new.
func (t InForceWriter) AddAssignment(a Assignment) error {
	return translate(t.db.Omit("Policy").Create(&a).Error)
}

// Assignment finds one by name.
func (t ChangesReader) Assignment(name string) (Assignment, error) {
	return first[Assignment](t.assignments().db.Where("assignments.name = ?", name))
}

// Assignments are all of them, by rank and name.
func (t ChangesReader) Assignments() ([]Assignment, error) {
	return all[Assignment](t.assignments().db.Order("rank, assignments.name"))
}

// AssignmentsOf are those of several policies, by rank and name.
func (t ChangesReader) AssignmentsOf(policyIDs []string) ([]Assignment, error) {
	return all[Assignment](
		t.assignments().db.Where("policy_id = any(?)", array[string](policyIDs)).Order("rank, assignments.name"),
	)
}

// ListAssignments lists a page by rank and name, of one policy when it is named.
func (t ChangesReader) ListAssignments(policy string, p Page) ([]Assignment, string, error) {
	var rank int
	var name string
	if err := p.after(&rank, &name); err != nil {
		return nil, "", err
	}
	q := t.assignments().db.Where("(rank, assignments.name) > (?, ?)", rank, name)
	if policy != "" {
		q = q.Where("p.name = ?", policy)
	}
	list, err := all[Assignment](q.Order("rank, assignments.name").Limit(p.limit() + 1))
	list, next := cut(p, list, func(a Assignment) []any { return []any{a.Rank, a.Name} })
	return list, next, err
}

// SetAssignment changes one over the given version.
func (t InForceWriter) SetAssignment(a Assignment, over int64) error {
	return must(t.db.Model(&Assignment{}).Where("id = ? and version = ?", a.ID, over).
		Select("policy_id", "revision", "include", "exclude", "within", "rank", "stance", "version", "updated_at").
		Updates(a), ErrStale)
}

// RemoveAssignment removes one of the given version.
func (t InForceWriter) RemoveAssignment(id string, over int64) error {
	return must(t.db.Where("id = ? and version = ?", id, over).Delete(&Assignment{}), ErrStale)
}

// PinRevision moves every assignment of a policy to a revision, and gives them as they are then.
func (t InForceWriter) PinRevision(policyID string, revision int, at time.Time) ([]Assignment, error) {
	if err := t.db.Model(&Assignment{}).Where("policy_id = ?", policyID).
		Updates(map[string]any{"revision": revision, "updated_at": at}).Error; err != nil {
		return nil, err
	}
	return all[Assignment](t.assignments().db.Where("policy_id = ?", policyID).Order("assignments.name"))
}

// AssignmentsUsing names the assignments that name a group.
func (t ChangesReader) AssignmentsUsing(group string) ([]string, error) {
	return rows[string](
		t,
		"select name from assignments where jsonb_exists(include || exclude || within, $1) order by name",
		group,
	)
}
