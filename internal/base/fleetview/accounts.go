package fleetview

import (
	"slices"
	"strings"
	"unicode/utf8"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/store"
)

// account is a local account of a device, small: a fleet has more than a million of them.
type account struct {
	name int32 // in the names of the view
	is   store.AccountIs
}

// accountNames are the names of local accounts that occur in the fleet, each once.
type accountNames struct {
	known map[string]int32 // by folded name
	names []string         // as the first device wrote it
	keys  []string         // folded
}

func (n *accountNames) number(name string) int32 {
	key := text.Fold(name)
	number, known := n.known[key]
	if !known {
		number = int32(len(n.names))
		n.known[key] = number
		n.names, n.keys = append(n.names, name), append(n.keys, key)
	}
	return number
}

// shortestName is the least number of characters by which devices are found by an account's name.
const shortestName = 3

// beginning are the numbers of the names that begin with a folded text; nil where it is too short to look for.
func (n *accountNames) beginning(search string) []bool {
	if utf8.RuneCountInString(search) < shortestName {
		return nil
	}
	var named []bool // stays nil where there is none
	for i, key := range n.keys {
		if strings.HasPrefix(key, search) {
			if named == nil {
				named = make([]bool, len(n.keys))
			}
			named[i] = true
		}
	}
	return named
}

// hasAccount reports whether one of some names is that of an account of the device that is not built in.
func (d *Device) hasAccount(named []bool) bool {
	return named != nil && slices.ContainsFunc(d.accounts, func(a account) bool {
		return named[a.name] && a.is&store.AccountBuiltin == 0
	})
}

// Fitting counts the live devices in reach with an account that no policy manages, that is not built in, and whose
// name fits.
func (v *View) Fitting(reach rights.Reach, fits func(name string) bool) int {
	v.mu.RLock()
	defer v.mu.RUnlock()
	named := make([]bool, len(v.accounts.names))
	for i, name := range v.accounts.names {
		named[i] = fits(name)
	}
	scope, n := v.scope(reach, ""), 0
	for _, d := range v.order {
		if d.live && scope.has(d) && slices.ContainsFunc(d.accounts, func(a account) bool {
			return named[a.name] && a.is&(store.AccountManaged|store.AccountBuiltin) == 0
		}) {
			n++
		}
	}
	return n
}

// AccountFilter narrows names of local accounts; the zero one has all.
type AccountFilter struct {
	Search     string // part of a name
	Unknown    bool   // only accounts that no policy manages and that are not built in
	Privileged bool   // only accounts that can take a device over
}

// AccountNames are the names of local accounts on live devices of a filter that come after a folded name, in the order
// of folded names, at most limit, with how many devices have one.
func (v *View) AccountNames(
	clock store.Clock, f Filter, of AccountFilter, after string, limit int,
) (list []store.AccountName) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	search := text.Fold(of.Search)
	counts := make([]store.AccountName, len(v.accounts.names))
	v.each(clock, f, v.order, func(d *Device, _ drift.Standing) bool {
		for _, a := range d.accounts {
			if of.Unknown && a.is&(store.AccountManaged|store.AccountBuiltin) != 0 ||
				of.Privileged && a.is&store.AccountPrivileged == 0 {
				continue
			}
			n := &counts[a.name]
			n.Devices++
			n.Enabled += int(a.is & store.AccountEnabled)
			n.Privileged += int(a.is & store.AccountPrivileged >> 1)
			n.Managed += int(a.is & store.AccountManaged >> 2)
			n.Builtin += int(a.is & store.AccountBuiltin >> 3)
		}
		return true
	})
	var found []int32
	for i := range counts {
		if key := v.accounts.keys[i]; counts[i].Devices > 0 && key > after && strings.Contains(key, search) {
			found = append(found, int32(i))
		}
	}
	slices.SortFunc(found, func(a, b int32) int { return strings.Compare(v.accounts.keys[a], v.accounts.keys[b]) })
	for _, i := range found[:min(len(found), limit)] {
		counts[i].Name = v.accounts.names[i]
		list = append(list, counts[i])
	}
	return list
}
