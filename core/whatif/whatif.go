// Package whatif says what would become of a fleet if facts of devices were others, if devices came, or if somebody
// left the directory. Nothing is altered by it.
package whatif

import (
	"slices"

	"rankwarden.example/core/arrival"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// With gives the inputs of a plan with other facts of devices, by index, and without people and groups of the
// directory. The inputs themselves stay as they are; groups by rule are worked out anew.
func With(in plan.Inputs, facts map[int]fleet.Facts, gone []principal.Ref) plan.Inputs {
	if len(facts) > 0 {
		in.Devices = slices.Clone(in.Devices)
		for i, f := range facts {
			in.Devices[i] = f
		}
	}
	table, is := in.Directory.(*principal.Table)
	if len(gone) == 0 || !is || table == nil {
		return in
	}
	var left []principal.Entry
	for _, e := range table.Entries() {
		if !slices.Contains(gone, e.Ref) {
			left = append(left, e)
		}
	}
	in.Directory = principal.NewTable(left)
	return in
}

// Arrive says what devices of some facts would be told. Of the groups of the inputs those by rule are worked out;
// nobody lists a device that is not there.
func Arrive(in plan.Inputs, arriving []fleet.Facts, each fleet.Each) []arrival.Arrival {
	groups := slices.Clone(in.Groups)
	for i := range groups {
		groups[i].Devices = nil
	}
	in.Devices, in.Groups, in.Known = arriving, groups, nil
	p := plan.Run(in, each)
	members := fleet.MembersOf(groups, arriving)
	var list []arrival.Arrival
	for _, scope := range p.Scopes {
		a := arrival.Arrival{Devices: []string{}, Groups: []string{}, Assignments: []string{}, Contested: []string{},
			Problems: scope.Enforced.Problems}
		for _, d := range scope.Devices {
			a.Devices = append(a.Devices, arriving[d].Name)
		}
		if len(scope.Devices) == 0 {
			continue
		}
		first := scope.Devices[0]
		for _, g := range groups {
			without := func(d int) bool { return members[g.Name].Of(d) != assign.Yes }
			if g.Rule != nil && !slices.ContainsFunc(scope.Devices, without) {
				a.Groups = append(a.Groups, g.Name)
			}
		}
		slices.Sort(a.Groups)
		for _, c := range p.Candidates(first) {
			if c.Outcome == assign.Included {
				a.Assignments = append(a.Assignments, c.Name)
			}
		}
		for _, u := range scope.Enforced.Units {
			if u.Verdict == resolve.Contested {
				a.Contested = append(a.Contested, u.Unit.String())
			}
		}
		settings := scope.Enforced.Settings()
		a.Settings, a.WayIn = len(settings), wayIn(settings)
		if a.Problems == nil {
			a.Problems = []resolve.Problem{}
		}
		list = append(list, a)
	}
	return list
}

// wayIn reports whether settings keep a way in for emergencies: an enabled account of the device itself that is an
// administrator, never expires, and has its password kept.
func wayIn(settings []unit.Setting) bool {
	values := map[unit.ID]unit.Value{}
	for _, s := range settings {
		values[s.Unit] = s.Value
	}
	kept := func(ref principal.Ref) bool { return values[unit.RotationOf(ref)] != nil }
	enabled, _ := values[unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)].(unit.Bool)
	if bool(enabled) && kept(principal.Administrator) {
		return true
	}
	members, _ := values[unit.Administrators].(unit.Members)
	return slices.ContainsFunc(members.Present, func(ref principal.Ref) bool {
		if ref.Kind() != principal.Account {
			return false
		}
		a, is := values[unit.AccountOf(ref.Value())].(unit.AccountValue)
		return is && a.State == unit.Enabled && a.ExpiresOn == "" && kept(ref)
	})
}

// Naming are the policies whose documents name somebody, sorted.
func Naming(policies map[string]*policy.Document, who principal.Ref) []string {
	names := []string{}
	for name, doc := range policies {
		if slices.Contains(doc.Principals(), who) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}
