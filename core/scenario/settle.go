package scenario

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Result is a scenario with the plan of what every device is to have.
type Result struct {
	*plan.Plan
	Scenario *Scenario
}

// Settle settles every device, with what is independent done as each does.
func (s *Scenario) Settle(each fleet.Each) *Result { return &Result{plan.Run(s.Inputs, each), s} }

// Candidate is an assignment that may include a device.
type Candidate struct {
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
	Assignments []Candidate      `json:"assignments"` // by rank and name
	Enforced    resolve.Lane     `json:"enforced"`
	Findings    *[]drift.Finding `json:"findings,omitempty"` // nil without a report
	Projected   *resolve.Lane    `json:"projected,omitempty"`
	Warrants    []WarrantOn      `json:"warrants,omitempty"` // what runs, by unit and principal
	Forecast    *[]drift.Finding `json:"forecast,omitempty"`
}

// Device gives the result for a device by its index.
func (s *Result) Device(i int) Device {
	scope := s.Of(i)
	d := Device{
		Device:      s.Devices[i].Name,
		Assignments: []Candidate{},
		Enforced:    scope.Enforced,
		Projected:   scope.Projected,
	}
	for _, c := range s.Candidates(i) {
		d.Assignments = append(
			d.Assignments,
			Candidate{c.Name, c.Policy, c.Rank, c.Stance, c.Outcome == assign.Included, c.Outcome},
		)
	}
	running := s.Scenario.running(i)
	d.Warrants = s.Scenario.on(i, running, &scope.Enforced)
	report, ok := s.Scenario.Reports[i]
	if !ok {
		return d
	}
	now := report.At
	if s.Scenario.At != nil {
		now = *s.Scenario.At
	}
	ctx := drift.Context{Directory: s.Directory, Now: now}
	findings := drift.Check(laid(running, &scope.Enforced), &report.State, report.Failures, ctx)
	d.Findings = &findings
	if scope.Projected != nil {
		forecast := drift.Forecast(
			findings,
			drift.Check(laid(running, scope.Projected), &report.State, report.Failures, ctx),
		)
		d.Forecast = &forecast
	}
	return d
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
func (s *Result) Count() Counts {
	c := Counts{Devices: len(s.Devices), DistinctSets: len(s.Scopes), Problems: map[resolve.Code]int{}}
	for _, scope := range s.Scopes {
		lane, devices := scope.Enforced, len(scope.Devices)
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
func (s *Result) Clean() bool {
	for _, r := range s.Scopes {
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
