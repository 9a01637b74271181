package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// A device that is retired leaves the fleet with a reason; its passwords stay findable until a day, and are changed
// when it comes back. A signed sheet says what it was.
func TestTheEndOfADevice(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "end-sessions", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.until(func() bool { require.NoError(t, d.Cycle(ctx)); return len(s.deposits("SKL-TKT-001")) == 1 })
	_, err := s.as("sigrid", "support").Reveal(ctx, "SKL-TKT-001",
		api.RevealSpec{Reason: "ticket 4711: printer driver"})
	require.NoError(t, err)

	err = s.owner.RetireDevice(ctx, "SKL-TKT-001", api.Retirement{Because: "broken"})
	problem(t, err, 422, "lost, sold, reinstalled, repair")
	problem(t, s.owner.RetireDevice(ctx, "SKL-TKT-001", api.Retirement{Because: "sold",
		PasswordsUntil: new(s.clock.now().Add(-time.Hour))}), 422, "five years")
	problem(t, s.as("dag", "deployer").RetireDevice(ctx, "SKL-TKT-001", api.Retirement{Because: "sold"}), 403, "")
	out := s.rankwarden("device", "retire", "SKL-TKT-001", "--because", "repair", "--note", "ticket 4711")
	assert.Contains(t, out, "Retired SKL-TKT-001")
	retired, err := s.owner.Devices(ctx, client.DeviceQuery{State: "retired"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, retired.Items, 1)
	assert.Equal(t, "repair ticket 4711 asta",
		retired.Items[0].Retired.Because+" "+retired.Items[0].Retired.Note+" "+retired.Items[0].Retired.By)
	require.ErrorContains(t, d.Cycle(ctx), "retired")

	kept, err := s.owner.Passwords(ctx, client.PasswordQuery{Retired: true, Search: "tkt-001"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, kept.Items, 1)
	now, err := s.owner.Passwords(ctx, client.PasswordQuery{}, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, now.Items)

	// The sheet is signed, and whoever alters it is found out.
	sheet := filepath.Join(t.TempDir(), "sheet.json")
	written := s.rankwarden("device", "handover", "SKL-TKT-001", "-o", "json")
	require.NoError(t, os.WriteFile(sheet, []byte(written), 0o600))
	said := s.rankwarden("device", "verify-handover", sheet, "--root", s.root())
	for _, part := range []string{"ticket 4711", "sigrid saw that of account:mooring", "The service signed 1 sheet"} {
		assert.Contains(t, said, part)
	}
	h, err := s.owner.Handover(ctx, "SKL-TKT-001")
	require.NoError(t, err)
	assert.NotContains(t, written, `"password":`)
	payload := strings.Split(h.Signed, ".")
	require.NoError(t, os.WriteFile(sheet, []byte(strings.Replace(written, payload[1][20:30], "AAAAAAAAAA", 1)), 0o600))
	_, err = s.tried("device", "verify-handover", sheet, "--root", s.root())
	require.Error(t, err)

	// It comes back, and what somebody may know of it is changed.
	assert.Contains(t, s.rankwarden("device", "return", "SKL-TKT-001"), "Took SKL-TKT-001 back")
	problem(t, s.owner.Decide(ctx, "SKL-TKT-001", "return"), 409, "not retired")
	s.until(func() bool { return d.Cycle(ctx) == nil && len(s.deposits("SKL-TKT-001")) == 2 })
	assert.Equal(t, "ordered", s.deposits("SKL-TKT-001")[0].Reason)

	// For good: what was kept goes on its day.
	require.NoError(t, s.owner.RetireDevice(ctx, "SKL-TKT-001", api.Retirement{Because: "lost"}))
	s.later(181 * 24 * time.Hour)
	s.pruned()
	assert.Empty(t, s.deposits("SKL-TKT-001"))
	kept, err = s.owner.Passwords(ctx, client.PasswordQuery{Retired: true}, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, kept.Items)

	// A sheet for each device of a group.
	s.enrolled("SKL-TKT-002")
	all, err := s.owner.Handovers(ctx, "everything", client.Page{})
	require.NoError(t, err)
	require.Len(t, all.Items, 1)
	assert.NotEmpty(t, all.Items[0].Signed)
}
