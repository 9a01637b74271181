package simulated_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/simulated"
)

func bench(t *testing.T, w *simulated.Workstation, c *clock) *hosttest.Bench {
	dir := t.TempDir()
	release, err := agent.Alone(dir)
	require.NoError(t, err)
	t.Cleanup(release)
	b := simulated.Bench(w, func() error { _, err := agent.Alone(dir); return err })
	b.Later = func(d time.Duration) error { c.at = c.at.Add(d); return nil }
	return b
}

func TestTheSimulatedWorkstationIsAHost(t *testing.T) {
	w, c := boot()
	before := w.Machine()
	b := bench(t, w, c)
	for _, check := range hosttest.Checks() {
		t.Run(check.Name, func(t *testing.T) { assert.NoError(t, check.Run(t.Context(), b)) })
	}
	after := w.Machine()
	assert.Equal(t, before.Accounts, after.Accounts, "nothing is left behind")
	assert.Equal(t, before.Groups, after.Groups)
	assert.Equal(t, before.Passwords, after.Passwords)
	assert.Equal(t, before.Lockout, after.Lockout)
}

// forgetful is a host that says it did what it did not.
type forgetful struct{ *simulated.Workstation }

func (forgetful) EnableAccount(context.Context, principal.SID, bool) error { return nil }

// A host that pretends is found out by the checks of what it pretends, and by no other.
func TestTheChecksFindAHostThatPretends(t *testing.T) {
	w, c := boot()
	b := bench(t, w, c)
	b.Host = forgetful{w}
	failed := map[string]bool{}
	for _, check := range hosttest.Checks() {
		failed[check.Name] = check.Run(t.Context(), b) != nil
	}
	assert.True(t, failed["enables and disables"])
	assert.False(t, failed["describes accounts, and leaves what it is not told"])
	assert.False(t, failed["takes all password rules together, or none"])
}
