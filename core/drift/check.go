package drift

import (
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Context is what findings depend on beside settings and report.
type Context struct {
	Directory principal.Directory // nil knows nobody
	Now       time.Time           // for what is overdue
	Grace     time.Duration       // how much later than due a rotation may be
	Bound     bool                // managed accounts are found by their binding alone, as on the device itself
}

// Check gives the findings of a state and of failures against settings. The result is never nil.
func Check(settings []unit.Setting, state *State, failures []Failure, ctx Context) []Finding {
	c := &checker{Context: ctx, state: state, settings: settings, findings: []Finding{}}
	c.signingIn()
	for _, s := range settings {
		if slices.Contains(state.Unsupported, s.Unit) {
			c.add(s.Unit, UnitUnsupported, "", nil, c.why(s.Unit))
			continue
		}
		for _, f := range failures {
			if f.Unit == s.Unit {
				c.add(s.Unit, ApplyFailed, canonical(f.Principal), nil, f.Error)
			}
		}
		switch value := s.Value.(type) {
		case unit.Members:
			c.members(s.Unit, value)
		case unit.LockoutValue:
			c.lockout(s.Unit, value)
		case unit.AccountValue:
			c.account(s.Unit, value)
		case unit.OthersValue:
			c.others()
		case unit.RotationValue:
			c.rotation(s.Unit, value)
		default:
			c.value(s.Unit, value)
		}
	}
	sortFindings(c.findings)
	// A device may have failed at one thing twice in a look, for two reasons; the first of them is told.
	return slices.CompactFunc(c.findings,
		func(a, b Finding) bool { return a.Kind == ApplyFailed && a.Key() == b.Key() })
}

type checker struct {
	Context
	state    *State
	settings []unit.Setting
	findings []Finding
}

// why a setting is not supported, nil where the device did not say.
func (c *checker) why(id unit.ID) any {
	if limit, said := c.state.LimitOf(id); said {
		return limit.Why
	}
	return nil
}

func (c *checker) add(id unit.ID, kind Kind, subject string, expected, actual any) {
	c.findings = append(c.findings, Finding{Unit: id, Kind: kind, Subject: subject, Expected: expected, Actual: actual})
}

// value compares a password rule or a property of a built-in account.
func (c *checker) value(id unit.ID, desired unit.Value) {
	actual := c.state.Value(id)
	if actual == nil {
		c.add(id, WrongValue, "", desired, nil)
		return
	}
	same := actual.Equal(desired)
	if _, property, ok := id.Builtin(); ok && property == unit.BuiltinName {
		same = text.Fold(string(actual.(unit.Text))) == text.Fold(string(desired.(unit.Text)))
	}
	if !same {
		c.wrong(id, desired, actual)
	}
}

// wrong finds a value that differs, with what makes it so where the report says.
func (c *checker) wrong(id unit.ID, desired, actual any) {
	c.findings = append(c.findings,
		Finding{Unit: id, Kind: WrongValue, Expected: desired, Actual: actual, Via: c.state.Causes[id]})
}

// signingIn finds that signing in does not work. It is no difference from a setting, and is told with the one that
// matters most: who is an administrator, else the first of all.
func (c *checker) signingIn() {
	if c.state.SignInFault == "" || len(c.settings) == 0 {
		return
	}
	id := c.settings[0].Unit
	for _, s := range c.settings {
		if s.Unit == unit.Administrators {
			id = s.Unit
		}
	}
	c.add(id, SignInBroken, "", nil, c.state.SignInFault)
}

// Value is the reported value of a password rule, of the lockout or of a property of a built-in
// account, nil when the report does not have it.
func (s *State) Value(id unit.ID) unit.Value {
	if account, property, ok := id.Builtin(); ok {
		return s.builtin(account, property)
	}
	if id == unit.Lockout {
		if s.Lockout == nil {
			return nil
		}
		return unit.LockoutValue(*s.Lockout)
	}
	p := s.Passwords
	if p == nil {
		return nil
	}
	var number *int
	switch id {
	case unit.Complexity:
		if p.Complexity == nil {
			return nil
		}
		return unit.Bool(*p.Complexity)
	case unit.MinLength:
		number = p.MinLength
	case unit.History:
		number = p.History
	case unit.MaxAgeDays:
		number = p.MaxAgeDays
	case unit.MinAgeDays:
		number = p.MinAgeDays
	}
	if number == nil {
		return nil
	}
	return unit.Int(*number)
}

func (s *State) builtin(account principal.Ref, property unit.Property) unit.Value {
	for i := range s.Accounts {
		a := &s.Accounts[i]
		if a.Builtin != account.Value() {
			continue
		}
		switch property {
		case unit.BuiltinName:
			return unit.Text(a.Name)
		case unit.BuiltinEnabled:
			return unit.Bool(a.Enabled)
		}
		if d, known := unit.DetailOf(string(property)); known {
			return d.Of(a.Details)
		}
	}
	return nil
}

func (c *checker) lockout(id unit.ID, desired unit.LockoutValue) {
	l := c.state.Lockout
	switch {
	case l == nil:
		c.add(id, WrongValue, "", desired, nil)
	case desired.Threshold == 0 && l.Threshold == 0:
	case unit.LockoutRule(desired) != *l:
		c.wrong(id, desired, *l)
	}
}

// canonical is the principal as references are written; what is none stays as the device wrote it.
func canonical(written string) string {
	if ref, err := principal.Parse(written); err == nil {
		return ref.String()
	}
	return written
}
