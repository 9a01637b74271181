package organisation_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// records are a few policies, groups and assignments in memory.
type records struct {
	organisation.Records // what no test here asks for
	uowtest.Trail
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
func (r *records) OperatorsReaching(string) ([]string, error)        { return r.reaching, nil }
func (r *records) Assignments() ([]store.Assignment, error)          { return r.assignments, nil }
func (r *records) AddToGroup(string, []string) error                 { return nil }
func (r *records) LiveIDs(keys []string) ([]string, error)           { return keys, nil }
func (r *records) MarkGone([]string, time.Time) error                { return nil }
func (r *records) RemoveDirectory([]string) error                    { return nil }
func (r *records) PutDirectory(e []store.DirectoryEntry) error       { r.directory = e; return nil }
func (r *records) DirectoryEntries() ([]store.DirectoryEntry, error) { return r.directory, nil }
func (r *records) CountOutside(rights.Reach, []string) (int, error)  { return r.outside, nil }

func (r *records) PolicyRevision(_ string, number int) (store.PolicyRevision, error) {
	p, known := r.revisions[number]
	if !known {
		return p, store.ErrNotFound
	}
	return p, nil
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

func room() (*organisation.Service, *records) {
	r := &records{revisions: map[int]store.PolicyRevision{}}
	return &organisation.Service{Room: uowtest.Room[organisation.Reads, organisation.Records](r, r, &r.Trail),
		Documents: cache.NewDocuments()}, r
}

func refused(t *testing.T, err error, kind refusal.Kind, code string) {
	t.Helper()
	var e *refusal.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, kind, e.Kind, e.Message)
	assert.Equal(t, code, e.Code, e.Message)
}

// Whoever may deploy on some devices must not widen that by an edit of groups.
func TestGroupsThatGiveReach(t *testing.T) {
	s, r := room()
	add := func(who rights.Identity) error {
		_, err := s.AddGroup(t.Context(), who, "north-pier", devicegroups.Spec{Devices: []string{"SKL-HQ-001"}})
		return err
	}
	r.outside = 1
	refused(t, add(operator([]string{"south-pier"}, rights.Deployer)), refusal.Forbidden, "out_of_reach")
	r.outside, r.reaching = 0, []string{"runa"}
	refused(t, add(operator(nil, rights.Deployer)), refusal.Forbidden, "group_gives_reach")
	assert.Empty(t, r.groups)
	assert.Len(t, r.Entries, 2, "both attempts are on the trail")
	require.NoError(t, add(operator(nil, rights.Owner)))
	_, err := s.AddGroup(t.Context(), operator(nil, rights.Owner), "everything", devicegroups.Spec{})
	refused(t, err, refusal.Invalid, "")
}

const person = "dn: CN=%[1]s,DC=skerryline,DC=example\nobjectClass: user\nsAMAccountName: %[1]s\nuserPrincipalName: " +
	"%[1]s@skerryline.example\nobjectSid: S-1-5-21-1-2-3-%[2]d\n\n"

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
