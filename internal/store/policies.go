package store

import "time"

// Policy is a policy with its draft. Version counts edits of the draft; Revision is the latest
// published one, 0 before the first.
type Policy struct {
	ID        string
	Name      string
	Title     string
	Source    string
	Version   int64
	Revision  int
	CreatedAt time.Time
	UpdatedAt time.Time
	UpdatedBy string
}

// PolicyRevision is a published document; it never changes.
type PolicyRevision struct {
	PolicyID    string `gorm:"primaryKey"`
	Number      int    `gorm:"primaryKey"`
	Source      string
	PublishedAt time.Time
	PublishedBy string
}

// AddPolicy adds a draft; the name must be new.
func (t ChangesWriter) AddPolicy(p Policy) error { return translate(t.db.Create(&p).Error) }

// Policy finds a policy by name.
func (t ChangesReader) Policy(name string) (Policy, error) {
	return first[Policy](t.db.Where("name = ?", name))
}

// PolicyNames are the names of all policies.
func (t ChangesReader) PolicyNames() ([]string, error) {
	return rows[string](t, "select name from policies")
}

// SetPolicy stores a draft over the given version.
func (t ChangesWriter) SetPolicy(p Policy, over int64) error {
	return must(t.db.Model(&Policy{}).Where("id = ? and version = ?", p.ID, over).
		Select("title", "source", "version", "revision", "updated_at", "updated_by").Updates(p), ErrStale)
}

// ListPolicies lists a page by name; search is part of a name or title.
func (t ChangesReader) ListPolicies(search string, p Page) ([]Policy, string, error) {
	var after string
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	q := t.db.Where("name > ?", after)
	if search != "" {
		q = q.Where("name ilike ? or title ilike ?", like(search), like(search))
	}
	list, err := all[Policy](q.Order("name").Limit(p.limit() + 1))
	list, next := cut(p, list, func(x Policy) []any { return []any{x.Name} })
	return list, next, err
}

// PolicyUses are what keeps a policy from being deleted: assignments, and open changes with an edit of it, as
// "assignment NAME" and "change NAME", at most so many.
func (t ChangesReader) PolicyUses(p Policy, open []ChangeState, most int) ([]string, error) {
	states := make([]string, len(open))
	for i, s := range open {
		states[i] = string(s)
	}
	return rows[string](t, `select 'assignment ' || name from assignments where policy_id = $1
		union select 'change ' || c.name from change_edits e join changes c on c.id = e.change_id
		where c.state = any($2::text[]) and (e.type = 'policy' and e.name = $3 or e.type = 'assignment' and
		e.body::jsonb -> 'assignment' ->> 'policy' = $3) order by 1 limit $4`, p.ID, states, p.Name, most)
}

// RemovePolicy removes the version of a policy that was read, with its revisions. Nothing in force may use it.
func (t ChangesWriter) RemovePolicy(p Policy) error {
	if err := t.exec("delete from policy_revisions where policy_id = $1", p.ID); err != nil {
		return err
	}
	return must(t.db.Where("id = ? and version = ?", p.ID, p.Version).Delete(&Policy{}), ErrStale)
}

// AddPolicyRevision adds one.
func (t InForceWriter) AddPolicyRevision(r PolicyRevision) error {
	return translate(t.db.Create(&r).Error)
}

// PolicyRevision finds one.
func (t ChangesReader) PolicyRevision(policyID string, number int) (PolicyRevision, error) {
	return first[PolicyRevision](t.db.Where("policy_id = ? and number = ?", policyID, number))
}

// ListPolicyRevisions lists a page, newest first, without the documents.
func (t ChangesReader) ListPolicyRevisions(policyID string, p Page) ([]PolicyRevision, string, error) {
	after := 1 << 30
	if err := p.after(&after); err != nil {
		return nil, "", err
	}
	list, err := all[PolicyRevision](t.db.Select("policy_id", "number", "published_at", "published_by").
		Where("policy_id = ? and number < ?", policyID, after).Order("number desc").Limit(p.limit() + 1))
	list, next := cut(p, list, func(r PolicyRevision) []any { return []any{r.Number} })
	return list, next, err
}
