package drift

import (
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

func (c *checker) members(id unit.ID, desired unit.Members) {
	name, _ := id.LocalGroup()
	group, there := c.state.Group(name)
	if !there {
		c.add(id, GroupMissing, "", nil, nil)
		return
	}
	if group.NoEffect != "" {
		c.add(id, GroupNoEffect, "", nil, group.NoEffect)
	}
	asked := make(map[principal.SID]bool, len(desired.Present))
	for _, ref := range desired.Present {
		sid, why := c.find(ref)
		asked[sid] = true
		switch {
		case sid.IsZero():
			c.add(id, MemberMissing, ref.String(), IsMember, why)
		case !group.Has(sid):
			c.add(id, MemberMissing, ref.String(), IsMember, IsNotMember)
		}
	}
	if desired.Closed {
		for _, m := range group.Members {
			if !asked[m.SID] {
				c.unwanted(id, MemberExtra, c.state.Name(m.SID, c.Directory), m)
			}
		}
		return
	}
	for _, ref := range desired.Absent {
		if sid, _ := c.find(ref); !sid.IsZero() {
			if m, is := group.Member(sid); is {
				c.unwanted(id, MemberForbidden, ref, m)
			}
		}
	}
}

// unwanted finds somebody who should not be a member. The built-in administrator of a system that needs no group for it
// is none.
func (c *checker) unwanted(id unit.ID, kind Kind, ref principal.Ref, member Member) {
	if ref == principal.Administrator && member.Via != "" {
		return
	}
	subject := ref.String()
	if ref.Kind() == principal.Bare && member.Name != "" && member.Via != "" {
		subject = member.Name // nobody in particular, such as whoever knows the password of a group
	}
	c.findings = append(c.findings, Finding{Unit: id, Kind: kind, Subject: subject, Expected: IsNotMember,
		Actual: IsMember, Via: member.Via, Member: member.SID})
}

// find is the identifier that stands for a principal on this device; it is zero, and why says the
// reason, when there is none.
func (c *checker) find(ref principal.Ref) (sid principal.SID, why string) {
	names := Names(c.settings)
	if c.Bound {
		names = nil
	}
	if sid := c.state.Find(ref, names, c.Directory); !sid.IsZero() {
		return sid, ""
	}
	if ref.Kind().InDirectory() {
		return principal.SID{}, NotKnown
	}
	return principal.SID{}, NoSuchAccount
}

// Names gives the pattern of the name of a managed account, and "" where none is settled.
type Names []unit.Setting

func (n Names) pattern(key string) string {
	i, found := slices.BinarySearchFunc(
		n,
		unit.AccountOf(key),
		func(s unit.Setting, u unit.ID) int { return s.Unit.Compare(u) },
	)
	if !found {
		return ""
	}
	a, _ := n[i].Value.(unit.AccountValue)
	return a.Name
}

// Group finds a local group by its name in a policy; known groups are found by their well-known
// identifier, whatever the device calls them.
func (s *State) Group(name string) (LocalGroup, bool) {
	known := WellKnown(name)
	i := slices.IndexFunc(s.LocalGroups, func(g LocalGroup) bool {
		return !known.IsZero() && g.SID == known || text.Fold(g.LocalGroup) == name
	})
	if i < 0 {
		return LocalGroup{}, false
	}
	return s.LocalGroups[i], true
}

// wellKnown are the identifiers of known local groups, and their names.
var wellKnown, wellKnownNames = func() (map[string]principal.SID, map[principal.SID]string) {
	sids, names := map[string]principal.SID{}, map[principal.SID]string{}
	for name, id := range unit.KnownLocalGroups {
		sids[name] = principal.BuiltinDomain(id)
		names[sids[name]] = name
	}
	return sids, names
}()

// KnownName is the known local group of an identifier, and empty for any other.
func KnownName(sid principal.SID) string { return wellKnownNames[sid] }

// WellKnown is the identifier of a known local group, and zero for any other.
func WellKnown(localGroup string) principal.SID { return wellKnown[localGroup] }

// PolicyName is what policies call the local group: by its well-known identifier, else by its name in canonical case.
func (g LocalGroup) PolicyName() string {
	if name, known := wellKnownNames[g.SID]; known {
		return name
	}
	return text.Fold(g.LocalGroup)
}

// Has reports whether the identifier is a member.
func (g LocalGroup) Has(sid principal.SID) bool {
	_, is := g.Member(sid)
	return is
}

// Member is the member of an identifier.
func (g LocalGroup) Member(sid principal.SID) (Member, bool) {
	i := slices.IndexFunc(g.Members, func(m Member) bool { return m.SID == sid })
	if i < 0 {
		return Member{}, false
	}
	return g.Members[i], true
}

// Find is the identifier that stands for a principal on this device, and zero when nobody does.
// A managed account that is not bound is found by the pattern of its name.
func (s *State) Find(ref principal.Ref, names Names, directory principal.Directory) principal.SID {
	switch ref.Kind() {
	case principal.Bare:
		return ref.SID()
	case principal.User, principal.Group:
		if directory != nil {
			sid, _ := directory.SID(ref)
			return sid
		}
	case principal.Account:
		a, _ := s.Managed(ref.Value(), names.pattern(ref.Value()))
		return a.SID
	case principal.Builtin:
		for i := range s.Accounts {
			if s.Accounts[i].Builtin == ref.Value() {
				return s.Accounts[i].SID
			}
		}
	case principal.Local:
		return s.local(ref.Value())
	}
	return principal.SID{}
}

func (s *State) local(name string) principal.SID {
	for i := range s.Accounts {
		if text.Fold(s.Accounts[i].Name) == name {
			return s.Accounts[i].SID
		}
	}
	for i := range s.LocalGroups {
		if text.Fold(s.LocalGroups[i].LocalGroup) == name {
			return s.LocalGroups[i].SID
		}
	}
	return principal.SID{}
}

// Name is the reference by which an identifier is best known on this device: a built-in account, a
// managed one, another account of the device, the directory's, or the identifier itself.
func (s *State) Name(sid principal.SID, directory principal.Directory) principal.Ref {
	for i := range s.Accounts {
		a := &s.Accounts[i]
		switch {
		case a.SID != sid:
		case a.Builtin == principal.Administrator.Value():
			return principal.Administrator
		case a.Builtin == principal.Guest.Value():
			return principal.Guest
		case a.Key != "":
			return principal.FromKey(a.Key)
		default:
			return principal.FromLocal(a.Name)
		}
	}
	if directory != nil {
		if ref, ok := directory.Ref(sid); ok {
			return ref
		}
	}
	return principal.FromSID(sid)
}
