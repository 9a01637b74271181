package preview_test

import (
	"bytes"
	"fmt"
	"runtime"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/change"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/scenario"
	"rankwarden.example/core/unit"
	"rankwarden.example/demo/largefleet"
)

// changed is the large organisation, before and after a change of a policy that meets every device, with a report of
// each.
func changed(b *testing.B) (before, after plan.Inputs, known preview.Fleet) {
	var source bytes.Buffer
	require.NoError(b, largefleet.Write(&source))
	s, err := scenario.Read(source.Bytes(), nil)
	require.NoError(b, err)
	doc, problems := policy.Parse([]byte(`
format: rankwarden.policy/1
name: everybody
membership: [{local_group: administrators, mode: exact, members: ["sid:S-1-5-21-1-2-3-1104", "account:keeper-1"]}]
passwords: {min_length: 20}
lockout: {threshold: 3}
`), nil)
	require.True(b, policy.Usable(problems), "%v", problems)
	everywhere := s.Assignments[len(s.Assignments)-1]
	everywhere.Name, everywhere.Policy, everywhere.Include, everywhere.Exclude, everywhere.Within = "everybody",
		doc.Name, []string{
			"everything",
		}, nil, nil
	everywhere.Rank, everywhere.Stance = 1, "enforce"
	edited, err := change.Apply(s.Inputs, []change.Step{
		{
			Kind:   change.Publish,
			Name:   doc.Name,
			Policy: doc,
		}, {Kind: change.Assign, Name: everywhere.Name, Assignment: &everywhere},
	})
	require.NoError(b, err)
	states := make([]*drift.State, len(s.Devices))
	for i := range states {
		states[i] = reported(i)
	}
	return s.Inputs, edited, func(device int) preview.Device { return preview.Device{State: states[device]} }
}

// reported is what a workstation of eight accounts and three local groups has.
func reported(device int) *drift.State {
	sid := func(id int) principal.SID { return principal.MustSID(fmt.Sprintf("S-1-5-21-7-8-%d-%d", device, id)) }
	state := &drift.State{
		Passwords: &drift.Passwords{MinLength: new(8 + device%8), History: new(24)},
		Lockout:   &unit.LockoutRule{Threshold: 5 + device%3, DurationMinutes: 15, WindowMinutes: 15},
	}
	var members []drift.Member
	for i, name := range []string{"quay-0", "visitor", "keeper-01", "crew-2", "crew-6", "old-2", "mechanic",
		"harbour"} {
		a := drift.Account{Name: name, SID: sid(1000 + i), Enabled: true}
		switch i {
		case 0:
			a.Builtin = "administrator"
		case 1:
			a.Builtin = "guest"
		case 2:
			a.Key = "keeper-1"
			state.Rotation = []drift.Rotation{
				{Target: principal.FromKey(a.Key), RotatedAt: time.Date(2031, 3, 1, 0, 0, 0, 0, time.UTC)},
			}
		}
		state.Accounts = append(state.Accounts, a)
		members = append(members, drift.Member{Name: name, SID: a.SID})
	}
	for _, group := range []string{"administrators", "users", "guests"} {
		state.LocalGroups = append(
			state.LocalGroups,
			drift.LocalGroup{LocalGroup: group, SID: drift.WellKnown(group), Members: slices.Clone(members)},
		)
	}
	return state
}

func atOnce(n int, do func(i int)) {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { do(i); return nil })
	}
	_ = running.Wait()
}

// BenchmarkPreviewOfAll goes from loaded inputs to the whole document, of a change that meets every device.
func BenchmarkPreviewOfAll(b *testing.B) {
	before, after, known := changed(b)
	affected := 0
	for b.Loop() {
		now := plan.Run(before, atOnce)
		affected = preview.Run(now, plan.RunAfter(now, after, atOnce), known, atOnce).Devices
	}
	b.ReportMetric(float64(affected), "affected")
}

// BenchmarkPreviewSums is the sums of the same alone.
func BenchmarkPreviewSums(b *testing.B) {
	before, after, known := changed(b)
	affected := 0
	for b.Loop() {
		now := plan.Run(before, atOnce)
		affected = preview.Count(now, plan.RunAfter(now, after, atOnce), known, atOnce).Devices
	}
	b.ReportMetric(float64(affected), "affected")
}

// BenchmarkPlans is what both spend on the two plans, before any device is looked at.
func BenchmarkPlans(b *testing.B) {
	before, after, _ := changed(b)
	for b.Loop() {
		now := plan.Run(before, fleet.Each(atOnce))
		preview.NewComparison(now, plan.RunAfter(now, after, fleet.Each(atOnce)))
	}
}
