package rights

import (
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/assign"
)

// Role is a set of rights.
type Role string

// The roles.
const (
	Viewer    Role = "viewer"
	Requester Role = "requester" // asks for rights for a time, for themselves
	Support   Role = "support"
	Author    Role = "author"
	Deployer  Role = "deployer"
	Auditor   Role = "auditor"
	Owner     Role = "owner"
)

// Roles are all of them, the least first.
var Roles = []Role{Viewer, Requester, Support, Author, Deployer, Auditor, Owner}

// Right is something that an operator may do.
type Right string

// The rights. Every operation of the operators' interface names one of them, or says with [Anybody] or
// [SignedIn] that it needs none.
const (
	Anybody  Right = "anybody"   // nobody needs to be signed in
	SignedIn Right = "signed-in" // whoever is signed in may

	Look       Right = "look"       // see devices, policies and drift
	Reveal     Right = "reveal"     // see passwords, with a reason
	Handle     Right = "handle"     // rotate, unlock, end sessions; orders of any kind
	AskOwn     Right = "ask-own"    // ask for rights for a time, for oneself; who has [Ask] has it too
	Ask        Right = "ask"        // ask for rights for a time
	Draft      Right = "draft"      // policies, groups, assignments
	Deploy     Right = "deploy"     // what reaches devices
	Trail      Right = "trail"      // read the whole audit trail
	Administer Right = "administer" // operators, tokens, devices, keys, settings
)

// rights of each role. An owner reveals nothing without being support as well.
var rights = map[Role][]Right{
	Viewer:    {Look},
	Requester: {Look, AskOwn},
	Support:   {Look, Reveal, Handle, AskOwn, Ask},
	Author:    {Look, Draft},
	Deployer:  {Look, AskOwn, Ask, Deploy},
	Auditor:   {Look, Trail},
	Owner:     {Look, Handle, AskOwn, Ask, Draft, Deploy, Trail, Administer},
}

// Valid reports whether r is a role.
func (r Role) Valid() bool { return slices.Contains(Roles, r) }

// Rights are those of a role, the least first.
func (r Role) Rights() []Right { return slices.Clone(rights[r]) }

// AlwaysEverywhere reports whether a role cannot be held on some devices only.
func (r Role) AlwaysEverywhere() bool { return r == Auditor || r == Owner }

// Has reports whether a role has a right.
func (r Role) Has(right Right) bool { return slices.Contains(rights[r], right) }

// Grant is a role with reach: it holds on the devices of the groups, or on all when there are none.
type Grant struct {
	Role   Role     `json:"role"`
	Groups []string `json:"groups"`
}

// Everything is the built-in group of all devices; reach over it is reach everywhere.
const Everything = assign.Everything

// Everywhere reports whether the role holds on all devices.
func (g Grant) Everywhere() bool {
	return len(g.Groups) == 0 || slices.Contains(g.Groups, Everything)
}

// Reach is on which devices a right holds: on all, or on those that are certainly in one of the groups.
// The zero Reach holds on none, so whoever forgets to set it shows nothing.
type Reach struct {
	everywhere bool
	groups     []string
}

// Everywhere is the reach over all devices.
var Everywhere = Reach{everywhere: true}

// ReachOver is the reach over the devices of groups, over none without groups.
func ReachOver(groups ...string) Reach {
	if slices.Contains(groups, Everything) {
		return Everywhere
	}
	return Reach{groups: slices.Clone(groups)}
}

// Everywhere reports whether the reach is over all devices.
func (r Reach) Everywhere() bool { return r.everywhere }

// Groups are those whose devices are in reach, sorted; none when the reach is everywhere or nowhere.
func (r Reach) Groups() []string { return r.groups }

// Keeps reports whether an assignment that includes some groups, within others, concerns nobody out of reach, whichever
// devices come into the groups.
func (r Reach) Keeps(include, within []string) bool {
	mine := func(group string) bool { return slices.Contains(r.groups, group) }
	return r.everywhere || slices.ContainsFunc(within, mine) ||
		!slices.ContainsFunc(include, func(group string) bool { return !mine(group) })
}

