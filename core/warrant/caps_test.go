package warrant_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/warrant"
)

func TestCaps(t *testing.T) {
	caps, err := warrant.ReadCaps(8*time.Hour, []string{"support=2h", "owner=24h", "group:bridge=30m",
		"group:desks=3h"})
	require.NoError(t, err)
	assert.Equal(t, []string{"bridge", "desks"}, caps.Named())
	assert.Equal(t, "owner 1 day, support 2 hours, group bridge 30 min, group desks 3 hours", present.Caps(caps))
	for name, c := range map[string]struct {
		roles  []rights.Role
		groups []string
		most   time.Duration
		why    string
	}{
		"nothing of one's own":    {[]rights.Role{rights.Deployer}, nil, 8 * time.Hour, ""},
		"a role":                  {[]rights.Role{rights.Support}, nil, 2 * time.Hour, "for the role support"},
		"the longer of two roles": {[]rights.Role{rights.Support, rights.Deployer}, nil, 8 * time.Hour, ""},
		"longer than that of all": {[]rights.Role{rights.Owner}, nil, 24 * time.Hour, "for the role owner"},
		"a role that may not ask": {[]rights.Role{rights.Support, rights.Viewer}, nil, 2 * time.Hour, "for the " +
			"role support"},
		"the shortest of " +
			"groups": {[]rights.Role{rights.Owner}, []string{"desks", "bridge"}, 30 * time.Minute,
			"on devices of the " +
				"group bridge"},
		"a group that is longer": {[]rights.Role{rights.Support}, []string{"desks"}, 2 * time.Hour, "for the role " +
			"support"},
		"nobody in particular": {nil, []string{"tern"}, 8 * time.Hour, ""},
	} {
		most, why := caps.For(c.roles, c.groups)
		assert.Equal(t, c.most, most, name)
		assert.Equal(t, c.why, why, name)
	}
	for _, wrong := range []string{"support", "support=soon", "support=-2h", "viewer=2h", "group:=2h", "=2h"} {
		_, err := warrant.ReadCaps(time.Hour, []string{wrong})
		assert.ErrorContains(t, err, "bounds no warrant", wrong)
	}
	none, err := warrant.ReadCaps(time.Hour, nil)
	require.NoError(t, err)
	assert.Equal(t, "none", present.Caps(none))
}
