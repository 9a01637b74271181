// Package inventory says what local accounts a device has and who is in its local groups, and what changed between two
// such inventories. It is about everything that is there, asked for by a policy or not.
package inventory

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"
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
}

// Member is one member of a local group. Name is empty where the device cannot resolve the identifier.
type Member struct {
	Group      string        `json:"group"`
	GroupSID   principal.SID `json:"group_sid"`
	SID        principal.SID `json:"sid"`
	Name       string        `json:"name,omitempty"`
	Privileged bool          `json:"privileged,omitempty"` // members of the group can take the device over
}

// Inventory is what a device has, in the order of identifiers.
type Inventory struct {
	Accounts []Account `json:"accounts"`
	Members  []Member  `json:"members"`
	// MoreAccounts and MoreMembers are how many are beyond the bounds.
	MoreAccounts int `json:"more_accounts,omitempty"`
	MoreMembers  int `json:"more_members,omitempty"`
}

// way is by what a member is told from others: the local group and whoever is in it.
type way struct{ group, sid principal.SID }

func (m Member) way() way { return way{m.GroupSID, m.SID} }

// Of takes the inventory from a reported state. An identifier that the device gives twice, as Linux does for a second
// name of one number, counts once, by its first name, of groups by that of a
// privileged one.
func Of(state drift.State) Inventory {
	x := Inventory{Accounts: []Account{}, Members: []Member{}}
	privileged, known, ways := map[principal.SID]bool{}, map[principal.SID]bool{}, map[way]int{}
	for _, g := range state.LocalGroups {
		may := unit.IsPrivileged(g.LocalGroup)
		for _, m := range g.Members {
			privileged[m.SID] = privileged[m.SID] || may
			of := Member{g.LocalGroup, g.SID, m.SID, m.Name, may}
			if at, twice := ways[of.way()]; !twice {
				ways[of.way()] = len(x.Members)
				x.Members = append(x.Members, of)
			} else if may && !x.Members[at].Privileged {
				x.Members[at] = of
			}
		}
	}
	for _, a := range state.Accounts {
		if known[a.SID] {
			continue
		}
		known[a.SID] = true
		x.Accounts = append(x.Accounts, Account{
			SID: a.SID, Name: a.Name, FullName: a.FullName, Enabled: a.Enabled, Builtin: a.Builtin, Key: a.Key,
			Privileged:    privileged[a.SID] || a.Builtin == principal.Administrator.Value(),
			PasswordSetAt: a.PasswordSetAt.UTC().Truncate(time.Microsecond), // as it is stored
		})
	}
	x.Accounts, x.MoreAccounts = bounded(x.Accounts, MaxAccounts, func(a Account) bool { return a.Privileged })
	x.Members, x.MoreMembers = bounded(x.Members, MaxMembers, func(m Member) bool { return m.Privileged })
	slices.SortFunc(x.Accounts, func(a, b Account) int { return a.SID.Compare(b.SID) })
	slices.SortFunc(x.Members, func(a, b Member) int {
		return cmp.Or(a.GroupSID.Compare(b.GroupSID), a.SID.Compare(b.SID))
	})
	return x
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

// Digest tells inventories apart: SHA-256 of the JSON, in hexadecimal digits.
func (x Inventory) Digest() string {
	text, err := json.Marshal(x)
	if err != nil {
		return "" // nothing in it cannot be written
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}
