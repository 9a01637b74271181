package e2e

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/gate"
)

// Where the organisation says so a second person must approve, who is none of the authors; the approval holds for what
// they saw and nothing else.
func TestASecondPersonApprovesAChange(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Approvals = gate.Approvals{AddedAdministrators: true, RemovedAdministrators: 1, Everything: true}
	s.run()
	ctx := t.Context()
	s.enrolled("SKL-WKS-001")
	first, second, author := s.as("sigurd", "deployer"), s.as("ragna", "deployer"), s.as("dagny", "author")
	_, err := author.CreateChange(ctx, "close", "", "")
	require.NoError(t, err)
	for _, e := range []api.ChangeEdit{
		{Kind: "publish", Name: "closed", Document: closed("closed", outsider)},
		aimAt("closed", 100, 0, "everything"),
	} {
		_, err = author.AddEdit(ctx, "close", e)
		require.NoError(t, err)
	}
	// Whoever wrote what somebody else replaced is an author all the same.
	both := s.as("brita", "author")
	_, err = s.owner.EditOperator(ctx, "brita", client.OperatorChange{Roles: []api.Role{
		{Role: "author", Groups: []string{}}, {Role: "deployer", Groups: []string{}}}})
	require.NoError(t, err)
	_, err = both.SignIn(ctx, "brita", ownerPassword)
	require.NoError(t, err)
	_, err = both.AddEdit(ctx, "close", aimAt("closed", 101, 0, "everything"))
	require.NoError(t, err)
	_, err = author.AddEdit(ctx, "close", aimAt("closed", 100, 0, "everything"))
	require.NoError(t, err)
	p, err := first.PreviewChange(ctx, "close")
	require.NoError(t, err)
	assert.Equal(t, []string{
		"it adds to administrators: sid:S-1-5-21-1-2-3-1104",
		"members leave administrators on 1 or more devices",
		"the assignment closed is aimed at everything at once",
	}, p.Needs)
	_, err = second.DecideChange(ctx, "close", true, "", p.Digest)
	problem(t, err, http.StatusConflict, "nothing to approve")
	x, err := first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	assert.Equal(t, "waiting", x.State)
	_, err = first.DecideChange(ctx, "close", true, "", p.Digest)
	problem(t, err, http.StatusForbidden, "somebody else must approve it")
	_, err = both.DecideChange(ctx, "close", true, "", p.Digest)
	problem(t, err, http.StatusForbidden, "somebody else must approve it")
	_, err = second.DecideChange(ctx, "close", false, " ", "")
	problem(t, err, http.StatusUnprocessableEntity, "say why")
	x, err = second.DecideChange(ctx, "close", false, "too wide", "")
	require.NoError(t, err)
	assert.Equal(t, "draft", x.State)

	// An edit after the question, or after the approval, takes both back.
	_, err = first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	x, err = second.DecideChange(ctx, "close", true, "as agreed", p.Digest)
	require.NoError(t, err)
	assert.Equal(t, "approved", x.State)
	result, err := author.AddEdit(ctx, "close", aimAt("closed", 99, 0, "everything"))
	require.NoError(t, err)
	assert.Equal(t, "draft", result.Change.State)

	// So does another device that would lose somebody.
	p, err = first.PreviewChange(ctx, "close")
	require.NoError(t, err)
	_, err = first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	_, err = second.DecideChange(ctx, "close", true, "", p.Digest)
	require.NoError(t, err)
	s.enrolled("SKL-WKS-002")
	_, err = first.ApplyChange(ctx, "close", p.Digest)
	problem(t, err, http.StatusConflict, "no longer what you saw")
	p, err = first.PreviewChange(ctx, "close")
	require.NoError(t, err)
	x, err = first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	assert.Equal(t, "draft", x.State, "the approval lapsed")
	_, err = first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	x, err = second.DecideChange(ctx, "close", true, "", p.Digest)
	require.NoError(t, err)
	require.Equal(t, "approved", x.State)
	x, err = first.ApplyChange(ctx, "close", p.Digest)
	require.NoError(t, err)
	assert.Equal(t, "done", x.State)
}

// With reach over some groups one sees what a change does there, and lets out nothing that does more.
func TestAChangeRespectsReach(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "workshop", Devices: []string{"SKL-WKS-001"}})
	require.NoError(t, err)
	s.enrolled("SKL-WKS-001")
	s.enrolled("SKL-HQ-001")
	some := s.as("sigurd", "deployer", "workshop")
	_, err = s.owner.CreateChange(ctx, "longer", "", "")
	require.NoError(t, err)
	for _, e := range []api.ChangeEdit{
		{Kind: "publish", Name: "longer", Document: document("longer", "passwords: {min_length: 20}")},
		aimAt("longer", 100, 0, "everything"),
	} {
		_, err = s.owner.AddEdit(ctx, "longer", e)
		require.NoError(t, err)
	}
	p, err := some.PreviewChange(ctx, "longer")
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{p.Fleet, p.Devices})
	page, err := some.PreviewDevices(ctx, "longer", client.Page{})
	require.NoError(t, err)
	require.Len(t, page.Items, 1)
	assert.Equal(t, "SKL-WKS-001", page.Items[0].Device)
	_, err = some.ApplyChange(ctx, "longer", p.Digest)
	problem(t, err, http.StatusForbidden, "does not reach")
	_, err = some.StartRollout(ctx, api.StartRollout{Change: "longer", Digest: p.Digest})
	problem(t, err, http.StatusForbidden, "does not reach")
	_, err = s.owner.Policy(ctx, "longer")
	problem(t, err, http.StatusNotFound, "longer")
	result, err := s.owner.AddEdit(ctx, "longer", api.ChangeEdit{Kind: "assign", Name: "longer", Assignment: &api.Aim{
		Policy: "longer", Include: []string{"everything"}, Within: []string{"workshop"}, Rank: 100}})
	require.NoError(t, err)
	assert.Len(t, result.Change.Edits, 2)
	p, err = some.PreviewChange(ctx, "longer")
	require.NoError(t, err)
	_, err = some.ApplyChange(ctx, "longer", p.Digest)
	require.NoError(t, err)
}
