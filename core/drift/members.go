package drift

import (
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
)

func (c *checker) members(unit resolve.UnitID, desired resolve.Members) {
	name, _ := unit.LocalGroup()
	group, there := c.state.Group(name)
	if !there {
		c.add(unit, GroupMissing, "", nil, nil)
		return
	}
	asked := map[principal.SID]bool{}
	for _, ref := range desired.Present {
		sid := c.state.Find(ref)
		asked[sid] = true
		switch {
		case sid.IsZero():
			c.add(unit, MemberMissing, ref.String(), IsMember, NoSuchAccount)
		case !group.Has(sid):
			c.add(unit, MemberMissing, ref.String(), IsMember, IsNotMember)
		}
	}
	if desired.Closed {
		for _, m := range group.Members {
			if !asked[m.SID] {
				c.add(unit, MemberExtra, c.state.Name(m.SID).String(), IsNotMember, IsMember)
			}
		}
		return
	}
	for _, ref := range desired.Absent {
		if sid := c.state.Find(ref); !sid.IsZero() && group.Has(sid) {
			c.add(unit, MemberForbidden, ref.String(), IsNotMember, IsMember)
		}
	}
}

// Group finds a local group by its name in a policy; known groups are found by their well-known
// identifier, whatever the device calls them.
func (s State) Group(name string) (LocalGroup, bool) {
	known := WellKnown(name)
	i := slices.IndexFunc(s.LocalGroups, func(g LocalGroup) bool {
		return !known.IsZero() && g.SID == known || text.Fold(g.LocalGroup) == name
	})
	if i < 0 {
		return LocalGroup{}, false
	}
	return s.LocalGroups[i], true
}

// WellKnown is the identifier of a known local group, and zero for any other.
func WellKnown(localGroup string) principal.SID {
	id, ok := policy.KnownLocalGroups[localGroup]
	if !ok {
		return principal.SID{}
	}
	return principal.BuiltinDomain(id)
}

// Has reports whether the identifier is a member.
func (g LocalGroup) Has(sid principal.SID) bool {
	return slices.ContainsFunc(g.Members, func(m Member) bool { return m.SID == sid })
}

// Find is the identifier that stands for a principal on this device, and zero when nobody does.
func (s State) Find(ref principal.Ref) principal.SID {
	switch ref.Kind() {
	case principal.Bare:
		return ref.SID()
	case principal.Builtin:
		for _, a := range s.Accounts {
			if a.Builtin == ref.Value() {
				return a.SID
			}
		}
	case principal.Local:
		for _, a := range s.Accounts {
			if text.Fold(a.Name) == ref.Value() {
				return a.SID
			}
		}
		for _, g := range s.LocalGroups {
			if text.Fold(g.LocalGroup) == ref.Value() {
				return g.SID
			}
		}
	}
	return principal.SID{}
}

// Name is the reference by which an identifier is best known on this device.
func (s State) Name(sid principal.SID) principal.Ref {
	for _, a := range s.Accounts {
		switch {
		case a.SID != sid:
		case a.Builtin == principal.Administrator.Value():
			return principal.Administrator
		case a.Builtin == principal.Guest.Value():
			return principal.Guest
		default:
			return principal.FromLocal(a.Name)
		}
	}
	return principal.FromSID(sid)
}
