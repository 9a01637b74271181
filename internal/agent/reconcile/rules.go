package reconcile

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// passwords sets all password rules that differ together, since some contradict others alone.
func (p *pass) passwords() {
	var rules drift.Passwords
	numbers := map[unit.ID]**int{unit.MinLength: &rules.MinLength, unit.History: &rules.History,
		unit.MaxAgeDays: &rules.MaxAgeDays, unit.MinAgeDays: &rules.MinAgeDays}
	var units []unit.ID
	for _, s := range p.settings {
		if s.Unit.Family() != unit.Passwords || !p.is(s.Unit, drift.WrongValue) {
			continue
		}
		switch value := s.Value.(type) {
		case unit.Int:
			*numbers[s.Unit] = new(int(value))
		case unit.Bool:
			rules.Complexity = new(bool(value))
		}
		units = append(units, s.Unit)
	}
	if len(units) > 0 {
		before := p.State
		if p.try(units, principal.Ref{}, func() error { return p.host.SetPasswords(p.ctx, rules) }) {
			p.read()
			for _, id := range units {
				p.did(drift.ValueSet, id, "", drift.ChangeOf(before.Value(id), p.State.Value(id)))
			}
		}
	}
}

func (p *pass) lockout() {
	for _, s := range p.settings {
		desired, ok := s.Value.(unit.LockoutValue)
		if !ok || !p.is(s.Unit, drift.WrongValue) {
			continue
		}
		if p.one(s.Unit, func() error { return p.host.SetLockout(p.ctx, unit.LockoutRule(desired)) }) {
			p.did(drift.ValueSet, s.Unit, "", drift.ChangeOf(p.State.Value(s.Unit), desired))
		}
	}
}

// minLength is the length of passwords that the device enforces now, in characters.
func (p *pass) minLength() int {
	if p.State.Passwords != nil && p.State.Passwords.MinLength != nil {
		return *p.State.Passwords.MinLength
	}
	return 0
}
