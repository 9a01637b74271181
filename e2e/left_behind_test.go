package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// An account that a policy let go of is listed and waits for a decision; it is disabled or removed by an order that was
// seen before, and never where a policy manages it or something runs as it.
func TestAccountsThatAreLeftBehindAreLetGo(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", mooring, 500, "everything")
	s.publish("crew", "accounts: [{key: crew, name: crew-1, local_groups: [administrators]}]", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	other := s.enrolled("SKL-TKT-002")
	crew := api.AccountOrder{Do: "disable", Account: "account:crew", Group: "everything", Files: "keep"}
	seen, err := s.owner.PreviewAccountOrder(ctx, crew)
	require.NoError(t, err)
	assert.Equal(t, []int{0, 2}, []int{seen.Devices, seen.Refused})
	assert.Equal(t, "a policy manages it", seen.Accounts[0].Refused)
	_, err = s.owner.OrderAccount(ctx, api.SeenAccountOrder{AccountOrder: crew, Digest: seen.Digest})
	problem(t, err, 409, "no device has an account account:crew that could be let go of")

	a, err := s.owner.Assignment(ctx, "crew")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(ctx, "crew", a.Version))
	s.cycle(d, "SKL-TKT-001")
	s.cycle(other, "SKL-TKT-002")
	left, err := s.owner.LeftBehind(ctx, "", client.Page{Limit: 1})
	require.NoError(t, err)
	require.Len(t, left.Items, 1)
	assert.NotEmpty(t, left.Next)
	assert.Equal(t, []any{"crew-1", "crew", true, true},
		[]any{left.Items[0].Name, left.Items[0].Key, left.Items[0].Enabled, left.Items[0].Privileged})
	assert.Contains(t, s.rankwarden("account", "left-behind"), "SKL-TKT-002")
	watch, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	assert.Contains(t, kindsOf(watch.Decisions), "left")

	seen, err = s.owner.PreviewAccountOrder(ctx, crew)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 0}, []int{seen.Devices, seen.Privileged, seen.Refused})
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "ticket-desks", Devices: []string{"SKL-TKT-009"}})
	require.NoError(t, err)
	support := s.as("sigrid", "support")
	_, err = support.PreviewAccountOrder(ctx, crew)
	problem(t, err, 403, "")
	_, err = s.as("dag", "deployer", "ticket-desks").PreviewAccountOrder(ctx, crew)
	problem(t, err, 403, "does not reach")
	_, err = support.SendOrder(ctx, api.NewOrder{Kind: "disable-account", Subject: "account:crew",
		Devices: []string{"SKL-TKT-001"}})
	problem(t, err, 422, "")

	// Something runs as it on one of them since it was looked at.
	other.Serve("service tide-sync", other.Find("crew-1"))
	s.cycle(other, "SKL-TKT-002")
	_, err = s.owner.OrderAccount(ctx, api.SeenAccountOrder{AccountOrder: crew, Digest: seen.Digest})
	problem(t, err, 409, "not what you have seen any more")
	out := s.rankwarden("account", "disable", "account:crew", "--group", "everything", "--yes")
	assert.Contains(t, out, "Sent to 1 device")
	s.carried(d, "SKL-TKT-001", "disable-account done")
	assert.Equal(t, "disable-account done", s.became("SKL-TKT-001")[0])
	assert.Empty(t, s.became("SKL-TKT-002"))

	// The gate holds here as it does where a policy would do it.
	s.config.Approvals.RemovedAdministrators = 1
	s.restart()
	only := api.AccountOrder{Do: "remove", Account: "crew-1", Devices: []string{"SKL-TKT-001"}}
	seen, err = s.owner.PreviewAccountOrder(ctx, only)
	require.NoError(t, err)
	require.Len(t, seen.Needs, 1)
	_, err = s.owner.OrderAccount(ctx, api.SeenAccountOrder{AccountOrder: only, Digest: seen.Digest})
	problem(t, err, 403, "one person alone cannot order this")
	s.config.Approvals.RemovedAdministrators = 0
	s.restart()

	// The device asks itself again, whatever the service thought.
	local := api.AccountOrder{Do: "remove", Account: "crew-1", Devices: []string{"SKL-TKT-001"}, Files: "move"}
	seen, err = s.owner.PreviewAccountOrder(ctx, local)
	require.NoError(t, err)
	_, err = s.owner.OrderAccount(ctx, api.SeenAccountOrder{AccountOrder: local, Digest: seen.Digest})
	require.NoError(t, err)
	s.carried(d, "SKL-TKT-001", "remove-account failed")
	local.Files = "keep"
	seen, err = s.owner.PreviewAccountOrder(ctx, local)
	require.NoError(t, err)
	_, err = s.owner.OrderAccount(ctx, api.SeenAccountOrder{AccountOrder: local, Digest: seen.Digest})
	require.NoError(t, err)
	s.carried(d, "SKL-TKT-001", "remove-account done")
	assert.Zero(t, d.Find("crew-1"))
}

