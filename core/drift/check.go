package drift

import (
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Check gives the findings of a state and of failures against settings. The result is never nil.
func Check(settings []resolve.Setting, state State, failures []Failure) []Finding {
	c := checker{state: state, findings: []Finding{}}
	for _, s := range settings {
		if slices.Contains(state.Unsupported, s.Unit) {
			c.add(s.Unit, UnitUnsupported, "", s.Value, nil)
			continue
		}
		for _, f := range failures {
			if f.Unit == s.Unit {
				c.add(s.Unit, ApplyFailed, f.Principal, nil, f.Error)
			}
		}
		switch value := s.Value.(type) {
		case resolve.Members:
			c.members(s.Unit, value)
		case resolve.LockoutValue:
			c.lockout(s.Unit, value)
		default:
			if actual := state.Password(s.Unit); actual == nil {
				c.add(s.Unit, WrongValue, "", value, nil)
			} else if !actual.Equal(value) {
				c.add(s.Unit, WrongValue, "", value, actual)
			}
		}
	}
	sortFindings(c.findings)
	return c.findings
}

type checker struct {
	state    State
	findings []Finding
}

func (c *checker) add(unit resolve.UnitID, kind Kind, subject string, expected, actual any) {
	c.findings = append(c.findings, Finding{unit, kind, subject, expected, actual})
}

// Password is the reported value of a password rule, nil when the report does not have it.
func (s State) Password(unit resolve.UnitID) resolve.Value {
	p := s.Passwords
	if p == nil {
		return nil
	}
	if unit == resolve.Complexity {
		if p.Complexity == nil {
			return nil
		}
		return resolve.Bool(*p.Complexity)
	}
	number := map[resolve.UnitID]*int{
		resolve.MinLength: p.MinLength, resolve.History: p.History,
		resolve.MaxAgeDays: p.MaxAgeDays, resolve.MinAgeDays: p.MinAgeDays,
	}[unit]
	if number == nil {
		return nil
	}
	return resolve.Int(*number)
}

func (c *checker) lockout(unit resolve.UnitID, desired resolve.LockoutValue) {
	l := c.state.Lockout
	switch {
	case l == nil:
		c.add(unit, WrongValue, "", desired, nil)
	case desired.Threshold == 0 && l.Threshold == 0:
	case policy.LockoutRule(desired) != *l:
		c.add(unit, WrongValue, "", desired, resolve.LockoutValue(*l))
	}
}
