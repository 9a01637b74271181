package drift

import (
	"slices"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
)

// Context is what findings depend on beside settings and report.
type Context struct {
	Directory principal.Directory // nil knows nobody
	Now       time.Time           // for what is overdue
	Grace     time.Duration       // how much later than due a rotation may be
}

// Check gives the findings of a state and of failures against settings. The result is never nil.
func Check(settings []resolve.Setting, state *State, failures []Failure, ctx Context) []Finding {
	c := &checker{Context: ctx, state: state, settings: settings, findings: []Finding{}}
	for _, s := range settings {
		if slices.Contains(state.Unsupported, s.Unit) {
			c.add(s.Unit, UnitUnsupported, "", nil, nil)
			continue
		}
		for _, f := range failures {
			if f.Unit == s.Unit {
				c.add(s.Unit, ApplyFailed, canonical(f.Principal), nil, f.Error)
			}
		}
		switch value := s.Value.(type) {
		case resolve.Members:
			c.members(s.Unit, value)
		case resolve.LockoutValue:
			c.lockout(s.Unit, value)
		case resolve.AccountValue:
			c.account(s.Unit, value)
		case resolve.RotationValue:
			c.rotation(s.Unit, value)
		default:
			c.value(s.Unit, value)
		}
	}
	sortFindings(c.findings)
	return c.findings
}

type checker struct {
	Context
	state    *State
	settings []resolve.Setting
	findings []Finding
}

func (c *checker) add(unit resolve.UnitID, kind Kind, subject string, expected, actual any) {
	c.findings = append(c.findings, Finding{unit, kind, subject, expected, actual})
}

// value compares a password rule or a property of a built-in account.
func (c *checker) value(unit resolve.UnitID, desired resolve.Value) {
	actual := c.state.Value(unit)
	if actual == nil {
		c.add(unit, WrongValue, "", desired, nil)
		return
	}
	same := actual.Equal(desired)
	if _, property, ok := unit.Builtin(); ok && property == resolve.BuiltinName {
		same = text.Fold(string(actual.(resolve.Text))) == text.Fold(string(desired.(resolve.Text)))
	}
	if !same {
		c.add(unit, WrongValue, "", desired, actual)
	}
}

// Value is the reported value of a password rule, of the lockout or of a property of a built-in
// account, nil when the report does not have it.
func (s *State) Value(unit resolve.UnitID) resolve.Value {
	if account, property, ok := unit.Builtin(); ok {
		return s.builtin(account, property)
	}
	if unit == resolve.Lockout {
		if s.Lockout == nil {
			return nil
		}
		return resolve.LockoutValue(*s.Lockout)
	}
	p := s.Passwords
	if p == nil {
		return nil
	}
	var number *int
	switch unit {
	case resolve.Complexity:
		if p.Complexity == nil {
			return nil
		}
		return resolve.Bool(*p.Complexity)
	case resolve.MinLength:
		number = p.MinLength
	case resolve.History:
		number = p.History
	case resolve.MaxAgeDays:
		number = p.MaxAgeDays
	case resolve.MinAgeDays:
		number = p.MinAgeDays
	}
	if number == nil {
		return nil
	}
	return resolve.Int(*number)
}

func (s *State) builtin(account principal.Ref, property string) resolve.Value {
	for i := range s.Accounts {
		a := &s.Accounts[i]
		if a.Builtin != account.Value() {
			continue
		}
		switch property {
		case resolve.BuiltinName:
			return resolve.Text(a.Name)
		case resolve.BuiltinEnabled:
			return resolve.Bool(a.Enabled)
		case resolve.BuiltinFullName:
			return resolve.Text(a.FullName)
		}
		return resolve.Text(a.Description)
	}
	return nil
}

func (c *checker) lockout(unit resolve.UnitID, desired resolve.LockoutValue) {
	l := c.state.Lockout
	switch {
	case l == nil:
		c.add(unit, WrongValue, "", desired, nil)
	case desired.Threshold == 0 && l.Threshold == 0:
	case policy.LockoutRule(desired) != *l:
		c.add(unit, WrongValue, "", desired, *l)
	}
}

// canonical is the principal as references are written; what is none stays as the device wrote it.
func canonical(written string) string {
	if ref, err := principal.Parse(written); err == nil {
		return ref.String()
	}
	return written
}
