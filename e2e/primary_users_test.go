package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
)

const odd = "odd.kvale@skerryline.example"

// sidOf is the identifier of somebody of the directory.
func (s *service) sidOf(ref string) principal.SID {
	found, err := s.owner.Directory(s.t.Context(), ref, "", client.Page{})
	require.NoError(s.t, err)
	require.Len(s.t, found.Items, 1)
	return principal.MustSID(found.Items[0].SID)
}

// Rules ask for the groups of the directory that the primary user is in, who is set, or learned from sign-ins. What is
// learned goes through the brake, and decides neither reach nor exclusion.
func TestAimingByWhoUsesADevice(t *testing.T) {
	s := startTogether(t)
	s.stop()
	s.config.LearnPrimaryUsers = true
	s.run()
	ctx := t.Context()
	source := demoDirectory(t)
	_, err := s.owner.ImportDirectory(ctx, []byte(source), false, false)
	require.NoError(t, err)
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "support-desks",
		Rule: `"fleet support" in device.user_groups`})
	require.NoError(t, err)
	s.publish("base", "lockout: {threshold: 8}", 500, "everything")
	s.publish("desks", "lockout: {threshold: 5}", 400, "support-desks")
	learned, set := s.enrolled("SKL-WKS-001"), s.enrolled("SKL-WKS-002")
	user := odd
	require.NoError(t, s.owner.SetFacts(ctx, []api.Facts{{Device: "SKL-WKS-002", PrimaryUser: &user}}))
	s.cycle(set, "SKL-WKS-002")
	device := func(name string) api.Device {
		d, err := s.owner.Device(ctx, name)
		require.NoError(t, err)
		return d
	}
	assert.Contains(t, device("SKL-WKS-002").UserGroups, "fleet support", "through other groups, too")
	threshold := func(name string) string { return unitWhy(s, name, "lockout").Desired }
	assert.Contains(t, threshold("SKL-WKS-002"), "after 5")
	assert.Contains(t, threshold("SKL-WKS-001"), "after 8")

	// On three days somebody of the directory is there, and a local account on four.
	counter := learned.AddAccount("counter")
	require.NoError(t, learned.SetPassword(ctx, counter, "Quay-zero-7-is-long"))
	for day := range 4 {
		require.NoError(t, learned.SignIn("counter", "Quay-zero-7-is-long"))
		if day > 0 {
			learned.Arrive(s.sidOf("user:" + odd))
		}
		require.NoError(t, learned.Cycle(ctx))
		s.later(24 * time.Hour)
	}
	require.NoError(t, s.Changes.LearnUsers(ctx))
	s.cycle(learned, "SKL-WKS-001")
	d := device("SKL-WKS-001")
	assert.Equal(t, []any{odd, true}, []any{d.PrimaryUser, d.PrimaryUserLearned})
	assert.Contains(t, threshold("SKL-WKS-001"), "after 5")
	last, err := s.owner.Trail(ctx, client.TrailQuery{Action: "device.users_learned"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, last.Items, 1)

	// Nobody gets reach by it, and nobody is excluded.
	_, err = s.owner.CreateAssignment(ctx, "not", api.Aim{Policy: "desks", Include: []string{"everything"},
		Exclude: []string{"support-desks"}, Rank: 900})
	problem(t, err, 422, "reads device.user_groups, which a device says of itself")

	// What somebody sets stays.
	other := "asta.holm@skerryline.example"
	require.NoError(t, s.owner.SetFacts(ctx, []api.Facts{{Device: "SKL-WKS-001", PrimaryUser: &other}}))
	require.NoError(t, s.Changes.LearnUsers(ctx))
	d = device("SKL-WKS-001")
	assert.Equal(t, []any{other, false}, []any{d.PrimaryUser, d.PrimaryUserLearned})

	// Whoever leaves a group of the directory leaves the devices that it aims at.
	source = strings.ReplaceAll(source, "member: cn=Northwick Support,ou=groups,dc=skerryline,dc=example\n", "")
	_, err = s.owner.ImportDirectory(ctx, []byte(source), false, false)
	require.NoError(t, err)
	s.cycle(set, "SKL-WKS-002")
	assert.NotContains(t, device("SKL-WKS-002").UserGroups, "fleet support")
	assert.Contains(t, threshold("SKL-WKS-002"), "after 8")
}
