package e2e

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/internal/store"
)

// Whoever changes several devices at once waits for the first of them before it takes the next, as
// settling does, whatever order they are named in: else two could wait for each other for ever.
func TestManyDevicesAreLockedInOneOrder(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	token := s.enrolmentToken(2)
	names := []string{"SKL-TKT-001", "SKL-TKT-002"}
	for _, name := range names {
		require.NoError(t, s.device(name, token).Cycle(ctx))
	}
	s.settled()
	first, last := s.why(names[0]).Device.ID, s.why(names[1]).Device.ID
	require.Less(t, first, last)
	slices.Reverse(names)
	// Now the first stands behind the last in the table, where a plain update comes to it later.
	require.NoError(t, change(t, s.config.Database, "update devices set changed_at = now() where id = '"+first+"'"))

	for what, do := range map[string]func() error{
		"orders": func() error {
			_, err := s.owner.SendOrder(ctx, api.NewOrder{Kind: "check-in", Devices: names})
			return err
		},
		"facts": func() error {
			return s.owner.SetFacts(ctx, []api.Facts{{Device: names[0], Path: new("a")},
				{Device: names[1], Path: new("b")}})
		},
	} {
		t.Run(what, func(t *testing.T) {
			done := make(chan error, 1)
			require.NoError(t, s.db.InTx(ctx, func(tx store.Writer) error {
				_, err := tx.LockDevice(first)
				require.NoError(t, err)
				go func() { done <- do() }()
				require.Eventually(t, func() bool {
					waiting, err := query[bool](
						t,
						s.config.Database,
						"select exists (select 1 from pg_stat_activity where datname = current_database() "+
							"and wait_event_type = 'Lock')",
					)
					return assert.NoError(t, err) && waiting
				}, patience, 5*time.Millisecond)
				_, err = tx.LockDevice(last)
				return err
			}))
			require.NoError(t, <-done)
		})
	}
}
