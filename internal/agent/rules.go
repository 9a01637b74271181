package agent

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/words"
)

// passwords sets all password rules that differ together, since some contradict others alone.
func (p *pass) passwords() {
	var rules drift.Passwords
	numbers := map[resolve.UnitID]**int{resolve.MinLength: &rules.MinLength, resolve.History: &rules.History,
		resolve.MaxAgeDays: &rules.MaxAgeDays, resolve.MinAgeDays: &rules.MinAgeDays}
	var units []resolve.UnitID
	for _, s := range p.settings {
		if s.Unit.Family() != resolve.Passwords {
			continue
		}
		if actual := p.state.Value(s.Unit); actual != nil && actual.Equal(s.Value) {
			continue
		}
		switch value := s.Value.(type) {
		case resolve.Int:
			*numbers[s.Unit] = new(int(value))
		case resolve.Bool:
			rules.Complexity = new(bool(value))
		}
		units = append(units, s.Unit)
	}
	if len(units) > 0 {
		before := p.state
		if p.try(units, principal.Ref{}, func() error { return p.host.SetPasswords(p.ctx, rules) }) {
			p.read()
			for _, unit := range units {
				p.did(drift.ValueSet, unit, "", inWords(unit, before.Value(unit)), inWords(unit, p.state.Value(unit)))
			}
		}
	}
}

func (p *pass) lockout() {
	for _, s := range p.settings {
		desired, ok := s.Value.(resolve.LockoutValue)
		if !ok {
			continue
		}
		has := p.state.Lockout
		if has != nil && (*has == policy.LockoutRule(desired) || has.Threshold == 0 && desired.Threshold == 0) {
			continue
		}
		if p.one(s.Unit, func() error { return p.host.SetLockout(p.ctx, policy.LockoutRule(desired)) }) {
			p.did(drift.ValueSet, s.Unit, "", inWords(s.Unit, p.state.Value(s.Unit)), inWords(s.Unit, desired))
		}
	}
}

// inWords says what a unit had, for an event.
func inWords(unit resolve.UnitID, value resolve.Value) string {
	if value == nil {
		return "not reported"
	}
	return words.Value(unit, value)
}

// minLength is the length of passwords that the device enforces now, in characters.
func (p *pass) minLength() int {
	if p.state.Passwords != nil && p.state.Passwords.MinLength != nil {
		return *p.state.Passwords.MinLength
	}
	return 0
}
