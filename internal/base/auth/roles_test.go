package auth_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/base/auth"
)

func TestReachIsTheUnionOfWhatGivesTheRight(t *testing.T) {
	who := auth.Identity{
		OperatorID: "1",
		Grants: []auth.Grant{
			{Role: auth.Support, Groups: []string{"desks"}},
			{Role: auth.Deployer, Groups: []string{"ships", "desks"}},
		},
	}
	assert.Equal(t, auth.ReachOver("desks"), who.Reach(auth.RevealIt))
	assert.Equal(t, auth.ReachOver("desks", "ships"), who.Reach(auth.Look))
	assert.Equal(t, auth.Reach{}, who.Reach(auth.Administer), "a right that nobody gave holds nowhere")
	assert.False(t, auth.Reach{}.Everywhere())
	everything := auth.Identity{Grants: []auth.Grant{{Role: auth.Viewer, Groups: []string{"everything"}}}}
	assert.True(t, everything.Reach(auth.Look).Everywhere())
	assert.True(t, auth.Identity{Grants: []auth.Grant{{Role: auth.Viewer}}}.Reach(auth.Look).Everywhere())
	assert.False(t, auth.Identity{}.May(auth.SignedIn))
	assert.True(t, auth.Identity{}.May(auth.Anybody))
}

func TestATokenIsNeverMoreThanEither(t *testing.T) {
	grant := func(role auth.Role, groups ...string) auth.Grant {
		return auth.Grant{Role: role, Groups: append([]string{}, groups...)}
	}
	for _, c := range []struct {
		says             string
		given, now, left []auth.Grant
	}{
		{"as it was given", []auth.Grant{grant(auth.Owner)}, []auth.Grant{grant(auth.Owner)}, []auth.Grant{grant(auth.Owner)}},
		{"the operator became more", []auth.Grant{grant(auth.Viewer)}, []auth.Grant{grant(auth.Owner)}, []auth.Grant{grant(auth.Viewer)}},
		{"the operator became less", []auth.Grant{grant(auth.Owner)}, []auth.Grant{grant(auth.Viewer)}, nil},
		{"the operator's reach shrank", []auth.Grant{grant(auth.Viewer)}, []auth.Grant{grant(auth.Viewer, "desks")}, []auth.Grant{grant(auth.Viewer, "desks")}},
		{"the operator's reach grew", []auth.Grant{grant(auth.Viewer, "desks")}, []auth.Grant{grant(auth.Viewer)}, []auth.Grant{grant(auth.Viewer, "desks")}},
		{"the operator's reach moved", []auth.Grant{grant(auth.Viewer, "desks", "ships")}, []auth.Grant{grant(auth.Viewer, "ships", "offices")}, []auth.Grant{grant(auth.Viewer, "ships")}},
		{"an owner is no support", []auth.Grant{grant(auth.Support)}, []auth.Grant{grant(auth.Owner)}, nil},
	} {
		assert.Equal(t, c.left, auth.Limited(c.given, c.now), c.says)
	}
	assert.Equal(
		t,
		[]auth.Grant{grant(auth.Viewer, "desks")},
		auth.Narrowed([]auth.Grant{grant(auth.Support, "desks")}, auth.Viewer),
	)
	assert.Empty(t, auth.Narrowed([]auth.Grant{grant(auth.Support, "desks")}, auth.Deployer))
}
