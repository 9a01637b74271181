package reconcile_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

var now = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)

const (
	domain = "S-1-5-21-7-8-9"
	leads  = "sid:S-1-5-21-70-80-90-1402"
)

// workstation has the local administrators keeper and setup, and a mechanic.
func workstation(t *testing.T) *simulated.Workstation {
	m := simulated.Factory(protocol.Facts{Name: "SKL-WKS-001", Platform: "windows"}, principal.MustSID(domain), now)
	m.Directory = []principal.SID{principal.MustParse(leads).SID()}
	w := simulated.Boot(m, func() time.Time { return now })
	for _, name := range []string{"keeper", "setup", "mechanic"} {
		w.AddAccount(name)
	}
	require.NoError(t, w.Join("administrators", "keeper"))
	require.NoError(t, w.Join("administrators", "setup"))
	return w
}

// once does one pass without anything bound; digits are drawn in order.
func once(t *testing.T, h host.Host, settings []unit.Setting) (reconcile.Outcome, error) {
	return reconcile.Run(t.Context(), h, job(settings, nil))
}

func job(settings []unit.Setting, bindings reconcile.Bindings) reconcile.Job {
	slices.SortFunc(settings, func(a, b unit.Setting) int { return a.Unit.Compare(b.Unit) })
	next := 0
	escrowed := map[principal.SID]bool{} // as if every password were in escrow
	for id := range 100 {
		escrowed[principal.MustSID(fmt.Sprintf("%s-%d", domain, 1001+id))] = true
	}
	return reconcile.Job{
		DesiredContent: protocol.DesiredContent{Settings: settings},
		Bindings:       bindings,
		Escrowed:       escrowed,
		Random:         func(n int) int { next++; return next % n },
	}
}

func only(members ...string) unit.Setting {
	refs := []principal.Ref{principal.Administrator}
	for _, m := range members {
		refs = append(refs, principal.MustParse(m))
	}
	return unit.Setting{Unit: unit.Administrators, Value: unit.Members{Closed: true, Present: refs}}
}

func asked(extra ...unit.Setting) []unit.Setting {
	return append(
		extra,
		unit.Setting{Unit: unit.MinLength, Value: unit.Int(14)},
		unit.Setting{Unit: unit.MaxAgeDays, Value: unit.Int(365)},
		unit.Setting{Unit: unit.MinAgeDays, Value: unit.Int(100)},
		unit.Setting{Unit: unit.Complexity, Value: unit.Bool(true)},
		unit.Setting{
			Unit:  unit.Lockout,
			Value: unit.LockoutValue{Threshold: 3, DurationMinutes: 15, WindowMinutes: 15},
		},
	)
}

// recorder writes down what is done to a host, in order.
type recorder struct {
	host.Host
	did []string
}

func (r *recorder) SetPasswords(ctx context.Context, rules drift.Passwords) error {
	r.did = append(r.did, "rules")
	return r.Host.SetPasswords(ctx, rules)
}

func (r *recorder) SetLockout(ctx context.Context, rule unit.LockoutRule) error {
	r.did = append(r.did, "lockout")
	return r.Host.SetLockout(ctx, rule)
}

func (r *recorder) AddMember(ctx context.Context, group, member principal.SID) error {
	r.did = append(r.did, "in")
	return r.Host.AddMember(ctx, group, member)
}

func (r *recorder) RemoveMember(ctx context.Context, group, member principal.SID) error {
	r.did = append(r.did, "out")
	return r.Host.RemoveMember(ctx, group, member)
}

func (r *recorder) CreateAccount(ctx context.Context, name string) (principal.SID, error) {
	r.did = append(r.did, "create")
	return r.Host.CreateAccount(ctx, name)
}

func (r *recorder) SetPassword(ctx context.Context, sid principal.SID, password string) error {
	r.did = append(r.did, "password")
	return r.Host.SetPassword(ctx, sid, password)
}

func (r *recorder) EnableAccount(ctx context.Context, sid principal.SID, enabled bool) error {
	r.did = append(r.did, "enable")
	return r.Host.EnableAccount(ctx, sid, enabled)
}

func (r *recorder) DescribeAccount(ctx context.Context, sid principal.SID, details unit.Details) error {
	r.did = append(r.did, "describe")
	return r.Host.DescribeAccount(ctx, sid, details)
}

func (r *recorder) Read(ctx context.Context) (drift.State, error) {
	r.did = append(r.did, "read")
	return r.Host.Read(ctx)
}

