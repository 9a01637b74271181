package preview

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// identity is who is a member: an identifier, or the key of an account that does not exist yet.
type identity struct {
	sid principal.SID
	key string
}

func (i identity) isNobody() bool { return i == identity{} }

// identify is who stands for a principal in a future, nobody where there is none.
func (c *comparer) identify(ref principal.Ref, future int) identity {
	if ref.Kind() != principal.Account {
		return identity{sid: c.state.Find(ref, nil, c.directory)}
	}
	k := c.key(ref.Value())
	switch m := k.means[future]; {
	case m.account != nil:
		return identity{sid: m.account.SID}
	case !m.ambiguous && on(k.asked[future]):
		return identity{key: k.key}
	}
	return identity{}
}

func (c *comparer) identifyAll(refs []principal.Ref, future int) (list []identity) {
	for _, ref := range refs {
		if who := c.identify(ref, future); !who.isNobody() && !slices.Contains(list, who) {
			list = append(list, who)
		}
	}
	return list
}

// membersOf are the members of a local group in a future.
func (c *comparer) membersOf(id unit.ID, group *drift.LocalGroup, future int) []identity {
	desired, asked := valueOf(c.desired[future], id).(unit.Members)
	var list []identity
	if !desired.Closed {
		for _, m := range group.Members {
			list = append(list, identity{sid: m.SID})
		}
	}
	if asked {
		for _, who := range c.identifyAll(desired.Present, future) {
			if !slices.Contains(list, who) {
				list = append(list, who)
			}
		}
		absent := c.identifyAll(desired.Absent, future)
		list = slices.DeleteFunc(list, func(who identity) bool { return slices.Contains(absent, who) })
	}
	removed := c.removed(future)
	return slices.DeleteFunc(list, func(who identity) bool { return slices.Contains(removed, who.sid) })
}

// removed are the identifiers of the accounts that a future removes.
func (c *comparer) removed(future int) (sids []principal.SID) {
	for _, s := range c.desired[future] {
		if v, ok := s.Value.(unit.AccountValue); ok && v.State == unit.Absent {
			key, _ := s.Unit.AccountKey()
			if a := c.key(key).means[future].account; a != nil {
				sids = append(sids, a.SID)
			}
		}
	}
	return sids
}

// group is a local group that the device reported, under the name that policies have for it.
type group struct {
	id unit.ID
	*drift.LocalGroup
}

// groups are the local groups of the report.
func (c *comparer) groups() (list []group) {
	for i := range c.state.LocalGroups {
		g := &c.state.LocalGroups[i]
		if id := unit.MembershipOf(nameOf(g)); !id.IsZero() {
			list = append(list, group{id, g})
		}
	}
	for _, change := range c.changes { // one that a policy calls by the name it has in the device's language
		name, ok := change.Unit.LocalGroup()
		if !ok || slices.ContainsFunc(list, func(g group) bool { return g.id == change.Unit }) {
			continue
		}
		if g, there := c.state.Group(name); there {
			list = append(list, group{change.Unit, &g})
		}
	}
	return list
}

// nameOf is what policies call a local group: by its well-known identifier, else by its name.
func nameOf(g *drift.LocalGroup) string {
	for name := range unit.KnownLocalGroups {
		if drift.WellKnown(name) == g.SID {
			return name
		}
	}
	return text.Fold(g.LocalGroup)
}

// members finds out who leaves and who joins the local groups that the device has.
func (c *comparer) members() {
	for _, g := range c.groups() {
		if !c.touches[unit.Accounts] && same(valueOf(c.desired[without], g.id), valueOf(c.desired[with], g.id)) {
			continue
		}
		before, after := c.membersOf(g.id, g.LocalGroup, without), c.membersOf(g.id, g.LocalGroup, with)
		for _, who := range before {
			if !slices.Contains(after, who) {
				c.add(g.id, effect.MemberLeaves, c.subject(who), nil, nil)
			}
		}
		for _, who := range after {
			if !slices.Contains(before, who) {
				c.add(g.id, effect.MemberJoins, c.subject(who), nil, nil)
			}
		}
	}
}

// subject names a member as findings do.
func (c *comparer) subject(who identity) string {
	if who.key != "" {
		return principal.FromKey(who.key).String()
	}
	return c.state.Name(who.sid, c.directory).String()
}
