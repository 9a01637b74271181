package reconcile

import (
	"maps"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
)

// groupsMade makes the local groups that are asked for and missing.
func (p *pass) groupsMade() {
	for _, s := range p.settings {
		desired, is := s.Value.(unit.Members)
		if !is || !desired.Create || !p.is(s.Unit, drift.GroupMissing) || p.fatal != nil {
			continue
		}
		name, _ := s.Unit.LocalGroup()
		p.one(s.Unit, func() error {
			sid, err := p.host.CreateGroup(p.ctx, name)
			if err != nil {
				return err
			}
			if p.made == nil {
				p.made = journal.Made{}
			}
			p.made[name] = sid
			p.did(drift.GroupCreated, s.Unit, name, drift.Details{})
			return nil
		})
	}
}

// groupsGone removes the local groups that the device made, that nobody asks for any more, and that are empty. One with
// members stays, and goes when the last has left it.
func (p *pass) groupsGone() {
	asked := map[string]bool{}
	for _, s := range p.job.Settings {
		if desired, is := s.Value.(unit.Members); is && desired.Create {
			name, _ := s.Unit.LocalGroup()
			asked[name] = true
		}
	}
	for _, name := range slices.Sorted(maps.Keys(p.made)) {
		group, there := p.State.Group(name)
		switch {
		case p.fatal != nil:
			return
		case !there || group.SID != p.made[name]:
			delete(p.made, name) // somebody removed it, or it is another one
		case asked[name] || len(group.Members) > 0:
		default:
			id := unit.MembershipOf(name)
			if p.one(id, func() error { return p.host.DeleteGroup(p.ctx, group.SID) }) {
				delete(p.made, name)
				p.did(drift.GroupRemoved, id, name, drift.Details{})
			}
		}
	}
}
