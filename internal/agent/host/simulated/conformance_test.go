package simulated_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/simulated"
)

func bench(w *simulated.Workstation, c *clock) *hosttest.Bench {
	return &hosttest.Bench{
		Host:   w,
		SignIn: func(_ context.Context, name, password string) error { return w.SignIn(name, password) },
		Later:  func(d time.Duration) { c.at = c.at.Add(d) },
	}
}

func TestTheSimulatedWorkstationIsAHost(t *testing.T) {
	w, c := boot()
	before := w.Machine()
	for _, check := range hosttest.Checks() {
		t.Run(check.Name, func(t *testing.T) { assert.NoError(t, check.Run(t.Context(), bench(w, c))) })
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
	b := bench(w, c)
	b.Host = forgetful{w}
	failed := map[string]bool{}
	for _, check := range hosttest.Checks() {
		failed[check.Name] = check.Run(t.Context(), b) != nil
	}
	assert.True(t, failed["enables and disables"])
	assert.False(t, failed["describes accounts, and leaves what it is not told"])
	assert.False(t, failed["takes all password rules together, or none"])
}
