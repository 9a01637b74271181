package reconcile

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/secret"
)

// eachBuiltin visits every property of a built-in account that is not as asked. The accounts are found
// by their identifier, whatever they are called.
func (p *pass) eachBuiltin(do func(id unit.ID, a drift.Account, property unit.Property, desired unit.Value)) {
	for _, s := range p.settings {
		ref, property, ok := s.Unit.Builtin()
		if !ok || p.fatal != nil {
			continue
		}
		if a, there := p.Account(p.Find(ref)); there && p.is(s.Unit, drift.WrongValue) {
			do(s.Unit, a, property, s.Value)
		}
	}
}

// builtinIn describes and enables. A built-in administrator that is enabled gets a password that
// nobody knows first: what it had is anybody's guess.
func (p *pass) builtinIn(id unit.ID, a drift.Account, property unit.Property, desired unit.Value) {
	if d, known := unit.DetailOf(string(property)); known {
		p.describeBuiltin(id, a, d, desired)
		return
	}
	if property == unit.BuiltinEnabled {
		ref, _, _ := id.Builtin()
		if !bool(desired.(unit.Bool)) || p.awaits(ref) {
			return
		}
		enabled := p.one(id, func() error {
			if a.Builtin == principal.Administrator.Value() && !p.job.Escrowed[a.SID] {
				if err := p.host.SetPassword(p.ctx, a.SID, secret.Unknown(p.job.Random, p.minLength())); err != nil {
					return err
				}
			}
			return p.host.EnableAccount(p.ctx, a.SID, true)
		})
		if enabled {
			p.did(drift.AccountEnabled, id, a.Name, drift.Details{})
		}
	}
}

func (p *pass) describeBuiltin(id unit.ID, a drift.Account, d unit.Detail, desired unit.Value) {
	before := d.Of(a.Details)
	if text, ok := before.(unit.Text); ok {
		before = unit.Text(drift.Shortened(string(text))) // a system may keep more than a policy takes
	}
	details := d.Set(a.Details, desired)
	if p.one(id, func() error { return p.host.DescribeAccount(p.ctx, a.SID, details) }) {
		p.did(drift.ValueSet, id, a.Name, drift.ChangeOf(before, desired))
	}
}

// builtinOut renames and disables.
func (p *pass) builtinOut(id unit.ID, a drift.Account, property unit.Property, desired unit.Value) {
	switch property {
	case unit.BuiltinName:
		name := string(desired.(unit.Text))
		if p.one(id, func() error { return p.host.RenameAccount(p.ctx, a.SID, name) }) {
			p.didRename(id, a.Name, name)
		}
		p.read()
	case unit.BuiltinEnabled:
		if !bool(desired.(unit.Bool)) {
			p.disable(id, a)
		}
	}
}
