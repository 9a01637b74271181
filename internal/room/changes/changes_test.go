package changes_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// records are a few policies, groups and assignments in memory.
type records struct {
	changes.Records // what no test here asks for
	uowtest.Trail
	policies    map[string]store.Policy
	revisions   map[int]store.PolicyRevision
	assignments []store.Assignment
	groups      []store.Group
	outside     int      // devices out of reach that an edit would take effect on
	reaching    []string // operators whose reach names a group
}

func (r *records) AppendAudit(e audit.Entry) error                   { return r.Trail.AppendAudit(e) }
func (r *records) Notify(n notices.Notice) error                     { return r.Trail.Notify(n) }
func (r *records) RequestSettle(q store.SettleRequest) error         { return r.Trail.RequestSettle(q) }
func (r *records) UnderWay([]string, string) (string, string, error) { return "", "", nil }
func (r *records) DirectoryIsEmpty() (bool, error)                   { return true, nil }
func (r *records) OperatorsReaching(string) ([]string, error)        { return r.reaching, nil }
func (r *records) Assignments() ([]store.Assignment, error)          { return r.assignments, nil }
func (r *records) AddPolicyRevision(p store.PolicyRevision) error {
	r.revisions[p.Number] = p
	return nil
}
func (r *records) CountAimedOutside(rights.Reach, store.Aim) (int, error) { return r.outside, nil }

func (r *records) Policy(name string) (store.Policy, error) {
	p, known := r.policies[name]
	if !known {
		return p, store.ErrNotFound
	}
	return p, nil
}

func (r *records) SetPolicy(p store.Policy, over int64) error {
	if r.policies[p.Name].Version != over {
		return store.ErrStale
	}
	r.policies[p.Name] = p
	return nil
}

func (r *records) PolicyRevision(_ string, number int) (store.PolicyRevision, error) {
	p, known := r.revisions[number]
	if !known {
		return p, store.ErrNotFound
	}
	return p, nil
}

func (r *records) PinRevision(_ string, revision int, _ time.Time) ([]store.Assignment, error) {
	for i := range r.assignments {
		r.assignments[i].Revision = revision
	}
	return r.assignments, nil
}

func (r *records) AddAssignment(a store.Assignment) error {
	r.assignments = append(r.assignments, a)
	return nil
}

func (r *records) GroupsNamed(names []string) ([]store.Group, error) {
	return slices.DeleteFunc(
		slices.Clone(r.groups),
		func(g store.Group) bool { return !slices.Contains(names, g.Name) },
	), nil
}

func (r *records) ListGroups(string, store.Page) ([]store.GroupCount, string, error) {
	var list []store.GroupCount
	for _, g := range r.groups {
		list = append(list, store.GroupCount{Group: g})
	}
	return list, "", nil
}

func (r *records) RuledGroups() ([]store.RuleGroup, error) {
	var list []store.RuleGroup
	for _, g := range r.groups {
		if g.Rule != "" {
			list = append(list, store.RuleGroup{ID: g.ID, Name: g.Name, Rule: g.Rule})
		}
	}
	return list, nil
}

func operator(groups []string, roles ...rights.Role) rights.Identity {
	who := rights.Identity{OperatorID: "1", Name: "asta"}
	for _, role := range roles {
		who.Grants = append(who.Grants, rights.Grant{Role: role, Groups: groups})
	}
	return who
}

func room() (*changes.Service, *records) {
	r := &records{policies: map[string]store.Policy{}, revisions: map[int]store.PolicyRevision{}}
	return changes.New(changes.Service{Room: uowtest.Room[changes.Reads, changes.Records](r, r, &r.Trail),
		Documents: cache.NewDocuments()}), r
}

func refused(t *testing.T, err error, kind refusal.Kind, code string) {
	t.Helper()
	var e *refusal.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, kind, e.Kind, e.Message)
	assert.Equal(t, code, e.Code, e.Message)
}

const lamps = "format: rankwarden.policy/1\nname: lamps\npasswords: {min_length: %d}\n"

func TestPublishing(t *testing.T) {
	s, r := room()
	deployer := operator(nil, rights.Deployer)
	draft := func(length int, version int64) {
		p := r.policies["lamps"]
		p.Name, p.Source, p.Version = "lamps", fmt.Sprintf(lamps, length), version
		r.policies["lamps"] = p
	}
	draft(8, 1)
	r.assignments = []store.Assignment{{Name: "piers", Policy: "lamps", Include: []string{"north-pier", "south-pier"}}}

	out, err := s.PublishPolicy(t.Context(), deployer, "lamps", 1)
	require.NoError(t, err)
	assert.Equal(t, 1, out.Policy.Revision)
	assert.Equal(t, []string{"piers"}, out.Moved)
	assert.Equal(t, 1, r.assignments[0].Revision)
	require.Len(t, r.Requests, 1, "its devices are settled again")
	assert.Equal(t, []string{"north-pier", "south-pier"}, r.Requests[0].Groups)
	assert.True(t, r.Told(store.TopicEdits))

	_, err = s.PublishPolicy(t.Context(), deployer, "lamps", out.Policy.Version)
	refused(t, err, refusal.Conflict, "nothing_to_publish")
	draft(10, 5)
	_, err = s.PublishPolicy(t.Context(), deployer, "lamps", 4)
	refused(t, err, refusal.Stale, "")
	_, err = s.PublishPolicy(t.Context(), operator(nil, rights.Author), "lamps", 5)
	refused(t, err, refusal.Forbidden, "")
	r.outside = 3
	_, err = s.PublishPolicy(t.Context(), operator([]string{"north-pier"}, rights.Deployer), "lamps", 5)
	refused(t, err, refusal.Forbidden, "out_of_reach")
	draft(3000, 6)
	_, err = s.PublishPolicy(t.Context(), deployer, "lamps", 6)
	refused(t, err, refusal.Invalid, "policy_unusable")
	_, err = s.PublishPolicy(t.Context(), deployer, "lanterns", 1)
	refused(t, err, refusal.NotFound, "")
}

func TestAimingRefusesWhatADeviceCouldBringAbout(t *testing.T) {
	s, r := room()
	r.policies["lamps"] = store.Policy{ID: "p", Name: "lamps", Revision: 2}
	r.groups = []store.Group{
		{Name: "north-pier"},
		{Name: "old-builds", Rule: "device.os_build < 22000"},
		{Name: "desks", Rule: `device.path.startsWith("desk")`},
	}
	aim := func(a assign.Assignment) error {
		a.Name, a.Policy, a.Rank = "piers", "lamps", 10
		_, err := s.NewAssignment(t.Context(), operator(nil, rights.Deployer), a)
		return err
	}
	refused(
		t,
		aim(assign.Assignment{Include: []string{"everything"}, Exclude: []string{"old-builds"}}),
		refusal.Invalid,
		"excluded_by_device_fact",
	)
	err := aim(assign.Assignment{Include: []string{"noth-pier"}})
	refused(t, err, refusal.Invalid, "unknown_group")
	assert.ErrorContains(t, err, `did you mean "north-pier"?`)
	require.NoError(t, aim(assign.Assignment{Include: []string{"old-builds"}, Exclude: []string{"desks"}}))
	assert.Equal(t, 2, r.assignments[0].Revision, "the latest revision is in force")
	assert.Equal(t, "assignment.made", r.Entries[0].Action)

	r.policies["lamps"] = store.Policy{ID: "p", Name: "lamps"}
	assert.ErrorContains(t, aim(assign.Assignment{Include: []string{"everything"}}), "publish it first")
}
