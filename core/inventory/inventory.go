// Package inventory says what local accounts a device has and who is in its local groups, and what changed between two
// such inventories. It is about everything that is there, asked for by a policy or not.
package inventory

import (
	"cmp"
	"reflect"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Bounds of an inventory. What is beyond them is only counted; privileged ones come first.
const (
	MaxAccounts = 2000
	MaxMembers  = 20_000
)

// Account is a local account as a device has it.
type Account struct {
	SID      principal.SID `json:"sid"`
	Name     string        `json:"name"`
	FullName string        `json:"full_name,omitempty"`
	Enabled  bool          `json:"enabled"`
	Builtin  string        `json:"builtin,omitempty"` // administrator or guest
	Key      string        `json:"key,omitempty"`     // of the managed account that the device has bound it to
	// Privileged says that it can take the device over: it is the built-in administrator, or in a privileged local
	// group.
	Privileged    bool      `json:"privileged,omitempty"`
	PasswordSetAt time.Time `json:"password_set_at"` // zero where the device does not know
	LastSignIn    time.Time `json:"last_sign_in"`    // the day of it; zero where the device knows of none
	Runs          []string  `json:"runs,omitempty"`  // services and scheduled tasks that run as it
}

// Equal reports whether two accounts are the same in everything.
func (a Account) Equal(b Account) bool {
	runs := slices.Equal(a.Runs, b.Runs)
	a.Runs, b.Runs = nil, nil
	return runs && reflect.DeepEqual(a, b)
}

// SudoersGroup stands in place of a local group for whom sudoers(5) allow something; it has no identifier.
const SudoersGroup = "sudoers"

// Member is one member of a local group. Name is empty where the device cannot resolve the identifier.
type Member struct {
	Group      string        `json:"group"`
	GroupSID   principal.SID `json:"group_sid"`
	SID        principal.SID `json:"sid"`
	Name       string        `json:"name,omitempty"`
	Privileged bool          `json:"privileged,omitempty"` // members of the group can take the device over
	// Via is by what somebody is in without being a member, such as a file of sudoers.
	Via string `json:"via,omitempty"`
}

// Inventory is what a device has, in the order of identifiers.
type Inventory struct {
	Accounts []Account `json:"accounts"`
	Members  []Member  `json:"members"`
	// MoreAccounts and MoreMembers are how many are beyond the bounds.
	MoreAccounts int `json:"more_accounts,omitempty"`
	MoreMembers  int `json:"more_members,omitempty"`
	// Usual is who uses the device most, see [drift.State].
	Usual string `json:"usual,omitempty"`
}

// way is by what a member is told from others: the local group and whoever is in it.
type way struct{ group, sid principal.SID }

func (m Member) way() way { return way{m.GroupSID, m.SID} }

// Of takes the inventory from a reported state. An identifier that the device gives twice, as Linux does for a second
// name of one number, counts once, by its first name, of groups by that of a
// privileged one.
func Of(state drift.State) Inventory {
	x := Inventory{Accounts: []Account{}, Members: []Member{}, Usual: state.Usual}
	privileged, known, ways := map[principal.SID]bool{}, map[principal.SID]bool{}, map[way]int{}
	for _, g := range state.LocalGroups {
		may := privilegedGroup(g)
		for _, m := range g.Members {
			privileged[m.SID] = privileged[m.SID] || may
			of := Member{Group: g.LocalGroup, GroupSID: g.SID, SID: m.SID, Name: m.Name, Privileged: may, Via: m.Via}
			if at, twice := ways[of.way()]; !twice {
				ways[of.way()] = len(x.Members)
				x.Members = append(x.Members, of)
			} else if may && !x.Members[at].Privileged {
				x.Members[at] = of
			}
		}
	}
	sudoers(&x, state.Sudo, privileged)
	uses := map[principal.SID]drift.Use{}
	for _, u := range state.Uses {
		uses[u.SID] = u
	}
	for _, a := range state.Accounts {
		if known[a.SID] {
			continue
		}
		known[a.SID] = true
		use := uses[a.SID]
		var used time.Time
		if use.LastSignIn != nil {
			used = Day(*use.LastSignIn)
		}
		x.Accounts = append(x.Accounts, Account{
			LastSignIn: used, Runs: use.Runs,
			SID: a.SID, Name: a.Name, FullName: a.FullName, Enabled: a.Enabled, Builtin: a.Builtin, Key: a.Key,
			Privileged:    privileged[a.SID] || a.Builtin == principal.Administrator.Value(),
			PasswordSetAt: a.PasswordSetAt.UTC().Truncate(time.Microsecond), // as it is stored
		})
	}
	x.Accounts, x.MoreAccounts = bounded(x.Accounts, MaxAccounts, func(a Account) bool { return a.Privileged })
	x.Members, x.MoreMembers = bounded(x.Members, MaxMembers, func(m Member) bool { return m.Privileged })
	x.MoreAccounts += state.MoreAccounts
	x.MoreMembers += state.MoreMembers
	slices.SortFunc(x.Accounts, func(a, b Account) int { return a.SID.Compare(b.SID) })
	slices.SortFunc(x.Members, func(a, b Member) int {
		return cmp.Or(a.GroupSID.Compare(b.GroupSID), a.SID.Compare(b.SID))
	})
	return x
}

// privilegedGroup reports whether members of a local group can take the device over, by its name or, whatever the
// device calls it, by its identifier.
func privilegedGroup(g drift.LocalGroup) bool {
	return unit.IsPrivileged(g.LocalGroup) || unit.IsPrivileged(g.PolicyName())
}

// Day is the day of a time, in UTC: a last sign-in is known by no more, so that it is written once a day.
func Day(t time.Time) time.Time { return t.UTC().Truncate(24 * time.Hour) }

// sudoers adds whom sudoers(5) allow something, once each.
func sudoers(x *Inventory, list []drift.Sudo, privileged map[principal.SID]bool) {
	at := map[principal.SID]int{}
	for _, s := range list {
		if s.SID.IsZero() {
			continue // an account or group that the device does not have
		}
		privileged[s.SID] = privileged[s.SID] || s.Root
		via := s.Via + ": " + strings.Join(s.Commands, ", ")
		if i, twice := at[s.SID]; twice {
			x.Members[i].Via += "; " + via
			x.Members[i].Privileged = x.Members[i].Privileged || s.Root
			continue
		}
		at[s.SID] = len(x.Members)
		x.Members = append(x.Members,
			Member{Group: SudoersGroup, SID: s.SID, Name: s.Name, Privileged: s.Root, Via: via})
	}
}

// Bound leaves out of a reported state what is beyond the bounds, and says how many that is. What a policy manages,
// what is built in and what is privileged stays first.
func Bound(state *drift.State) { BoundTo(state, 1) }

// BoundTo is [Bound] with a part of the room alone, such as the 4th.
func BoundTo(state *drift.State, part int) {
	mostAccounts, mostMembers := MaxAccounts/part, MaxMembers/part
	privileged := map[principal.SID]bool{}
	members := 0
	for _, g := range state.LocalGroups {
		members += len(g.Members)
		for _, m := range g.Members {
			privileged[m.SID] = privileged[m.SID] || privilegedGroup(g)
		}
	}
	if len(state.Accounts) > mostAccounts {
		more := 0
		state.Accounts, more = bounded(slices.Clone(state.Accounts), mostAccounts,
			func(a drift.Account) bool { return a.Key != "" || a.Builtin != "" || privileged[a.SID] })
		state.MoreAccounts += more
	}
	if members <= mostMembers {
		return
	}
	room := mostMembers
	groups := slices.Clone(state.LocalGroups)
	for _, first := range []bool{true, false} {
		for i, g := range groups {
			if privilegedGroup(g) != first {
				continue
			}
			kept := min(room, len(g.Members))
			state.MoreMembers += len(g.Members) - kept
			groups[i].Members = g.Members[:kept]
			room -= kept
		}
	}
	state.LocalGroups = groups
}

// Whether a device has accounts that no policy manages and that are not built in.
const (
	UnknownNone       = ""
	UnknownSome       = "some"
	UnknownPrivileged = "privileged" // one of them can take the device over
)

// Unknown says whether there are accounts that no policy manages and that are not built in.
func (x Inventory) Unknown() string {
	found := UnknownNone
	for _, a := range x.Accounts {
		if a.Key != "" || a.Builtin != "" {
			continue
		}
		if a.Privileged {
			return UnknownPrivileged
		}
		found = UnknownSome
	}
	return found
}

// bounded keeps the first of a list, with those first that come first.
func bounded[T any](list []T, most int, first func(T) bool) (kept []T, more int) {
	if len(list) <= most {
		return list, 0
	}
	slices.SortStableFunc(list, func(a, b T) int {
		switch {
		case first(a) == first(b):
			return 0
		case first(a):
			return -1
		}
		return 1
	})
	return list[:most], len(list) - most
}
