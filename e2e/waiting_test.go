package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

// One list has everything that waits for somebody, with the command that goes on.
func TestEverythingThatWaitsIsInOneList(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.stop()
	s.config.Approvals.AddedAdministrators, s.config.SecondPersonOpens = true, true
	s.run()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.fleetOf(4, 2)

	s.change("lock-sooner", s.publishing("base", "passwords: {min_length: 8}\nlockout: {threshold: 5}"))
	s.rollOut("lock-sooner")
	_, err := s.owner.OpenWave(ctx, "lock-sooner", "the desk cannot wait")
	require.NoError(t, err)

	s.change("mechanics",
		api.ChangeEdit{Kind: "publish", Name: "mechanics", Document: document("mechanics", withMechanic)},
		api.ChangeEdit{Kind: "assign", Name: "mechanics",
			Assignment: &api.Aim{Policy: "mechanics", Include: []string{"first-wave"}, Rank: 300}})
	p, err := s.owner.PreviewChange(ctx, "mechanics")
	require.NoError(t, err)
	_, err = s.owner.ApplyChange(ctx, "mechanics", p.Digest)
	require.NoError(t, err)

	for _, statement := range []string{
		"update escrow_keys set asked = 'retired', asked_by = 'brita', asked_at = now() where number = 1",
		`insert into brakes (id, kind, object, state, request, fleet, devices, leaving, sums, asked_by, asked_at,
			decided_by, reason)
			values ('B1', 'facts', 'devices', 'waiting', '[]', 4, 3, 0, '[]', 'chartroom', now(), '', '')`,
	} {
		require.NoError(t, change(t, s.config.Database, statement))
	}
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	waits := map[string]api.Decision{}
	for _, d := range o.Decisions {
		waits[d.Kind] = d
	}
	assert.Equal(t, "mechanics", waits["change"].Object)
	assert.Contains(t, waits["change"].Detail, "asta asked for it to go out; a second person must approve it")
	assert.Equal(t, "wave 2 of lock-sooner is to open before its gate is passed", waits["wave"].Title)
	assert.Contains(t, waits["wave"].Detail, "the desk cannot wait")
	assert.Equal(t, "escrow key 1 is to become retired", waits["key"].Title)
	assert.Equal(t, 3, waits["brake"].Devices)
	assert.Equal(t, "B1", waits["brake"].Object)

	o, err = s.as("runa", "viewer", "first-wave").Overview(ctx)
	require.NoError(t, err)
	for _, d := range o.Decisions {
		assert.NotEqual(t, "key", d.Kind, "keys are for owners")
		assert.True(t, d.Kind != "brake" || d.Devices == 0, "nothing is counted that is out of reach")
	}
}