func kindsOf(decisions []api.Decision) (kinds []string) {
	for _, d := range decisions {
		kinds = append(kinds, d.Kind)
	}
	return kinds
}

// What nobody named is told, first in a trial, then counted, and disabled when its grace is over.
func TestAccountsThatNobodyNamed(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	d.AddAccount("eilif")
	d.AddAccount("svc-tide")
	s.cycle(d, "SKL-TKT-001")
	s.publish("others", "other_accounts: {state: disabled, grace: 2d, allow: ['svc-*']}", 500)
	_, err := s.owner.CreateAssignment(ctx, "others", api.Aim{Policy: "others", Include: []string{"everything"},
		Rank: 500, Stance: "trial"})
	require.NoError(t, err)
	s.cycle(d, "SKL-TKT-001")
	words := func() (list []string) {
		found, err := s.owner.Findings(ctx, client.FindingQuery{}, client.Page{})
		require.NoError(t, err)
		for _, f := range found.Items {
			list = append(list, f.Words)
		}
		return list
	}
	assert.Empty(t, words(), "a trial changes nothing")
	trial := unitWhy(s, "SKL-TKT-001", "accounts.others").Trial
	require.NotNil(t, trial)
	require.Len(t, trial.Effects, 1)
	assert.Equal(t, "eilif, which no policy names, is disabled when its grace is over", trial.Effects[0].Words)

	a, err := s.owner.Assignment(ctx, "others")
	require.NoError(t, err)
	_, err = s.owner.EditAssignment(ctx, "others", api.Aim{Policy: "others", Include: []string{"everything"}, Rank: 500,
		Stance: "enforce"}, a.Version)
	require.NoError(t, err)
	s.cycle(d, "SKL-TKT-001")
	require.Len(t, words(), 1)
	assert.Contains(t, words()[0], "no policy names eilif; it will be disabled on")
	assert.Equal(t, "in_step", s.why("SKL-TKT-001").Device.Standing, "it is only told")
	assert.False(t, unitWhy(s, "SKL-TKT-001", "accounts.others").Findings[0].Drifts)
	require.Len(t, s.events(client.EventQuery{Kind: "account_counts"}), 1)

	s.later(25 * time.Hour)
	s.cycle(d, "SKL-TKT-001")
	assert.Len(t, s.events(client.EventQuery{Kind: "account_counts"}), 2, "a day before it is told again")
	s.later(24 * time.Hour)
	s.cycle(d, "SKL-TKT-001")
	assert.Contains(t, s.events(client.EventQuery{Kind: "account_disabled"})[0].Words,
		"the account eilif, which no policy names, was disabled")
	assert.Empty(t, words())
	names, err := s.owner.AccountDevices(ctx, "eilif", client.Page{})
	require.NoError(t, err)
	assert.False(t, names.Items[0].Enabled)
}
