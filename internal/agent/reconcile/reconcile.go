package reconcile

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/secret"
	"rankwarden.example/internal/wire/protocol"
)

// Bindings say which account belongs to a key. An identifier is never used twice, so a binding holds
// whatever the account is renamed to.
type Bindings map[string]principal.SID

// Job is what one pass is to do.
type Job struct {
	protocol.DesiredContent
	Bindings Bindings
	Leave    []unit.ID // units that are not touched in this pass
	// Escrowed are the accounts whose present password is confirmed in escrow. One that a rule rotates
	// is neither enabled nor put into a group before it is among them.
	Escrowed map[principal.SID]bool
	Random   secret.Random
	Now      time.Time // in service time: what is waived until later is left alone
	// Counted are the accounts that no policy names, with when the device saw each first under the rule.
	Counted journal.Counted
	Made    journal.Made      // local groups that the device made
	Granted []journal.Granted // memberships by warrant
	// Keep keeps memberships by warrant before the first of them is given; needed only where there are warrants.
	Keep func(granted []journal.Granted) error
	// Changing are the accounts whose users were told already to change their passwords.
	Changing map[principal.SID]bool
	// Enable are the accounts that are enabled again, since the rule that disabled them was taken back.
	Enable []principal.SID
}

// Outcome is what one pass found and left behind.
type Outcome struct {
	Before   drift.State
	After    drift.State // with the units that the platform cannot carry
	Failures []drift.Failure
	Bindings Bindings
	Counted  journal.Counted // as the job, with what is new and without what is over
	Disabled []principal.SID // accounts that no policy names
	Made     journal.Made
	Granted  []journal.Granted
	Changing map[principal.SID]bool
	Events   []drift.Event // what was done, in order; numbers and times are the agent's to give
}

// Run brings a host into line, in the safe order: rules; accounts are created disabled, get a
// password, are enabled and put into their groups, those that a rule rotates once their password is
// in escrow; what was done is read back; only then members are
// removed, others disabled, renamed or deleted, each under the guard. Its error is that of a host
// that cannot be read or lost its power; failures of single units are in the outcome.
func Run(ctx context.Context, h host.Host, job Job) (Outcome, error) {
	p := &pass{
		ctx:  ctx,
		host: h,
		job:  job,
		View: View{Bindings: maps.Clone(job.Bindings), Directory: principal.NewTable(job.Directory)},
	}
	p.granted = slices.Clone(job.Granted)
	p.layWarrants()
	p.counted, p.made, p.changing = maps.Clone(job.Counted), maps.Clone(job.Made), map[principal.SID]bool{}
	if p.Bindings == nil {
		p.Bindings = Bindings{}
	}
	p.read()
	if p.fatal != nil {
		return Outcome{}, p.fatal
	}
	before := p.State
	if p.settings = p.touched(); p.fatal != nil {
		return Outcome{}, p.fatal
	}
	p.count()
	p.passwords()
	p.lockout()
	p.eachAccount(p.accountIn)
	p.eachBuiltin(p.builtinIn)
	p.groupsMade()
	p.read()
	p.refuseOtherNames()
	p.eachGroup(p.membersIn)
	p.read()
	p.warrantsEnd()
	p.eachGroup(p.membersOut)
	p.eachAccount(p.accountOut)
	p.eachBuiltin(p.builtinOut)
	p.othersOut()
	p.groupsGone()
	p.enableAgain()
	p.read()
	if p.fatal != nil {
		return p.outcome(drift.State{}), p.fatal
	}
	p.State.Unsupported, p.State.Limits = p.unsupported, p.limits
	return p.outcome(before), nil
}

// outcome is what the pass found before it, and what it left behind.
func (p *pass) outcome(before drift.State) Outcome {
	o := Outcome{Before: p.asMoved(before), Failures: p.failures, Bindings: p.Bindings, Counted: p.counted,
		Disabled: p.disabled,
		Made:     p.made, Granted: p.granted, Changing: p.changing, Events: p.events}
	if p.fatal == nil {
		o.After = p.State
	}
	return o
}

// pass is one pass over a host.
type pass struct {
	ctx         context.Context
	host        host.Host
	job         Job
	View                                    // as last read, with bindings
	settings    []unit.Setting              // those to act on
	findings    map[unit.ID][]drift.Finding // what differs as last read; nil until it is asked
	failures    []drift.Failure
	limits      []drift.Limit
	unsupported []unit.ID
	counted     journal.Counted
	disabled    []principal.SID
	made        journal.Made
	granted     []journal.Granted
	moved       []moved
	warrants    warrant.Running
	asked       []unit.Setting // what is asked, without warrants
	changing    map[principal.SID]bool
	runs        map[principal.SID][]string // services and tasks that run as accounts; read once, where it matters
	events      []drift.Event
	fatal       error
}

