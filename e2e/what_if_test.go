package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
)

// What would become of the fleet is said without altering it: devices that move, that come, and somebody who leaves.
func TestWhatIf(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	_, err := s.owner.ImportDirectory(ctx, []byte(demoDirectory(t)), false, false)
	require.NoError(t, err)
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "northern", Rule: `device.path.startsWith("north/")`})
	require.NoError(t, err)
	s.publish("base", strings.Replace(desk, "%THEN%", "end-sessions", 1), 500, "everything")
	s.publish("north", `lockout: {threshold: 3}
membership: [{local_group: administrators, mode: adjust, members: ["user:`+odd+`"]}]`, 400, "northern")
	d := s.enrolled("SKL-WKS-001")
	m := d.Machine()
	m.Directory = []principal.SID{s.sidOf("user:" + odd)}
	reboot(s, d, m)
	s.cycle(d, "SKL-WKS-001")

	move := api.WhatIf{Facts: []api.Facts{{Device: "SKL-WKS-001", Path: new("north/kirkness")}}}
	then, err := s.owner.WhatIf(ctx, move)
	require.NoError(t, err)
	require.NotNil(t, then.Moved)
	var words []string
	for _, sum := range then.Moved.Sums {
		words = append(words, sum.Words)
	}
	assert.Contains(t, strings.Join(words, "; "), odd+" joins administrators")
	_, err = s.as("dag", "viewer").WhatIf(ctx, move)
	problem(t, err, 403, "")
	device, err := s.owner.Device(ctx, "SKL-WKS-001")
	require.NoError(t, err)
	assert.Empty(t, device.Path, "nothing was altered")

	coming := filepath.Join(t.TempDir(), "coming.csv")
	require.NoError(t, os.WriteFile(coming,
		[]byte("device,path,platform\nNEW-1,north/desk,windows\nNEW-2,,linux\n"), 0o600))
	out := s.rankwarden("what-if", "--arrive", coming)
	assert.Contains(t, out, "1 device comes: NEW-1")
	assert.Contains(t, out, "Assignments: north, base")
	assert.Contains(t, out, "Groups by rule: northern")
	assert.Contains(t, out, "Nothing was altered")

	// Somebody leaves who is an administrator, and saw a password.
	require.NoError(t, s.owner.SetFacts(ctx, move.Facts))
	s.cycle(d, "SKL-WKS-001")
	_, err = s.as("odd.kvale", "support").Reveal(ctx, "SKL-WKS-001", api.RevealSpec{Reason: "ticket 4711: printer"})
	require.NoError(t, err)
	out = s.rankwarden("what-if", "--leaves", "user:"+odd)
	for _, part := range []string{"loses access to 1 device", "SKL-WKS-001  administrators, member",
		"Policies that name the person: north", "The operator odd.kvale saw 1 password that is still the right one",
		"rankwarden order send rotate --account account:mooring SKL-WKS-001"} {
		assert.Contains(t, out, part)
	}
	s.order("rotate", "account:mooring", "SKL-WKS-001")
	s.carried(d, "SKL-WKS-001", "rotate done")
	then, err = s.owner.WhatIf(ctx, api.WhatIf{Leaving: "user:" + odd})
	require.NoError(t, err)
	assert.Empty(t, then.Leaving.Passwords, "it is another one now")
	_, err = s.owner.WhatIf(ctx, api.WhatIf{Leaving: "group:nobody@skerryline.example"})
	problem(t, err, 422, "user:NAME@DOMAIN")
}
