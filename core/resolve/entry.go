package resolve

import (
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// entry is what the same claims on a unit come to, once for all sets that make them, with what the checks of a lane ask
// of it.
type entry struct {
	Unit
	account  *unit.AccountValue // nil for what is no account, and for one that is contested
	rotation *rotated
	members  *membership
	name     string  // folded, that no other account of the device may have; empty for none
	from     []int32 // assignments that decided, by index
}

// rotated is what a rotation is checked for.
type rotated struct {
	target        int32 // index of the account's unit, -1 where no assignment asks for it
	administrator bool  // the built-in one is the target
	every         int   // minutes
	shortest      int   // length of a secret
	plain         bool
}

// membership is what the members of a local group are checked for.
type membership struct {
	unit.Members
	refs []member // of Present
}

// member is one that is to be in a local group.
type member struct {
	ref
	of            principal.Ref
	managed       bool // an account that policies declare
	administrator bool // the built-in one
	directory     bool // neither of the device's policies nor built in
}

// entryOf prepares what a unit came to for the checks.
func (s *Settler) entryOf(u Unit) *entry {
	e := &entry{Unit: u}
	for _, name := range u.From {
		e.from = append(e.from, s.named[name])
	}
	switch v := u.Value.(type) {
	case unit.AccountValue:
		e.account = &v
		if v.State != unit.Absent {
			e.name = v.Name
		}
	case unit.Text:
		if _, property, _ := u.Unit.Builtin(); property == unit.BuiltinName {
			e.name = string(v)
		}
	case unit.RotationValue:
		if target, ok := u.Unit.Target(); ok {
			e.rotation = &rotated{
				target: s.ref(target).account, administrator: target == principal.Administrator, every: v.EveryMinutes,
				shortest: v.Secret.ShortestLength(), plain: v.Secret.TooPlain(),
			}
		}
	case unit.Members:
		e.members = &membership{Members: v, refs: make([]member, 0, len(v.Present))}
		for _, of := range v.Present {
			kind := of.Kind()
			e.members.refs = append(e.members.refs, member{
				s.ref(of), of, kind == principal.Account, of == principal.Administrator,
				kind != principal.Account && kind != principal.Builtin,
			})
		}
	}
	if strings.Contains(e.name, "#") { // the device draws one that is free
		e.name = ""
	}
	e.name = text.Fold(e.name)
	return e
}

// has reports whether the account of a unit is to be a member.
func (m *membership) has(account int32) bool {
	for i := range m.refs {
		if m.refs[i].managed && m.refs[i].account == account {
			return true
		}
	}
	return false
}
