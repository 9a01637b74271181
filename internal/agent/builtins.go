package agent

import (
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/agent/host"
)

// eachBuiltin visits every property of a built-in account that is asked for. The accounts are found
// by their identifier, whatever they are called.
func (p *pass) eachBuiltin(do func(unit resolve.UnitID, a drift.Account, property string, desired resolve.Value)) {
	for _, s := range p.settings {
		ref, property, ok := s.Unit.Builtin()
		if !ok || p.fatal != nil {
			continue
		}
		if a, there := p.account(p.find(ref)); there {
			do(s.Unit, a, property, s.Value)
		}
	}
}

// builtinIn describes and enables. A built-in administrator that is enabled gets a password that
// nobody knows first: what it had is anybody's guess.
func (p *pass) builtinIn(unit resolve.UnitID, a drift.Account, property string, desired resolve.Value) {
	switch property {
	case resolve.BuiltinFullName:
		if name := string(desired.(resolve.Text)); a.FullName != name {
			p.describeBuiltin(unit, a, host.Details{FullName: &name}, a.FullName, name)
		}
	case resolve.BuiltinDescription:
		if description := string(desired.(resolve.Text)); a.Description != description {
			p.describeBuiltin(unit, a, host.Details{Description: &description}, a.Description, description)
		}
	case resolve.BuiltinEnabled:
		ref, _, _ := unit.Builtin()
		if !bool(desired.(resolve.Bool)) || a.Enabled || p.awaits(ref) {
			return
		}
		enabled := p.one(unit, func() error {
			if a.Builtin == principal.Administrator.Value() && !p.job.Escrowed[a.SID] {
				if err := p.host.SetPassword(p.ctx, a.SID, unknownSecret(p.job.Random, p.minLength())); err != nil {
					return err
				}
			}
			return p.host.EnableAccount(p.ctx, a.SID, true)
		})
		if enabled {
			p.did(drift.AccountEnabled, unit, a.Name, "", "")
		}
	}
}

func (p *pass) describeBuiltin(unit resolve.UnitID, a drift.Account, details host.Details, before, after string) {
	if p.one(unit, func() error { return p.host.DescribeAccount(p.ctx, a.SID, details) }) {
		p.did(drift.ValueSet, unit, a.Name, inWords(unit, resolve.Text(before)), inWords(unit, resolve.Text(after)))
	}
}

// builtinOut renames and disables.
func (p *pass) builtinOut(unit resolve.UnitID, a drift.Account, property string, desired resolve.Value) {
	switch property {
	case resolve.BuiltinName:
		if name := string(desired.(resolve.Text)); text.Fold(a.Name) != text.Fold(name) {
			if p.one(unit, func() error { return p.host.RenameAccount(p.ctx, a.SID, name) }) {
				p.did(drift.AccountRenamed, unit, name, a.Name, name)
			}
			p.read()
		}
	case resolve.BuiltinEnabled:
		if !bool(desired.(resolve.Bool)) && a.Enabled {
			p.disable(unit, a)
		}
	}
}
