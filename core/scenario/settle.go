package scenario

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Settled is a scenario with what every device is to have.
type Settled struct {
	*Scenario
	Members map[string]fleet.Members // of each group
	Scopes  []fleet.Scope            // devices that meet the same assignments
	Results []resolve.Resolution     // of each scope
	scopeOf []int                    // of each device
}

// Settle settles every device; each distinct set of assignments is settled once.
func (s *Scenario) Settle() *Settled { return s.SettleEach(fleet.InTurn) }

// parts is how many shares the scopes are settled in; each has a settler of its own.
const parts = 4

// SettleEach is [Scenario.Settle], with what is independent done as each does.
func (s *Scenario) SettleEach(each fleet.Each) *Settled {
	members := fleet.MembersOfEach(s.Groups, s.Devices, each)
	scopes := fleet.Scopes(len(s.Devices), members, s.Scopes)
	settled := &Settled{s, members, scopes, make([]resolve.Resolution, len(scopes)), make([]int, len(s.Devices))}
	shares := min(parts, 1+len(scopes)/1000)
	each(shares, func(share int) {
		settler := resolve.NewSettler(s.Assignments)
		for i := share * len(scopes) / shares; i < (share+1)*len(scopes)/shares; i++ {
			settled.Results[i] = settler.Settle(scopes[i].Applying, scopes[i].Undecided)
			for _, d := range scopes[i].Devices {
				settled.scopeOf[d] = i
			}
		}
	})
	return settled
}

// Repeal settles anew the scopes that meet an assignment of the policy, which has changed, and says
// how many they are. Who meets which assignments has not changed.
func (s *Settled) Repeal(p *policy.Normal) int {
	count := 0
	for i := range s.Assignments {
		if s.Assignments[i].Policy.Name == p.Name {
			s.Assignments[i].Policy = p
		}
	}
	settler := resolve.NewSettler(s.Assignments)
	for i, scope := range s.Scopes {
		for _, a := range scope.Applying {
			if s.Assignments[a].Policy == p {
				s.Results[i] = settler.Settle(scope.Applying, scope.Undecided)
				count++
				break
			}
		}
	}
	return count
}

// Met is an assignment that may include a device.
type Met struct {
	Assignment string         `json:"assignment"`
	Policy     string         `json:"policy"`
	Rank       assign.Rank    `json:"rank"`
	Stance     assign.Stance  `json:"stance"`
	Applies    bool           `json:"applies"`
	Reason     assign.Outcome `json:"reason"`
}

// Device is what one device is to have, and what differs from its report.
type Device struct {
	Device      string           `json:"device"`
	Assignments []Met            `json:"assignments"` // by rank and name
	Enforced    resolve.Lane     `json:"enforced"`
	Findings    *[]drift.Finding `json:"findings,omitempty"` // nil without a report
	Projected   *resolve.Lane    `json:"projected,omitempty"`
	Forecast    *[]drift.Finding `json:"forecast,omitempty"`
}

// Device gives the result for a device by its index.
func (s *Settled) Device(i int) Device {
	result := s.Results[s.scopeOf[i]]
	d := Device{Device: s.Devices[i].Name, Assignments: s.met(i), Enforced: result.Enforced, Projected: result.Projected}
	report, ok := s.Reports[i]
	if !ok {
		return d
	}
	now := report.At
	if s.At != nil {
		now = *s.At
	}
	ctx := drift.Context{Directory: s.Directory, Now: now}
	findings := drift.Check(result.Enforced.Settings(), &report.State, report.Failures, ctx)
	d.Findings = &findings
	if result.Projected != nil {
		forecast := drift.Forecast(findings, drift.Check(result.Projected.Settings(), &report.State, report.Failures, ctx))
		d.Forecast = &forecast
	}
	return d
}

func (s *Settled) met(device int) []Met {
	met := []Met{}
	in := func(group string) assign.Truth { return s.Members[group].Of(device) }
	for _, a := range s.Scenario.Scopes {
		if reason, listed := a.Decide(in); listed {
			met = append(met, Met{a.Name, a.Policy, a.Rank, a.Stance, reason == assign.Included, reason})
		}
	}
	return met
}

// Counts says how much there was to settle, and how it came out.
type Counts struct {
	Devices      int                  `json:"devices"`
	DistinctSets int                  `json:"distinct_sets"` // of assignments that devices meet
	Units        int                  `json:"units"`         // settled, over all devices, in the enforced lane
	Contested    int                  `json:"contested"`     // of those
	Problems     map[resolve.Code]int `json:"problems"`      // of the enforced lanes, over all devices
	LoadMS       int64                `json:"load_ms"`
	SettleMS     int64                `json:"settle_ms"`
}

// Count sums the scenario up. The times are left to the caller, who has a clock.
func (s *Settled) Count() Counts {
	c := Counts{Devices: len(s.Devices), DistinctSets: len(s.Scopes), Problems: map[resolve.Code]int{}}
	for i, scope := range s.Scopes {
		lane, devices := s.Results[i].Enforced, len(scope.Devices)
		c.Units += devices * len(lane.Units)
		for _, u := range lane.Units {
			if u.Verdict == resolve.Contested {
				c.Contested += devices
			}
		}
		for _, p := range lane.Problems {
			c.Problems[p.Code] += devices
		}
	}
	return c
}

// Clean reports whether no enforced lane has an error or a contested unit.
func (s *Settled) Clean() bool {
	for _, r := range s.Results {
		for _, p := range r.Enforced.Problems {
			if p.Severity == policy.Error {
				return false
			}
		}
		for _, u := range r.Enforced.Units {
			if u.Verdict == resolve.Contested {
				return false
			}
		}
	}
	return true
}
