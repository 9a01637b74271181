package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// Who could see a password of a device, and who could approve a change, are questions with an answer.
func TestWhoCould(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	for group, device := range map[string]string{"desks": "SKL-TKT-001", "offices": "SKL-HQ-001"} {
		_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: group, Devices: []string{device}})
		require.NoError(t, err)
		s.enrolled(device)
	}
	s.as("nightwatch", "support", "desks")
	s.as("elsewhere", "support", "offices")
	s.as("everywhere", "support")
	s.as("gone", "support")
	s.as("mooring", "deployer")
	s.as("bridge", "deployer", "desks")
	_, err := s.owner.EditOperator(ctx, "gone", client.OperatorChange{Disabled: new(true)})
	require.NoError(t, err)
	people := func(device, right string) map[string][]string {
		found := map[string][]string{}
		items, err := client.All(0, func(p client.Page) (client.List[api.DevicePerson], error) {
			p.Limit = 2
			return s.owner.DevicePeople(ctx, device, right, p)
		})
		require.NoError(t, err)
		for _, p := range items {
			found[p.Name] = p.Rights
		}
		return found
	}
	readers := people("skl-tkt-001", "reveal")
	assert.Equal(t, map[string][]string{
		"nightwatch": {"look", "reveal", "handle", "ask"}, "everywhere": {"look", "reveal", "handle", "ask"},
	}, readers)
	all := people("SKL-TKT-001", "")
	assert.NotContains(t, all, "elsewhere")
	assert.NotContains(t, all, "gone")
	assert.Contains(t, all["asta"], "administer")
	_, err = s.owner.DevicePeople(ctx, "SKL-XXX-001", "", client.Page{})
	problem(t, err, 404, "SKL-XXX-001")

	s.stop()
	s.config.Approvals.AddedAdministrators = true
	s.run()
	_, err = s.owner.SignIn(ctx, "asta", ownerPassword)
	require.NoError(t, err)
	s.change("mechanics",
		api.ChangeEdit{Kind: "publish", Name: "mechanics", Document: document("mechanics", withMechanic)},
		api.ChangeEdit{Kind: "assign", Name: "mechanics",
			Assignment: &api.Aim{Policy: "mechanics", Include: []string{"desks"}, Rank: 300}})
	_, err = s.owner.Approvers(ctx, "mechanics", client.Page{})
	problem(t, err, 409, "waits for nobody")
	p, err := s.owner.PreviewChange(ctx, "mechanics")
	require.NoError(t, err)
	c, err := s.owner.ApplyChange(ctx, "mechanics", p.Digest)
	require.NoError(t, err)
	require.Equal(t, "waiting", c.State)
	list, err := s.owner.Approvers(ctx, "mechanics", client.Page{})
	require.NoError(t, err)
	assert.Equal(t, []api.Approver{{Name: "mooring"}}, list.Items, "asta wrote it; bridge does not reach whoever comes")
}
