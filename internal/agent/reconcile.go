package agent

import (
	"context"
	"errors"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/agent/host"
)

// Outcome is what one pass found and left behind.
type Outcome struct {
	Before   drift.State
	After    drift.State // with the units that the platform cannot carry
	Failures []drift.Failure
}

// guardRefused is the failure of a unit that the guard did not let change.
const guardRefused = "would leave no usable administrator"

// Reconcile brings a host into line with settings, in the safe order. Its error is that of a host
// that cannot be read or lost its power; failures of single units are in the outcome.
func Reconcile(ctx context.Context, h host.Host, settings []resolve.Setting) (Outcome, error) {
	before, err := h.Read(ctx)
	if err != nil {
		return Outcome{}, err
	}
	p := pass{ctx: ctx, host: h, state: before}
	p.passwords(settings)
	p.lockout(settings)
	p.eachGroup(settings, p.membersIn)
	p.read()
	p.eachGroup(settings, p.membersOut)
	p.read()
	if p.fatal != nil {
		return Outcome{}, p.fatal
	}
	p.state.Unsupported = p.unsupported
	return Outcome{before, p.state, p.failures}, nil
}

// pass is one pass over a host.
type pass struct {
	ctx         context.Context
	host        host.Host
	state       drift.State // as last read
	failures    []drift.Failure
	unsupported []resolve.UnitID
	fatal       error
}

func (p *pass) read() {
	if p.fatal == nil {
		p.state, p.fatal = p.host.Read(p.ctx)
	}
}

// try does one change, unless the pass has ended, and notes what became of it.
func (p *pass) try(units []resolve.UnitID, ref principal.Ref, do func() error) {
	if p.fatal != nil {
		return
	}
	err := do()
	switch {
	case err == nil:
	case errors.Is(err, host.ErrCut), p.ctx.Err() != nil:
		p.fatal = err
	case errors.Is(err, host.ErrUnsupported):
		p.unsupported = append(p.unsupported, units...)
	default:
		for _, unit := range units {
			p.failures = append(p.failures, drift.Failure{Unit: unit, Principal: ref.String(), Error: err.Error()})
		}
	}
}

func (p *pass) passwords(settings []resolve.Setting) {
	var rules drift.Passwords
	var units []resolve.UnitID
	for _, s := range settings {
		actual := p.state.Password(s.Unit)
		if actual != nil && actual.Equal(s.Value) {
			continue
		}
		switch value := s.Value.(type) {
		case resolve.Int:
			*map[resolve.UnitID]**int{resolve.MinLength: &rules.MinLength, resolve.History: &rules.History,
				resolve.MaxAgeDays: &rules.MaxAgeDays, resolve.MinAgeDays: &rules.MinAgeDays}[s.Unit] = new(int(value))
		case resolve.Bool:
			rules.Complexity = new(bool(value))
		default:
			continue
		}
		units = append(units, s.Unit)
	}
	if len(units) > 0 {
		p.try(units, principal.Ref{}, func() error { return p.host.SetPasswords(p.ctx, rules) })
	}
}

func (p *pass) lockout(settings []resolve.Setting) {
	for _, s := range settings {
		desired, ok := s.Value.(resolve.LockoutValue)
		if !ok {
			continue
		}
		has := p.state.Lockout
		if has != nil && (*has == policy.LockoutRule(desired) || has.Threshold == 0 && desired.Threshold == 0) {
			continue
		}
		p.try([]resolve.UnitID{s.Unit}, principal.Ref{}, func() error { return p.host.SetLockout(p.ctx, policy.LockoutRule(desired)) })
	}
}

func (p *pass) eachGroup(settings []resolve.Setting, do func(unit resolve.UnitID, group drift.LocalGroup, desired resolve.Members)) {
	for _, s := range settings {
		desired, ok := s.Value.(resolve.Members)
		name, _ := s.Unit.LocalGroup()
		if group, there := p.state.Group(name); ok && there {
			do(s.Unit, group, desired)
		}
	}
}

func (p *pass) membersIn(unit resolve.UnitID, group drift.LocalGroup, desired resolve.Members) {
	for _, ref := range desired.Present {
		if sid := p.state.Find(ref); !sid.IsZero() && !group.Has(sid) {
			p.try([]resolve.UnitID{unit}, ref, func() error { return p.host.AddMember(p.ctx, group.SID, sid) })
		}
	}
}

func (p *pass) membersOut(unit resolve.UnitID, group drift.LocalGroup, desired resolve.Members) {
	var wanted, unwanted []principal.SID
	for _, ref := range desired.Present {
		wanted = append(wanted, p.state.Find(ref))
	}
	for _, ref := range desired.Absent {
		unwanted = append(unwanted, p.state.Find(ref))
	}
	for _, m := range group.Members {
		if desired.Closed && slices.Contains(wanted, m.SID) || !desired.Closed && !slices.Contains(unwanted, m.SID) {
			continue
		}
		ref := p.state.Name(m.SID)
		p.try([]resolve.UnitID{unit}, ref, func() error {
			if err := p.guard(group, m.SID); err != nil {
				return err
			}
			return p.host.RemoveMember(p.ctx, group.SID, m.SID)
		})
		p.read()
	}
}

// guard refuses to take a member out of administrators when no usable one would remain. Only local
// accounts count, since the device may be out of reach of any directory.
func (p *pass) guard(group drift.LocalGroup, leaving principal.SID) error {
	if group.SID != drift.WellKnown(policy.Administrators) {
		return nil
	}
	administrators, _ := p.state.Group(policy.Administrators)
	for _, a := range p.state.Accounts {
		if a.SID != leaving && a.Enabled && !a.Locked && administrators.Has(a.SID) {
			return nil
		}
	}
	return errors.New(guardRefused)
}
