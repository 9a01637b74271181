package preview

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
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

// membership is what is asked of a local group in a future, with the warrants that run laid over it, nil for nothing.
func (c *comparer) membership(id unit.ID, future int) unit.Value {
	asked := unit.ValueOf(c.desired[future], id)
	if len(c.warrants.Of(id)) == 0 || slices.Contains(c.unable, id) {
		return asked
	}
	if _, limited := c.state.LimitOf(id); limited && asked == nil {
		return nil
	}
	return c.warrants.Lay(id, asked)
}

// membersOf are the members of a local group in a future.
func (c *comparer) membersOf(id unit.ID, group *drift.LocalGroup, future int) []identity {
	desired, asked := c.membership(id, future).(unit.Members)
	list := make([]identity, 0, len(group.Members)+len(desired.Present))
	if !desired.Closed {
		for _, m := range group.Members {
			list = append(list, identity{sid: m.SID})
		}
	}
	if asked {
		for _, ref := range desired.Present {
			if who := c.identify(ref, future); !who.isNobody() && !slices.Contains(list, who) {
				list = append(list, who)
			}
		}
		for _, ref := range desired.Absent {
			if at := slices.Index(list, c.identify(ref, future)); at >= 0 {
				list = slices.Delete(list, at, at+1)
			}
		}
	}
	for i := range c.accounts {
		if v := c.accounts[i].asked[future]; v != nil && v.State == unit.Absent {
			if a := c.key(c.accounts[i].key).means[future].account; a != nil {
				list = slices.DeleteFunc(list, func(who identity) bool { return who.sid == a.SID })
			}
		}
	}
	return list
}

// group is a local group that the device reported, under the name that policies have for it.
type group struct {
	id unit.ID
	*drift.LocalGroup
}

// knownIDs are the settings of known local groups by name.
var knownIDs = func() map[string]unit.ID {
	ids := map[string]unit.ID{}
	for name := range unit.KnownLocalGroups {
		ids[name] = unit.MembershipOf(name)
	}
	return ids
}()

// idOf is the setting of a local group, the zero ID where its name can be none.
func idOf(g *drift.LocalGroup) unit.ID {
	name := g.PolicyName()
	if id, known := knownIDs[name]; known {
		return id
	}
	return unit.MembershipOf(name)
}

// groups are the local groups of the report.
func (c *comparer) groups() (list []group) {
	list = make([]group, 0, len(c.state.LocalGroups))
	for i := range c.state.LocalGroups {
		g := &c.state.LocalGroups[i]
		if id := idOf(g); !id.IsZero() {
			list = append(list, group{id, g})
		}
	}
	for _, change := range c.changes { // one that a policy calls by the name it has in the device's language
		name, ok := change.Unit.LocalGroup()
		if !ok || slices.ContainsFunc(list, func(g group) bool { return g.id == change.Unit }) {
			continue
		}
		g, there := c.state.Group(name)
		asked, _ := change.After.(unit.Members)
		if there {
			list = append(list, group{change.Unit, &g})
		} else if asked.Create {
			list = append(list, group{change.Unit, &drift.LocalGroup{LocalGroup: name}})
		}
	}
	return list
}

// members finds out who leaves and who joins the local groups that the device has.
func (c *comparer) members() {
	for _, g := range c.groups() {
		if !c.touches[unit.Accounts] &&
			same(unit.ValueOf(c.desired[without], g.id), unit.ValueOf(c.desired[with], g.id)) {
			continue
		}
		c.made(g)
		before, after := c.membersOf(g.id, g.LocalGroup, without), c.membersOf(g.id, g.LocalGroup, with)
		if g.id == unit.Administrators {
			c.administrators = &[2][]identity{before, after}
		}
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

// made finds out whether a group is created, or goes since nobody asks for it any more and it is empty.
func (c *comparer) made(g group) {
	before, _ := unit.ValueOf(c.desired[without], g.id).(unit.Members)
	after, _ := unit.ValueOf(c.desired[with], g.id).(unit.Members)
	switch {
	case g.SID.IsZero() && !before.Create:
		c.add(g.id, effect.GroupCreated, "", nil, nil)
	case g.Made && before.Create && !after.Create && len(g.Members) == 0:
		c.add(g.id, effect.GroupRemoved, "", nil, nil)
	}
}

// subject names a member as findings do.
func (c *comparer) subject(who identity) string {
	if who.key != "" {
		return principal.FromKey(who.key).String()
	}
	return c.state.Name(who.sid, c.directory).String()
}
