package devices_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// The inventory costs nothing while nothing changed, and what changed is written and nothing else.
func TestInventoriesAreWrittenWhenTheyChange(t *testing.T) {
	s, r := room()
	ctx := t.Context()
	sid := func(text string) principal.SID {
		found, err := principal.ParseSID("S-1-5-21-7-8-9-" + text)
		require.NoError(t, err)
		return found
	}
	keeper := drift.Account{Name: "keeper", SID: sid("1001"), Enabled: true}
	counter := drift.Account{Name: "counter", SID: sid("1002"), Enabled: true}
	seq := int64(0)
	take := func(accounts ...drift.Account) {
		t.Helper()
		seq++
		said := report(seq)
		said.State.Accounts = accounts
		require.NoError(t, s.TakeReport(ctx, "D1", 1, said, "digest"+string(rune('a'+seq))))
	}
	take(keeper)
	first := r.reported.Inventory
	require.NotNil(t, first)
	assert.Len(t, first.Accounts, 1)
	assert.Empty(t, first.Changes, "with the first one nothing came: it was there")
	assert.Zero(t, r.lookedUp)

	take(keeper)
	assert.Nil(t, r.reported.Inventory, "nothing changed")
	take()
	assert.Nil(t, r.reported.Inventory, "a report without accounts says nothing of them")
	assert.Zero(t, r.lookedUp, "and nothing was read")

	before := inventory.Of(drift.State{Accounts: []drift.Account{keeper}})
	seq++
	said := report(seq)
	said.State.Accounts = []drift.Account{keeper, counter}
	said.State.LocalGroups = []drift.LocalGroup{{LocalGroup: unit.GroupAdministrators,
		Members: []drift.Member{{Name: "counter", SID: counter.SID}}}}
	r.had = before
	require.NoError(t, s.TakeReport(ctx, "D1", 1, said, "with counter"))
	now := r.reported.Inventory
	require.NotNil(t, now)
	require.Len(t, now.Accounts, 1, "keeper is as it was")
	assert.Equal(t, "counter", now.Accounts[0].Name)
	assert.True(t, now.Accounts[0].Privileged)
	assert.Len(t, now.Members, 1)
	assert.Len(t, now.Changes, 2)
	assert.Equal(t, 1, r.lookedUp)

	seq++
	said = report(seq)
	said.State.Accounts = []drift.Account{keeper}
	r.had = inventory.Of(drift.State{Accounts: []drift.Account{keeper, counter},
		LocalGroups: []drift.LocalGroup{{LocalGroup: unit.GroupAdministrators,
			Members: []drift.Member{{Name: "counter", SID: counter.SID}}}}})
	require.NoError(t, s.TakeReport(ctx, "D1", 1, said, "without counter"))
	gone := r.reported.Inventory
	require.NotNil(t, gone)
	assert.Empty(t, gone.Accounts)
	require.Len(t, gone.GoneAccounts, 1)
	assert.Equal(t, "counter", gone.GoneAccounts[0].Name)
	assert.Len(t, gone.GoneMembers, 1)
}
