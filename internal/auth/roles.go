package auth

import (
	"slices"
	"strings"
	"time"
)

// Role is a set of rights.
type Role string

// The roles.
const (
	Viewer   Role = "viewer"
	Support  Role = "support"
	Author   Role = "author"
	Deployer Role = "deployer"
	Auditor  Role = "auditor"
	Owner    Role = "owner"
)

// Roles are all of them, the least first.
var Roles = []Role{Viewer, Support, Author, Deployer, Auditor, Owner}

// Right is something that an operator may do.
type Right string

// The rights.
const (
	Look       Right = "look"       // see devices, policies and drift
	RevealIt   Right = "reveal"     // see passwords, with a reason
	Handle     Right = "handle"     // rotate, unlock, end sessions; orders of any kind
	Draft      Right = "draft"      // policies, groups, assignments
	Deploy     Right = "deploy"     // what reaches devices
	Trail      Right = "trail"      // read the whole audit trail
	Administer Right = "administer" // operators, tokens, devices, keys, settings
)

// rights of each role. An owner reveals nothing without being support as well.
var rights = map[Role][]Right{
	Viewer:   {Look},
	Support:  {Look, RevealIt, Handle},
	Author:   {Look, Draft},
	Deployer: {Look, Deploy},
	Auditor:  {Look, Trail},
	Owner:    {Look, Handle, Draft, Deploy, Trail, Administer},
}

// Valid reports whether r is a role.
func (r Role) Valid() bool { return slices.Contains(Roles, r) }

// Has reports whether a role has a right.
func (r Role) Has(right Right) bool { return slices.Contains(rights[r], right) }

// Grant is a role with reach: it holds on the devices of the groups, or on all when there are none.
type Grant struct {
	Role   Role     `json:"role"`
	Groups []string `json:"groups"`
}

// Identity is who asks for something, from where, and with which rights.
type Identity struct {
	OperatorID string
	Name       string
	Grants     []Grant
	Address    string
	Token      string    // identifier of the API token that was used, if any
	FreshAt    time.Time // when the operator last gave the password here
}

// May reports whether the identity has a right on some device at least.
func (i Identity) May(right Right) bool {
	return slices.ContainsFunc(i.Grants, func(g Grant) bool { return g.Role.Has(right) })
}

// Reach gives the groups on whose devices the identity has a right; everywhere is true when it has it
// on all devices.
func (i Identity) Reach(right Right) (groups []string, everywhere bool) {
	for _, g := range i.Grants {
		if !g.Role.Has(right) {
			continue
		}
		if len(g.Groups) == 0 {
			return nil, true
		}
		groups = append(groups, g.Groups...)
	}
	return groups, false
}

// Has reports whether the identity has a role.
func (i Identity) Has(role Role) bool {
	return slices.ContainsFunc(i.Grants, func(g Grant) bool { return g.Role == role })
}

// Rights are all rights of the identity.
func (i Identity) Rights() []Right {
	all := []Right{}
	for _, right := range []Right{Look, RevealIt, Handle, Draft, Deploy, Trail, Administer} {
		if i.May(right) {
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

// Within keeps what a token of one role may do for its maker: nothing more than the maker. An empty
// role is all of the maker's.
func Within(grants []Grant, role Role) []Grant {
	if role == "" {
		return grants
	}
	var kept []Grant
	for _, g := range grants {
		if g.Role == role || covers(g.Role, role) {
			kept = append(kept, Grant{role, g.Groups})
		}
	}
	return kept
}

func covers(role, other Role) bool {
	return !slices.ContainsFunc(rights[other], func(r Right) bool { return !role.Has(r) })
}
