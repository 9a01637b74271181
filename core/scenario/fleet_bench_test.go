package scenario_test

import (
	"fmt"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/scenario"
)

const (
	fleetDevices     = 100_000
	fleetPolicies    = 200
	fleetAssignments = 400
	fleetListed      = 250
	fleetRules       = 50
)

// largeFleet is an organisation of 100,000 devices: 200 policies of all kinds of unit, 400
// assignments and 300 groups, 50 of them by rule. A device is in a place, of a kind, and now and then
// in a small group of its own; the same numbers always give the same organisation.
func largeFleet(tb testing.TB) *scenario.Scenario {
	r := rand.New(rand.NewPCG(1, 2))
	s := &scenario.Scenario{Directory: principal.NewTable(nil), Reports: map[int]*drift.Report{}}
	builds := []int{19045, 22000, 22621, 22631, 26100}
	for i := range fleetDevices {
		s.Devices = append(s.Devices, fleet.Facts{
			Name: fmt.Sprintf("SKL-%06d", i), Platform: "windows", OSVersion: "10.0", OSBuild: builds[i*7919%5],
			Model: fmt.Sprint("Quay ", i%20), Path: fmt.Sprintf("area-%d/place-%d", i%10, i%100), Tags: []string{fmt.Sprint("kind-", i%8)},
		})
	}
	for g := range fleetListed {
		group := fleet.Group{Name: fmt.Sprintf("listed-%d", g)}
		switch {
		case g < 100: // places
			for d := g; d < fleetDevices; d += 100 {
				group.Devices = append(group.Devices, d)
			}
		case g < 200: // kinds within the organisation
			for d := g - 100; d < fleetDevices; d += 100 * (1 + g%3) {
				group.Devices = append(group.Devices, d)
			}
		default: // a few devices each, drawn from anywhere
			for range 300 {
				group.Devices = append(group.Devices, r.IntN(fleetDevices))
			}
		}
		s.Groups = append(s.Groups, group)
	}
	for g := range fleetRules {
		rule, err := fleet.ParseRule([]string{
			fmt.Sprintf(`device.os_build >= %d`, builds[g%5]),
			fmt.Sprintf(`"kind-%d" in device.tags && device.os_build < %d`, g%8, builds[g%5]),
			fmt.Sprintf(`device.path.startsWith("area-%d/")`, g%10),
			fmt.Sprintf(`device.model == "Quay %d" || device.os_version.startsWith("11.")`, g%20),
			fmt.Sprintf(`device.name.endsWith("%02d")`, g),
		}[g%5])
		if err != nil {
			tb.Fatal(err)
		}
		s.Groups = append(s.Groups, fleet.Group{Name: fmt.Sprintf("rule-%d", g), Rule: rule})
	}
	for p := range fleetPolicies {
		s.Policies = append(s.Policies, largePolicy(tb, p, 0))
	}
	for a := range fleetAssignments {
		scope := fleet.Assignment{Name: fmt.Sprintf("a%d", a), Rank: fleet.Rank(1 + a*23%9999), Stance: fleet.Enforce, Include: []string{s.Groups[a%len(s.Groups)].Name}}
		if a < 4 {
			scope.Include = []string{fleet.Everything}
		}
		if a%7 == 0 {
			scope.Exclude = []string{s.Groups[(a*3)%len(s.Groups)].Name}
		}
		if a%11 == 0 {
			scope.Within = []string{s.Groups[fleetListed+a%fleetRules].Name}
		}
		if a%40 == 0 {
			scope.Stance = fleet.Trial
		}
		p := s.Policies[a%fleetPolicies]
		scope.Policy = p.Name
		s.Scopes = append(s.Scopes, scope)
		s.Assignments = append(s.Assignments, resolve.Assignment{Name: scope.Name, Rank: scope.Rank, Stance: scope.Stance, Policy: p})
	}
	return s
}