func TestSafeOrderAndNothingTwice(t *testing.T) {
	r := &recorder{Host: workstation(t)}
	settings := asked(only("local:mechanic", leads))
	outcome, err := once(t, r, settings)
	require.NoError(t, err)
	assert.Equal(
		t,
		"read rules read lockout read in in read out read out read read",
		strings.Join(r.did, " "),
		"members in, read back, and only then members out",
	)
	assert.Empty(t, drift.Check(settings, &outcome.After, outcome.Failures, drift.Context{}))
	assert.NotEmpty(t, drift.Check(settings, &outcome.Before, nil, drift.Context{}), "what was found is told too")

	r.did = nil
	again, err := once(t, r, settings)
	require.NoError(t, err)
	assert.NotContains(t, r.did, "rules", "what is as asked is left alone")
	assert.Equal(t, outcome.After, again.After)
}

func TestGuardKeepsAUsableAdministrator(t *testing.T) {
	w := workstation(t)
	outcome, err := once(t, w, []unit.Setting{only(leads)})
	require.NoError(t, err)
	require.Len(t, outcome.Failures, 1, "one of the two local administrators must stay")
	assert.Equal(t, "would leave no usable administrator", outcome.Failures[0].Error)
	assert.Equal(t, 1, localAdministrators(t, w))

	// A password that nobody can look up opens nothing.
	nothing := job([]unit.Setting{only("local:keeper")}, nil)
	delete(nothing.Escrowed, w.Find("keeper"))
	outcome, err = reconcile.Run(t.Context(), workstation(t), nothing)
	require.NoError(t, err)
	require.Len(t, outcome.Failures, 1)
	assert.Equal(t, "local:setup", outcome.Failures[0].Principal)

	// A disabled account is not usable, and neither is one that is locked.
	w = workstation(t)
	require.NoError(t, w.EnableAccount(t.Context(), w.Find("keeper"), false))
	outcome, err = once(t, w, []unit.Setting{only("local:keeper")})
	require.NoError(t, err)
	assert.Equal(t, "local:setup", outcome.Failures[0].Principal)

	w = workstation(t)
	for range 10 {
		require.Error(t, w.SignIn("keeper", "wrong"))
	}
	require.ErrorIs(t, w.SignIn("keeper", "wrong"), simulated.ErrLocked)
	outcome, err = once(t, w, []unit.Setting{only("local:keeper")})
	require.NoError(t, err)
	assert.Equal(t, "local:setup", outcome.Failures[0].Principal)
}

func localAdministrators(t *testing.T, w *simulated.Workstation) int {
	state, err := w.Read(t.Context())
	require.NoError(t, err)
	group, _ := state.Group("administrators")
	n := 0
	for _, a := range state.Accounts {
		if a.Enabled && group.Has(a.SID) {
			n++
		}
	}
	return n
}

// Whenever the power goes, a usable administrator remains, and the next pass ends where an
// undisturbed one would have.
func TestPowerCutAtEveryChange(t *testing.T) {
	settings := asked(only("local:mechanic", leads))
	undisturbed, err := once(t, workstation(t), settings)
	require.NoError(t, err)
	for changes := range 6 {
		w := workstation(t)
		w.CutAfter(changes)
		_, err := once(t, w, settings)
		require.ErrorIs(t, err, simulated.ErrCut, "after %d changes", changes)
		assert.Positive(t, localAdministrators(t, w))
		w.CutAfter(-1)
		outcome, err := once(t, w, settings)
		require.NoError(t, err)
		assert.Equal(t, undisturbed.After, outcome.After)
	}
}

func TestOneUnitsFailureStopsNoOther(t *testing.T) {
	m := workstation(t).Machine()
	m.Faults.DenyLockout = true
	m.Directory = nil
	w := simulated.Boot(m, func() time.Time { return now })
	settings := asked(only("local:keeper", leads))
	outcome, err := once(t, w, settings)
	require.NoError(t, err)
	var failed []string
	for _, f := range outcome.Failures {
		failed = append(failed, fmt.Sprintf("%s %s %s", f.Unit, f.Principal, f.Error))
	}
	slices.Sort(failed)
	assert.Equal(
		t,
		[]string{
			"lockout  access denied",
			"membership.administrators sid:S-1-5-21-70-80-90-1402 the device cannot resolve this identifier",
		},
		failed,
	)
	assert.Equal(t, 14, *outcome.After.Passwords.MinLength)

	m.Faults = simulated.Faults{NoLockout: true}
	outcome, err = once(t, simulated.Boot(m, w.Now), settings)
	require.NoError(t, err)
	assert.Equal(t, []unit.ID{unit.Lockout}, outcome.After.Unsupported)
}