// Identity is who asks for something, from where, and with which rights.
type Identity struct {
	OperatorID string
	Name       string
	Grants     []Grant
	Address    string
	Token      string    // identifier of the API token that was used, if any
	FreshAt    time.Time // when the operator last gave the password here
	Factor     bool      // the session was opened with a second factor
	AtProvider bool      // who signs in with the identity provider
	Sealed     bool      // the owner for the day on which nobody else gets in
	MustChange bool      // the password was given by somebody else, and is changed before anything else
	Epoch      int64     // of the operator; what began in another one is worth nothing
}

// FreshFor is how long after giving the password somebody may do what an open session alone may not.
const FreshFor = 15 * time.Minute

// Fresh reports whether the password was given a short while ago.
func (i Identity) Fresh(now time.Time) bool { return now.Sub(i.FreshAt) <= FreshFor }

// May reports whether the identity has a right on some device at least.
func (i Identity) May(right Right) bool {
	switch right {
	case Anybody:
		return true
	case SignedIn:
		return i.OperatorID != ""
	}
	return slices.ContainsFunc(i.Grants, func(g Grant) bool { return g.Role.Has(right) })
}

// Reach gives on which devices the identity has a right.
func (i Identity) Reach(right Right) Reach {
	var groups []string
	for _, g := range i.Grants {
		if !g.Role.Has(right) {
			continue
		}
		if g.Everywhere() {
			return Everywhere
		}
		groups = append(groups, g.Groups...)
	}
	slices.Sort(groups)
	return Reach{groups: slices.Compact(groups)}
}

// Has reports whether the identity has a role.
func (i Identity) Has(role Role) bool {
	return slices.ContainsFunc(i.Grants, func(g Grant) bool { return g.Role == role })
}

// Rights are all rights of the identity. Asking for oneself is not told of whoever may ask for anybody.
func (i Identity) Rights() []Right {
	all := []Right{}
	for _, right := range []Right{Look, Reveal, Handle, AskOwn, Ask, Draft, Deploy, Trail, Administer} {
		if i.May(right) && (right != AskOwn || !i.May(Ask)) {
			all = append(all, right)
		}
	}
	return all
}

// RoleNames are the roles in words.
func RoleNames(grants []Grant) string {
	names := make([]string, len(grants))
	for i, g := range grants {
		names[i] = string(g.Role)
		if len(g.Groups) > 0 {
			names[i] += " on " + strings.Join(g.Groups, ", ")
		}
	}
	return strings.Join(names, ", ")
}

// Limited keeps of what a token was given what its operator has now: never more than either. Where both
// have reach over groups only, the groups that both name are left.
func Limited(given, now []Grant) []Grant {
	var kept []Grant
	for _, g := range given {
		var groups []string
		everywhere := false
		for _, n := range now {
			if n.Role != g.Role && !covers(n.Role, g.Role) {
				continue
			}
			switch {
			case n.Everywhere() && g.Everywhere():
				everywhere = true
			case n.Everywhere():
				groups = append(groups, g.Groups...)
			case g.Everywhere():
				groups = append(groups, n.Groups...)
			default:
				groups = append(groups, slices.DeleteFunc(
					slices.Clone(g.Groups),
					func(name string) bool { return !slices.Contains(n.Groups, name) },
				)...)
			}
		}
		slices.Sort(groups)
		switch groups = slices.Compact(groups); {
		case everywhere:
			kept = append(kept, Grant{Role: g.Role, Groups: []string{}})
		case len(groups) > 0:
			kept = append(kept, Grant{Role: g.Role, Groups: groups})
		}
	}
	return kept
}

// Narrowed is what a token of one role may be given by somebody with the grants: that role, with the
// reach of the grants that cover it. An empty role is all of the grants.
func Narrowed(grants []Grant, role Role) []Grant {
	if role == "" {
		return grants
	}
	return Limited([]Grant{{Role: role}}, grants)
}

func covers(role, other Role) bool {
	return !slices.ContainsFunc(rights[other], func(r Right) bool { return !role.Has(r) })
}
