package rights_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/rights"
)

func TestReachIsTheUnionOfWhatGivesTheRight(t *testing.T) {
	who := rights.Identity{
		OperatorID: "1",
		Grants: []rights.Grant{
			{Role: rights.Support, Groups: []string{"desks"}},
			{Role: rights.Deployer, Groups: []string{"ships", "desks"}},
		},
	}
	assert.Equal(t, rights.ReachOver("desks"), who.Reach(rights.Reveal))
	assert.Equal(t, rights.ReachOver("desks", "ships"), who.Reach(rights.Look))
	assert.Equal(t, rights.Reach{}, who.Reach(rights.Administer), "a right that nobody gave holds nowhere")
	assert.False(t, rights.Reach{}.Everywhere())
	everything := rights.Identity{Grants: []rights.Grant{{Role: rights.Viewer, Groups: []string{"everything"}}}}
	assert.True(t, everything.Reach(rights.Look).Everywhere())
	assert.True(t, rights.Identity{Grants: []rights.Grant{{Role: rights.Viewer}}}.Reach(rights.Look).Everywhere())
	assert.False(t, rights.Identity{}.May(rights.SignedIn))
	assert.True(t, rights.Identity{}.May(rights.Anybody))
}

func TestATokenIsNeverMoreThanEither(t *testing.T) {
	grant := func(role rights.Role, groups ...string) rights.Grant {
		return rights.Grant{Role: role, Groups: append([]string{}, groups...)}
	}
	for _, c := range []struct {
		says             string
		given, now, left []rights.Grant
	}{
		{"as it was given", []rights.Grant{grant(rights.Owner)}, []rights.Grant{grant(rights.Owner)},
			[]rights.Grant{grant(rights.Owner)}},
		{"the operator became more", []rights.Grant{grant(rights.Viewer)}, []rights.Grant{grant(rights.Owner)},
			[]rights.Grant{grant(rights.Viewer)}},
		{"the operator became less", []rights.Grant{grant(rights.Owner)}, []rights.Grant{grant(rights.Viewer)}, nil},
		{"the operator's reach shrank", []rights.Grant{grant(rights.Viewer)},
			[]rights.Grant{grant(rights.Viewer, "desks")}, []rights.Grant{grant(rights.Viewer, "desks")}},
		{"the operator's reach grew", []rights.Grant{grant(rights.Viewer, "desks")},
			[]rights.Grant{grant(rights.Viewer)}, []rights.Grant{grant(rights.Viewer, "desks")}},
		{"the operator's reach moved", []rights.Grant{grant(rights.Viewer, "desks", "ships")},
			[]rights.Grant{grant(rights.Viewer, "ships", "offices")}, []rights.Grant{grant(rights.Viewer, "ships")}},
		{"an owner is no support", []rights.Grant{grant(rights.Support)}, []rights.Grant{grant(rights.Owner)}, nil},
	} {
		assert.Equal(t, c.left, rights.Limited(c.given, c.now), c.says)
	}
	assert.Equal(
		t,
		[]rights.Grant{grant(rights.Viewer, "desks")},
		rights.Narrowed([]rights.Grant{grant(rights.Support, "desks")}, rights.Viewer),
	)
	assert.Empty(t, rights.Narrowed([]rights.Grant{grant(rights.Support, "desks")}, rights.Deployer))
}

// A right comes from a role; what nobody needs to be signed in for, everybody may.
func TestMay(t *testing.T) {
	nobody := rights.Identity{}
	assert.True(t, nobody.May(rights.Anybody))
	assert.False(t, nobody.May(rights.SignedIn))
	for role, may := range map[rights.Role][]rights.Right{
		rights.Viewer: {rights.Look}, rights.Requester: {rights.Look, rights.AskOwn},
		rights.Support:  {rights.Look, rights.Reveal, rights.Handle, rights.AskOwn, rights.Ask},
		rights.Author:   {rights.Look, rights.Draft},
		rights.Deployer: {rights.Look, rights.AskOwn, rights.Ask, rights.Deploy},
		rights.Auditor:  {rights.Look, rights.Trail},
		rights.Owner: {rights.Look, rights.Handle, rights.AskOwn, rights.Ask, rights.Draft, rights.Deploy, rights.Trail,
			rights.Administer},
	} {
		who := rights.Identity{OperatorID: "1", Grants: []rights.Grant{{Role: role, Groups: []string{"pier"}}}}
		assert.True(t, who.May(rights.SignedIn))
		for _, right := range []rights.Right{rights.Look, rights.Reveal, rights.Handle, rights.AskOwn, rights.Ask,
			rights.Draft,
			rights.Deploy, rights.Trail, rights.Administer} {
			assert.Equal(t, slices.Contains(may, right), who.May(right), "%s: %s", role, right)
			assert.Equal(t, slices.Contains(may, right), len(who.Reach(right).Groups()) > 0, "reach of %s: %s", role,
				right)
		}
	}
}

// An aim concerns nobody out of reach, whoever comes into its groups, when it includes only groups of the reach or
// stays within one.
func TestAimsThatAreKept(t *testing.T) {
	desks := rights.ReachOver("desks", "counters")
	for _, c := range []struct {
		include, within []string
		kept            bool
	}{
		{[]string{"desks"}, nil, true},
		{[]string{"desks", "counters"}, nil, true},
		{[]string{"desks", "offices"}, nil, false},
		{[]string{"everything"}, nil, false},
		{[]string{"everything"}, []string{"desks"}, true},
		{[]string{"offices"}, []string{"old", "counters"}, true},
		{[]string{"offices"}, []string{"old"}, false},
	} {
		assert.Equal(t, c.kept, desks.Keeps(c.include, c.within), "%v within %v", c.include, c.within)
		assert.True(t, rights.Everywhere.Keeps(c.include, c.within))
	}
	assert.False(t, rights.ReachOver().Keeps([]string{"desks"}, nil), "no reach keeps nothing")
}
