package reconcile_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/reconcile"
)

func told(events []drift.Event) string {
	lines := make([]string, len(events))
	for i, e := range events {
		lines[i] = present.Event(e)
	}
	return strings.Join(lines, "\n")
}

// Every change is told in the order in which it was made, with before and after, and never a secret.
func TestEveryChangeIsAnEvent(t *testing.T) {
	w := workstation(t)
	w.AddAccount("old-hand")
	settings := asked(
		setting("accounts.desk", deskKeeper),
		only("account:desk", leads),
		setting("builtins.guest.description", `"Nobody"`),
		setting("builtins.administrator.name", `"quay-zero"`),
		setting("builtins.administrator.enabled", "true"),
		setting(
			"accounts.spare",
			`{"name": "setup", "formerly": [], "state": "absent", "full_name": "", "description": "", "password_expires": true}`,
		),
	)
	outcome, err := once(t, w, settings)
	require.NoError(t, err)
	assert.Equal(t, strings.TrimSpace(`
complexity: three classes of characters instead of any characters
maximum age: expires after 365 days instead of expires after 42 days
minimum age: may change after 100 days instead of may change at once
minimum length: 14 characters instead of 0 characters
lockout: after 3 wrong attempts within 15 min, locked for 15 min instead of after 10 wrong attempts within 10 min, locked for 10 min
the account old-hand was adopted: sessions ended, new password set
the details of the account old-hand were set
the account Administrator was enabled
built-in guest, description: Nobody instead of empty
managed desk was added to administrators
S-1-5-21-70-80-90-1402 was added to administrators
keeper was removed from administrators
setup was removed from administrators
the account old-hand was renamed to keeper-1234
the account setup was removed
the account Administrator was renamed to quay-zero`), told(outcome.Events))

	again, err := reconcile.Run(t.Context(), w, job(settings, outcome.Bindings))
	require.NoError(t, err)
	assert.Empty(t, again.Events, "nothing was changed, so nothing is told")

	// What was done before the power went is told too.
	w = workstation(t)
	w.CutAfter(1)
	outcome, err = once(t, w, []unit.Setting{
		setting("passwords.min_length", "9"),
		setting("lockout", `{"threshold": 3, "duration_minutes": 15, "window_minutes": 15}`),
	})
	require.Error(t, err)
	assert.Equal(t, "minimum length: 9 characters instead of 0 characters", told(outcome.Events))
}

// What a system kept before may be longer than any policy takes; the event of its change stays small enough to be
// stored.
func TestALongFormerTextIsShortened(t *testing.T) {
	w := workstation(t)
	long := strings.Repeat("x", 5000)
	require.NoError(t, w.DescribeAccount(t.Context(), w.Find("Guest"), unit.Details{Description: long}))
	outcome, err := once(t, w, []unit.Setting{setting("builtins.guest.description", `"Nobody"`)})
	require.NoError(t, err)
	require.Len(t, outcome.Events, 1)
	assert.Less(t, outcome.Events[0].Size(), 1500, "bytes")
	assert.Contains(t, told(outcome.Events), "description: Nobody instead of xxx")
}
