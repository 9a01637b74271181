package authoring_test

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
	"rankwarden.example/internal/room/authoring"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// records are a few policies, groups and assignments in memory.
type records struct {
	authoring.Records // what no test here asks for
	uowtest.Trail
	policies    map[string]store.Policy
	revisions   map[int]store.PolicyRevision
	assignments []store.Assignment
	groups      []store.Group
	directory   []store.DirectoryEntry
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
func (r *records) AddToGroup(string, []string) error                      { return nil }
func (r *records) LiveIDs(keys []string) ([]string, error)                { return keys, nil }
func (r *records) MarkGone([]string, time.Time) error                     { return nil }
func (r *records) RemoveDirectory([]string) error                         { return nil }
func (r *records) PutDirectory(e []store.DirectoryEntry) error            { r.directory = e; return nil }
func (r *records) DirectoryEntries() ([]store.DirectoryEntry, error)      { return r.directory, nil }
func (r *records) CountOutside(rights.Reach, []string) (int, error)       { return r.outside, nil }
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

func (r *records) AddGroup(g store.Group) error { r.groups = append(r.groups, g); return nil }

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

func room() (*authoring.Service, *records) {
	r := &records{policies: map[string]store.Policy{}, revisions: map[int]store.PolicyRevision{}}
	return authoring.New(
		authoring.Service{Room: uowtest.Room[authoring.Records](r, &r.Trail), Documents: &cache.Documents{}},
	), r
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

// Whoever may deploy on some devices must not widen that by an edit of groups.
func TestGroupsThatGiveReach(t *testing.T) {
	s, r := room()
	add := func(who rights.Identity) error {
		_, err := s.AddGroup(t.Context(), who, authoring.NewGroup{Name: "north-pier", Devices: []string{"SKL-HQ-001"}})
		return err
	}
	r.outside = 1
	refused(t, add(operator([]string{"south-pier"}, rights.Deployer)), refusal.Forbidden, "out_of_reach")
	r.outside, r.reaching = 0, []string{"runa"}
	refused(t, add(operator(nil, rights.Deployer)), refusal.Forbidden, "group_gives_reach")
	assert.Empty(t, r.groups)
	assert.Len(t, r.Entries, 2, "both attempts are on the trail")
	require.NoError(t, add(operator(nil, rights.Owner)))
	_, err := s.AddGroup(t.Context(), operator(nil, rights.Owner), authoring.NewGroup{Name: "everything"})
	refused(t, err, refusal.Invalid, "")
}

const person = "dn: CN=%[1]s,DC=skerryline,DC=example\nobjectClass: user\nsAMAccountName: %[1]s\nuserPrincipalName: %[1]s@skerryline.example\nobjectSid: S-1-5-21-1-2-3-%[2]d\n\n"

// A reading that lacks people whom policies name waits until somebody says that it is right.
func TestAReadingThatLosesPeopleWaits(t *testing.T) {
	s, r := room()
	owner := operator(nil, rights.Owner)
	people := func(names ...string) (source []byte) {
		for i, name := range names {
			source = append(source, fmt.Sprintf(person, name, 1000+i)...)
		}
		return source
	}
	change, err := s.ImportDirectory(t.Context(), owner, people("runa", "egil"), true, false)
	require.NoError(t, err)
	assert.Equal(t, 2, change.Added)

	r.revisions[1] = store.PolicyRevision{Number: 1, Source: "format: rankwarden.policy/1\nname: lamps\nmembership:\n" +
		"  - {local_group: remote-desktop-users, mode: adjust, members: ['user:egil@skerryline.example']}\n"}
	r.assignments = []store.Assignment{{Name: "piers", PolicyID: "p", Revision: 1, Include: []string{"north-pier"}}}
	_, err = s.ImportDirectory(t.Context(), owner, people("runa"), true, false)
	refused(t, err, refusal.Conflict, "directory_loses")
	change, err = s.ImportDirectory(t.Context(), owner, people("runa"), true, true)
	require.NoError(t, err)
	assert.Equal(t, 1, change.Removed)
}