// did notes something that was done.
func (p *pass) did(kind drift.EventKind, id unit.ID, subject string, details drift.Details) {
	p.events = append(p.events, drift.Event{Kind: kind, Unit: id, Subject: subject, Details: details})
}

// touched are the settings to act on: neither left alone in this pass, nor beyond what the platform carries out. What
// it carries out in part is acted on as far as that goes.
func (p *pass) touched() []unit.Setting {
	if p.limits, p.fatal = p.host.Limits(p.ctx); p.fatal != nil {
		return nil
	}
	var settings []unit.Setting
	p.job.Settings = slices.Clone(p.job.Settings)
	for at, s := range p.job.Settings {
		if slices.Contains(p.job.Leave, s.Unit) {
			continue
		}
		i := slices.IndexFunc(p.limits, func(l drift.Limit) bool { return l.Of(s.Unit) })
		switch {
		case i < 0:
			settings = append(settings, s)
		case p.limits[i].Most != nil:
			var whole bool
			if s.Value, whole = p.limits[i].Within(s.Value); !whole {
				p.unsupported = append(p.unsupported, s.Unit)
			}
			p.job.Settings[at] = s // as far as it goes
			settings = append(settings, s)
		case !p.limits[i].ReadOnly || len(p.differs(s.Unit)) > 0:
			p.unsupported = append(p.unsupported, s.Unit)
		}
	}
	return settings
}

// read reads the host, and marks the accounts that are bound. A binding to an account that is gone
// is given up.
func (p *pass) read() {
	if p.fatal != nil {
		return
	}
	p.findings = nil
	if p.State, p.fatal = p.host.Read(p.ctx); p.fatal != nil {
		return
	}
	there := map[principal.SID]int{}
	for i, a := range p.State.Accounts {
		there[a.SID] = i
	}
	for key, sid := range p.Bindings {
		if i, found := there[sid]; found {
			p.State.Accounts[i].Key = key
		} else {
			delete(p.Bindings, key)
		}
	}
	for i, g := range p.State.LocalGroups {
		p.State.LocalGroups[i].Made = p.made.Has(g.PolicyName(), g.SID)
	}
	p.State.Limits = p.limits
	p.tellCounted()
}

// differs says what of a setting differs, as the host was read last. The comparison is that of [drift.Check] alone:
// what a device brings into line is what it would be found to lack.
func (p *pass) differs(id unit.ID) []drift.Finding {
	if p.findings == nil {
		p.findings = map[unit.ID][]drift.Finding{}
		for _, f := range drift.Check(p.job.Settings, &p.State, nil,
			drift.Context{Directory: p.Directory, Bound: true, Now: p.job.Now}) {
			if !p.job.waives(f) {
				p.findings[f.Unit] = append(p.findings[f.Unit], f)
			}
		}
	}
	return p.findings[id]
}

// waives reports whether a difference is to be left alone.
func (j Job) waives(f drift.Finding) bool {
	return slices.ContainsFunc(j.Waived, func(w protocol.Waived) bool {
		return w.Unit == f.Unit && w.Subject == f.Subject && j.Now.Before(w.Until)
	})
}

// is reports whether a setting differs in a way.
func (p *pass) is(id unit.ID, kind drift.Kind) bool {
	return slices.ContainsFunc(p.differs(id), func(f drift.Finding) bool { return f.Kind == kind })
}

// awaits reports whether an account must first have a password in escrow.
func (p *pass) awaits(ref principal.Ref) bool {
	rotated := slices.ContainsFunc(p.job.Settings, func(s unit.Setting) bool { return s.Unit == unit.RotationOf(ref) })
	return rotated && !p.job.Escrowed[p.Find(ref)]
}

// try does one change, unless the pass has ended, notes what became of it and reads the host again.
// It is false when the change was not made.
func (p *pass) try(units []unit.ID, ref principal.Ref, do func() error) bool {
	if p.fatal != nil {
		return false
	}
	err := do()
	switch {
	case err == nil:
		return true
	case errors.Is(err, host.ErrShuttingDown), p.ctx.Err() != nil:
		p.fatal = err
	case errors.Is(err, host.ErrUnsupported):
		p.unsupported = append(p.unsupported, units...)
	default:
		for _, id := range units {
			p.failures = append(p.failures, drift.Failure{Unit: id, Principal: ref.String(), Error: err.Error()})
		}
	}
	return false
}

// one is [pass.try] for a change of one unit that concerns no principal.
func (p *pass) one(id unit.ID, do func() error) bool {
	return p.try([]unit.ID{id}, principal.Ref{}, do)
}
