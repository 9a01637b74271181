package reconcile

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

func (p *pass) eachGroup(do func(id unit.ID, group drift.LocalGroup, desired unit.Members)) {
	for _, s := range p.settings {
		desired, ok := s.Value.(unit.Members)
		name, _ := s.Unit.LocalGroup()
		if group, there := p.State.Group(name); ok && there && knownAs(group, name) == "" {
			do(s.Unit, group, desired)
		}
	}
}

// knownAs is the known local group that a group of the device is, where a setting has it under another name; empty
// where it has not. In another language administrators has another name, and whoever is put into it by that name would
// become an administrator without anybody having been asked for one.
func knownAs(group drift.LocalGroup, name string) string {
	if known := drift.KnownName(group.SID); known != name {
		return known
	}
	return ""
}

// refuseOtherNames says of each setting that names a known local group otherwise that it is not carried out.
func (p *pass) refuseOtherNames() {
	for _, s := range p.settings {
		name, ok := s.Unit.LocalGroup()
		group, there := p.State.Group(name)
		if known := knownAs(group, name); ok && there && known != "" {
			p.one(s.Unit, func() error {
				return fmt.Errorf("%s is the local group %s of this device, and is not changed under another name; "+
					"the policy must name %s", group.LocalGroup, known, known)
			})
		}
	}
}

func (p *pass) membersIn(id unit.ID, group drift.LocalGroup, desired unit.Members) {
	missing := func(ref principal.Ref) bool {
		return slices.ContainsFunc(
			p.differs(id),
			func(f drift.Finding) bool { return f.Kind == drift.MemberMissing && f.Subject == ref.String() },
		)
	}
	for _, ref := range desired.Present {
		if sid := p.Find(ref); !sid.IsZero() && missing(ref) && !p.awaits(ref) {
			held, byWarrant := p.byWarrant(id, ref)
			joined := p.try([]unit.ID{id}, ref, func() error {
				if byWarrant {
					if err := p.grant(held, group.SID, sid); err != nil {
						return err
					}
				}
				return p.host.AddMember(p.ctx, group.SID, sid)
			})
			switch {
			case joined && byWarrant:
				p.moved = append(p.moved, moved{group.SID, drift.Member{Name: ref.Value(), SID: sid}, true})
				p.did(drift.WarrantJoined, id, ref.String(), details(p.job.Warrants[held.Of].ID, held.Until))
			case joined:
				p.did(drift.MemberAdded, id, ref.String(), drift.Details{})
			}
		}
	}
}

func (p *pass) membersOut(id unit.ID, group drift.LocalGroup, desired unit.Members) {
	for _, f := range p.differs(id) {
		if f.Member.IsZero() {
			continue
		}
		ref := p.State.Name(f.Member, p.Directory)
		removed := p.try([]unit.ID{id}, ref, func() error {
			if strict, ok := p.host.(host.TakesSudoers); ok && desired.Strict && strings.HasPrefix(f.Via, "sudoers") {
				return p.takeSudoers(strict, f.Member)
			}
			if group.SID == drift.WellKnown(unit.GroupAdministrators) {
				if err := p.guard(f.Member); err != nil {
					return err
				}
			}
			return p.host.RemoveMember(p.ctx, group.SID, f.Member)
		})
		if removed {
			p.did(drift.MemberRemoved, id, ref.String(), drift.Details{})
		}
		p.read()
	}
}

// takeSudoers moves a file of sudoers aside that makes somebody an administrator, under the guard.
func (p *pass) takeSudoers(from host.TakesSudoers, member principal.SID) error {
	if err := p.guard(member); err != nil {
		return err
	}
	_, err := from.TakeSudoers(p.ctx, member)
	return err
}

// ErrGuard is the failure of a unit that the guard did not let change.
var ErrGuard = errors.New(drift.GuardError)

// guard refuses to take a usable administrator away when no other would remain. Only local accounts
// whose password is in escrow count: the device may be out of reach of any directory, and a password
// that nobody can look up opens nothing.
func (p *pass) guard(leaving principal.SID) error {
	administrators, _ := p.State.Group(unit.GroupAdministrators)
	if !administrators.Has(leaving) {
		return nil // it lets nobody in as an administrator
	}
	doors, tries := p.host.(host.TriesDoors)
	why := ErrGuard
	for _, a := range p.State.Accounts {
		if a.SID == leaving || !a.Enabled || a.Locked || !p.job.Escrowed[a.SID] || !administrators.Has(a.SID) {
			continue
		}
		if !tries {
			return nil
		}
		err := doors.LetsIn(p.ctx, a.SID)
		if err == nil {
			return nil
		}
		why = fmt.Errorf("%w: %s does not count, since %w", why, a.Name, err)
	}
	return why
}
