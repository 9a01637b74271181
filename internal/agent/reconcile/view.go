// Package reconcile brings a host into line with what is asked of it, in a safe order and under a guard that keeps a
// usable administrator. What differs is said by drift.Check alone.
package reconcile

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/agent/secret"
)

// View is what is known of a host: its state as it was last read, which accounts belong to keys, and the people and
// groups of the directory that are named.
type View struct {
	State     drift.State
	Bindings  Bindings
	Directory *principal.Table
}

// Find is the identifier that stands for a principal on this device. A managed account is found by
// its binding alone: one that only has the right name may be somebody else's.
func (v *View) Find(ref principal.Ref) principal.SID {
	if ref.Kind() == principal.Account {
		return v.Bindings[ref.Value()]
	}
	return v.State.Find(ref, nil, v.Directory)
}

// Account is the account of an identifier, if it is there.
func (v *View) Account(sid principal.SID) (drift.Account, bool) {
	i := slices.IndexFunc(v.State.Accounts, func(a drift.Account) bool { return !sid.IsZero() && a.SID == sid })
	if i < 0 {
		return drift.Account{}, false
	}
	return v.State.Accounts[i], true
}

// nameDraws is how often digits are drawn before the device gives up finding a free name.
const nameDraws = 100

var errTaken = errors.New("another account or a local group of this device has the name, and it is not the policy's; " +
	"give the policy another")

var errNoName = errors.New("every name of the pattern that was drawn is taken; give the pattern more digits")

// FreeName draws the digits of a pattern until no account or local group has the name.
func (v *View) FreeName(random secret.Random, pattern string) (string, error) {
	taken := map[string]bool{}
	for _, a := range v.State.Accounts {
		taken[text.Fold(a.Name)] = true
	}
	for _, g := range v.State.LocalGroups {
		taken[text.Fold(g.LocalGroup)] = true
	}
	if !strings.Contains(pattern, "#") && taken[text.Fold(pattern)] {
		return "", fmt.Errorf("%w: %s", errTaken, pattern)
	}
	for range nameDraws {
		if name := secret.Name(random, pattern); !taken[text.Fold(name)] {
			return name, nil
		}
	}
	return "", errNoName
}

// ErrNoAccount is given when the account that something concerns is not there.
var ErrNoAccount = errors.New("the device has no such account")
