package scenario_test

import (
	"bytes"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"
	"time"

	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/scenario"
	"rankwarden.example/core/unit"
	"rankwarden.example/demo/largefleet"
)

// largeFleet reads the scenario of the large organisation.
func largeFleet(tb testing.TB) *scenario.Scenario { return fleetOf(tb, largefleet.Write) }

func fleetOf(tb testing.TB, write func(w io.Writer) error) *scenario.Scenario {
	var source bytes.Buffer
	if err := write(&source); err != nil {
		tb.Fatal(err)
	}
	s, err := scenario.Read(source.Bytes(), nil)
	if err != nil {
		tb.Fatal(err)
	}
	return s
}

// atOnce uses all processors, as the client does.
func atOnce(n int, do func(i int)) {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { do(i); return nil })
	}
	_ = running.Wait()
}

func largePolicy(tb testing.TB, p, revision int) *policy.Document {
	doc, problems := policy.Parse([]byte(largefleet.Policy(p, revision)), nil)
	if !policy.Usable(problems) {
		tb.Fatal(problems)
	}
	return doc
}

// BenchmarkSettleFleet goes from loaded inputs to the settled state of every device.
func BenchmarkSettleFleet(b *testing.B) { settleFleet(b, largeFleet(b)) }

// BenchmarkSettleHarderFleet is the same for a fleet with many more distinct sets and problems.
func BenchmarkSettleHarderFleet(b *testing.B) { settleFleet(b, fleetOf(b, largefleet.WriteHarder)) }

func settleFleet(b *testing.B, s *scenario.Scenario) {
	var settled *scenario.Result
	for b.Loop() {
		settled = s.Settle(atOnce)
	}
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	b.ReportMetric(float64(len(settled.Scopes)), "distinct-sets")
	b.ReportMetric(float64(memory.Sys)/(1<<20), "MiB")
	problems := 0
	for _, n := range settled.Count().Problems {
		problems += n
	}
	b.ReportMetric(float64(problems), "problems")
	b.ReportMetric(float64(settled.Count().Units)/largefleet.Devices, "units/device")
}

// BenchmarkOnePolicyChanged settles again what one changed policy touches.
func BenchmarkOnePolicyChanged(b *testing.B) {
	settled := largeFleet(b).Settle(fleet.InTurn)
	revision, touched := 0, 0
	for b.Loop() {
		revision++
		touched = settled.Rerun(largePolicy(b, 5, revision%2))
	}
	b.ReportMetric(float64(touched), "sets")
}

// BenchmarkDrift100k checks one report of each of 100,000 devices.
func BenchmarkDrift100k(b *testing.B) {
	settled := largeFleet(b).Settle(fleet.InTurn)
	now := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	state := largeReport(now)
	settings := make([][]unit.Setting, len(settled.Scopes))
	for i, r := range settled.Scopes {
		settings[i] = r.Enforced.Settings()
	}
	ctx := drift.Context{Directory: settled.Directory, Now: now}
	findings := 0
	for b.Loop() {
		findings = 0
		for i, scope := range settled.Scopes {
			for range scope.Devices {
				findings += len(drift.Check(settings[i], state, nil, ctx))
			}
		}
	}
	b.ReportMetric(float64(findings)/largefleet.Devices, "findings/device")
}

// largeReport is what a workstation of eight accounts and three local groups reports.
func largeReport(now time.Time) *drift.State {
	sid := func(id int) principal.SID { return principal.MustSID(fmt.Sprint("S-1-5-21-7-8-9-", id)) }
	state := &drift.State{
		Platform: "windows", OSBuild: 22631,
		Passwords: &drift.Passwords{
			MinLength:  new(14),
			History:    new(24),
			MaxAgeDays: new(90),
			MinAgeDays: new(1),
			Complexity: new(true),
		},
		Lockout: &unit.LockoutRule{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15},
	}
	var members []drift.Member
	for i, name := range strings.Fields("quay-0 quay-visitor keeper-01 crew-2 crew-6 old-2 mechanic harbour") {
		a := drift.Account{Name: name, SID: sid(1000 + i), Enabled: true}
		switch i {
		case 0:
			a.Builtin, a.Enabled = "administrator", false
		case 1:
			a.Builtin, a.Enabled = "guest", false
		case 2:
			a.Key = "keeper-1"
			state.Rotation = append(
				state.Rotation,
				drift.Rotation{Target: principal.FromKey(a.Key), RotatedAt: now.Add(-time.Hour)},
			)
		}
		state.Accounts = append(state.Accounts, a)
		members = append(members, drift.Member{Name: name, SID: a.SID})
	}
	for _, group := range []string{"administrators", "users", "guests"} {
		state.LocalGroups = append(
			state.LocalGroups,
			drift.LocalGroup{LocalGroup: group, SID: drift.WellKnown(group), Members: members},
		)
	}
	return state
}
