package main

import (
	"fmt"
	"slices"

	"rankwarden.example/api"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/scenario"
	"rankwarden.example/core/whatif"
)

// whatIfOffline says what would become of the devices of a scenario. Who saw a password only a service knows.
func (a *app) whatIfOffline(file string, w api.WhatIf) error {
	s, err := readScenario(file)
	if err != nil {
		return err
	}
	moved, err := movedFacts(s, w.Facts)
	if err != nil {
		return unusable{fmt.Errorf("%s: %w", file, err)}
	}
	then := api.WhatThen{Arriving: []api.Arrival{}}
	var gone []principal.Ref
	if w.Leaving != "" {
		ref, err := principal.Parse(w.Leaving)
		if err != nil || ref.Kind() != principal.User {
			return unusable{fmt.Errorf("%q is nobody of the directory; write user:NAME@DOMAIN", w.Leaving)}
		}
		gone = append(gone, ref)
		then.Leaving = leavingOf(s, ref)
	}
	if len(moved)+len(gone) > 0 {
		p := s.WhatIf(moved, gone, atOnce)
		shown := api.Preview{Fleet: len(s.Devices), Devices: p.Devices}
		shown.Sums, shown.TakesAway = api.EffectSums(p.Sums)
		then.Moved = &shown
	}
	for _, x := range whatif.Arrive(s.Inputs, factsOf(w.Arriving), atOnce) {
		then.Arriving = append(then.Arriving, api.ArrivalOf(x))
	}
	return a.one(then, func() error { a.whatThen(then); return nil })
}

// movedFacts are the facts that devices of a scenario would have, by index.
func movedFacts(s *scenario.Scenario, edits []api.Facts) (map[int]fleet.Facts, error) {
	moved := map[int]fleet.Facts{}
	for _, e := range edits {
		i := slices.IndexFunc(s.Devices, func(d fleet.Facts) bool { return d.Name == e.Device })
		if i < 0 {
			return nil, fmt.Errorf("the scenario has no device %q", e.Device)
		}
		f := s.Devices[i]
		if e.Path != nil {
			f.Path = *e.Path
		}
		if e.Tags != nil {
			f.Tags = *e.Tags
		}
		if e.PrimaryUser != nil {
			f.PrimaryUser = *e.PrimaryUser
		}
		moved[i] = f
	}
	return moved, nil
}

// leavingOf says on which devices of a scenario somebody is in local groups that lead to administrators, by what was
// reported.
func leavingOf(s *scenario.Scenario, ref principal.Ref) *api.Leaving {
	l := &api.Leaving{Person: ref.String(), Operator: "", Access: []api.LocalMember{}, NoWayIn: []string{},
		Policies: whatif.Naming(s.Policies, ref), Passwords: []api.SeenPassword{}}
	if s.Directory == nil {
		return l
	}
	sid, known := s.Directory.SID(ref)
	if !known {
		return l
	}
	for i, d := range s.Devices {
		report := s.Reports[i]
		if report == nil {
			continue
		}
		for _, m := range whatif.Holds(&report.State, sid) {
			l.Access = append(l.Access, api.LocalMember{Device: d.Name, LocalGroup: m, Privileged: true,
				Name: ref.Value(), How: present.MemberHow(nil, "")})
		}
		if whatif.OnlyBy(&report.State, sid) {
			l.NoWayIn = append(l.NoWayIn, d.Name)
		}
	}
	devices := map[string]bool{}
	for _, m := range l.Access {
		devices[m.Device] = true
	}
	l.Devices = len(devices)
	return l
}
