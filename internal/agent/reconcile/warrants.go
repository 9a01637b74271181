package reconcile

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/agent/journal"
)

// layWarrants lays the warrants that run over what is asked.
func (p *pass) layWarrants() {
	p.warrants, p.asked = p.job.Running(p.job.Now), p.job.Settings
	p.job.Settings = p.warrants.Over(p.asked, nil)
}

// moved is a membership that began or ended by warrant in a pass.
type moved struct {
	group  principal.SID
	member drift.Member
	joined bool
}

// asMoved is what a pass found, with memberships by warrant as it left them: that they begin and end is no deviation.
func (p *pass) asMoved(found drift.State) drift.State {
	if len(p.moved) == 0 {
		return found
	}
	found.LocalGroups = slices.Clone(found.LocalGroups)
	for _, m := range p.moved {
		for i, g := range found.LocalGroups {
			if g.SID != m.group {
				continue
			}
			members := slices.DeleteFunc(slices.Clone(g.Members), func(x drift.Member) bool {
				return x.SID == m.member.SID
			})
			if m.joined {
				members = append(members, m.member)
			}
			found.LocalGroups[i].Members = members
		}
	}
	return found
}

// byWarrant is the warrant by which alone a principal is to be a member.
func (p *pass) byWarrant(id unit.ID, ref principal.Ref) (warrant.Held, bool) {
	for _, h := range p.warrants.Of(id) {
		if h.Principal == ref && h.On(unit.ValueOf(p.asked, id)) == warrant.Added {
			return h, true
		}
	}
	return warrant.Held{}, false
}

// grant keeps a membership before it is given: should the power go in between, it is taken away at its end.
func (p *pass) grant(held warrant.Held, group, member principal.SID) error {
	w := p.job.Warrants[held.Of]
	kept := slices.DeleteFunc(slices.Clone(p.granted), func(g journal.Granted) bool {
		return g.Unit == w.Unit && g.Principal == w.Principal
	})
	kept = append(kept, journal.Granted{Warrant: w.ID, Unit: w.Unit, Principal: w.Principal, Group: group,
		Member: member, Until: w.Until, EndSessions: w.EndSessions})
	if err := p.job.Keep(kept); err != nil {
		return err
	}
	p.granted = kept
	return nil
}

// warrantsEnd takes memberships away whose warrant runs no more, and no policy asks for. The guard does not hold them:
// before the warrant the device was without them.
func (p *pass) warrantsEnd() {
	for _, g := range slices.Clone(p.granted) {
		if p.fatal != nil {
			return
		}
		at := slices.IndexFunc(p.warrants.Of(g.Unit), func(h warrant.Held) bool { return h.Principal == g.Principal })
		if at >= 0 {
			p.prolong(g, p.warrants.Of(g.Unit)[at])
			continue
		}
		asked, _ := unit.ValueOf(p.asked, g.Unit).(unit.Members)
		over := asked.Has(g.Principal) || !p.isMember(g) // a policy asks for it meanwhile, or somebody took it away
		if !over {
			over = p.try([]unit.ID{g.Unit}, g.Principal, func() error {
				return p.host.RemoveMember(p.ctx, g.Group, g.Member)
			})
			if over {
				p.moved = append(p.moved, moved{g.Group, drift.Member{SID: g.Member}, false})
				p.did(drift.WarrantLeft, g.Unit, g.Principal.String(), details(g.Warrant, g.Until))
			}
		}
		if over && g.EndSessions && !asked.Has(g.Principal) {
			over = p.try([]unit.ID{g.Unit}, g.Principal, func() error { return p.host.EndSessions(p.ctx, g.Member) })
		}
		if over {
			p.granted = slices.DeleteFunc(p.granted, func(x journal.Granted) bool {
				return x.Unit == g.Unit && x.Principal == g.Principal
			})
		}
		p.read()
	}
}

// prolong follows a warrant whose end was moved, or that another one took the place of.
func (p *pass) prolong(g journal.Granted, held warrant.Held) {
	w := p.job.Warrants[held.Of]
	for i, x := range p.granted {
		if x.Unit != g.Unit || x.Principal != g.Principal || x.Until.Equal(w.Until) && x.Warrant == w.ID {
			continue
		}
		p.granted[i].Warrant, p.granted[i].Until, p.granted[i].EndSessions = w.ID, w.Until, w.EndSessions
		p.granted[i].Told = false
	}
}

func (p *pass) isMember(g journal.Granted) bool {
	return slices.ContainsFunc(p.State.LocalGroups, func(x drift.LocalGroup) bool {
		return x.SID == g.Group && x.Has(g.Member)
	})
}

func details(warrant string, until time.Time) drift.Details {
	return drift.Details{Warrant: warrant, Time: &until}
}
