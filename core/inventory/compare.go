package inventory

import "rankwarden.example/core/principal"

// Kind is what a [Change] did.
type Kind string

// The kinds of change.
const (
	AccountCame     Kind = "account_came"
	AccountWent     Kind = "account_went"
	AccountRenamed  Kind = "account_renamed"
	AccountEnabled  Kind = "account_enabled"
	AccountDisabled Kind = "account_disabled"
	MemberJoined    Kind = "member_joined"
	MemberLeft      Kind = "member_left"
)

// Change is one difference between two inventories of a device.
type Change struct {
	Kind       Kind          `json:"kind"`
	SID        principal.SID `json:"sid"` // of the account or the member
	Name       string        `json:"name"`
	Group      string        `json:"group,omitempty"`  // the local group, of members
	Former     string        `json:"former,omitempty"` // name, of one that was renamed
	Privileged bool          `json:"privileged,omitempty"`
}

// Compare says what changed from one inventory to the next: accounts first, then members, in the order of identifiers.
// That a password was set is no change of it.
func Compare(before, after Inventory) []Change {
	list := []Change{}
	had, has := map[principal.SID]Account{}, map[principal.SID]bool{}
	for _, a := range before.Accounts {
		had[a.SID] = a
	}
	for _, a := range after.Accounts {
		has[a.SID] = true
		b, there := had[a.SID]
		of := Change{SID: a.SID, Name: a.Name, Privileged: a.Privileged}
		switch {
		case !there:
			of.Kind = AccountCame
			list = append(list, of)
			continue
		case b.Name != a.Name:
			of.Kind, of.Former = AccountRenamed, b.Name
			list = append(list, of)
		}
		if b.Enabled != a.Enabled {
			of.Former = ""
			if of.Kind = AccountDisabled; a.Enabled {
				of.Kind = AccountEnabled
			}
			list = append(list, of)
		}
	}
	for _, b := range before.Accounts {
		if !has[b.SID] {
			list = append(list, Change{Kind: AccountWent, SID: b.SID, Name: b.Name, Privileged: b.Privileged})
		}
	}
	was, is := map[way]bool{}, map[way]bool{}
	for _, m := range before.Members {
		was[m.way()] = true
	}
	for _, m := range after.Members {
		is[m.way()] = true
		if !was[m.way()] {
			list = append(list, m.change(MemberJoined))
		}
	}
	for _, m := range before.Members {
		if !is[m.way()] {
			list = append(list, m.change(MemberLeft))
		}
	}
	return list
}

func (m Member) change(kind Kind) Change {
	return Change{Kind: kind, SID: m.SID, Name: m.Name, Group: m.Group, Privileged: m.Privileged}
}