func largePolicy(tb testing.TB, p, revision int) *resolve.Policy {
	key := fmt.Sprintf("keeper-%d", p%12)
	body := fmt.Sprintf("format: rankwarden.policy/1\nname: p%d\n", p) + []string{
		fmt.Sprintf("passwords: {min_length: %d, history: %d, complexity: true}\nlockout: {threshold: %d}", 8+p%10+revision, p%24, 3+p%7),
		fmt.Sprintf("accounts: [{key: %s, name: %[1]s-##, local_groups: [administrators]}]\nrotation: [{target: account:%[1]s, every: %[2]dd}]", key, 7+p%20+revision),
		fmt.Sprintf("membership: [{local_group: administrators, mode: adjust, members: [local:crew-%d, account:%s], remove: [local:old-%d]}]", p, key, p+revision),
		fmt.Sprintf("builtins: {administrator: {name: quay-%d, enabled: false}, guest: {enabled: false}}\npasswords: {max_age_days: %d}", p%3, 90+p+revision),
	}[p%4]
	doc, problems := policy.Parse([]byte(body), nil)
	if !policy.Usable(problems) {
		tb.Fatal(body, problems)
	}
	return resolve.Claims(doc.Normalise(nil))
}

// BenchmarkSettleFleet goes from loaded inputs to the settled state of every device.
func BenchmarkSettleFleet(b *testing.B) {
	s := largeFleet(b)
	var settled *scenario.Settled
	for b.Loop() {
		settled = s.Settle()
	}
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	b.ReportMetric(float64(len(settled.Scopes)), "distinct-sets")
	b.ReportMetric(float64(memory.Sys)/(1<<20), "MiB")
	b.ReportMetric(float64(settled.Count().Units)/fleetDevices, "units/device")
}

// BenchmarkOnePolicyChanged settles anew what one changed policy touches.
func BenchmarkOnePolicyChanged(b *testing.B) {
	settled := largeFleet(b).Settle()
	revision, touched := 0, 0
	for b.Loop() {
		revision++
		touched = settled.Repeal(largePolicy(b, 5, revision%2))
	}
	b.ReportMetric(float64(touched), "sets")
}

// BenchmarkDrift100k checks one report of each of 100,000 devices.
func BenchmarkDrift100k(b *testing.B) {
	settled := largeFleet(b).Settle()
	now := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	state := largeReport(now)
	settings := make([][]resolve.Setting, len(settled.Results))
	for i, r := range settled.Results {
		settings[i] = r.Enforced.Settings()
	}
	ctx := drift.Context{Directory: settled.Directory, Now: now, Rotations: true}
	findings := 0
	for b.Loop() {
		findings = 0
		for i, scope := range settled.Scopes {
			for range scope.Devices {
				findings += len(drift.Check(settings[i], state, nil, ctx))
			}
		}
	}
	b.ReportMetric(float64(findings)/fleetDevices, "findings/device")
}

// largeReport is what a workstation of eight accounts and three local groups reports.
func largeReport(now time.Time) *drift.State {
	sid := func(id int) principal.SID { return principal.MustSID(fmt.Sprint("S-1-5-21-7-8-9-", id)) }
	state := &drift.State{
		Platform: "windows", OSBuild: 22631,
		Passwords: &drift.Passwords{MinLength: new(14), History: new(24), MaxAgeDays: new(90), MinAgeDays: new(1), Complexity: new(true)},
		Lockout:   &policy.LockoutRule{Threshold: 5, DurationMinutes: 15, WindowMinutes: 15},
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
			state.Rotation = append(state.Rotation, drift.Rotated{Target: principal.FromKey(a.Key), RotatedAt: now.Add(-time.Hour)})
		}
		state.Accounts = append(state.Accounts, a)
		members = append(members, drift.Member{Name: name, SID: a.SID})
	}
	for _, group := range []string{"administrators", "users", "guests"} {
		state.LocalGroups = append(state.LocalGroups, drift.LocalGroup{LocalGroup: group, SID: drift.WellKnown(group), Members: members})
	}
	return state
}
