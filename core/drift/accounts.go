package drift

import (
	"cmp"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

func (c *checker) account(id unit.ID, desired unit.AccountValue) {
	key, _ := id.AccountKey()
	a, found := c.state.Managed(key, c.pattern(desired.Name))
	if desired.State == unit.Absent {
		if found {
			c.add(id, AccountPresent, "", unit.Absent, a.Name)
		}
		return
	}
	if !found {
		c.add(id, AccountMissing, "", desired.Name, nil)
		return
	}
	for _, other := range a.SharedWith {
		c.add(id, NumberShared, principal.FromLocal(other).String(), nil, a.Name)
	}
	expired := desired.State == unit.Enabled && desired.Expired(c.Now)
	wanted := desired.State
	if expired {
		wanted = unit.Disabled // its day has come, and the system sees to it
	}
	if state := a.State(); state != wanted {
		c.add(id, AccountState, "", wanted, state)
	}
	if !FitsName(desired.Name, a.Name) {
		c.add(id, AccountName, "", desired.Name, a.Name)
	}
	for _, d := range unit.AccountDetails {
		expected, actual := d.Plain(desired.Details), d.Plain(a.Details)
		switch limit, limited := c.state.LimitOfDetail(d.Name); {
		case expected == actual, expired && d.Day:
		case limited:
			c.add(id, UnitUnsupported, d.Name, nil, limit.Why)
		default:
			c.add(id, AccountDetail, d.Name, expected, actual)
		}
	}
}

// pattern is the name by which an account without a binding is found, empty for none.
func (c *checker) pattern(name string) string {
	if c.Bound {
		return ""
	}
	return name
}

// State is enabled or disabled.
func (a Account) State() unit.State {
	if a.Enabled {
		return unit.Enabled
	}
	return unit.Disabled
}

// Managed finds the account that belongs to a key: by the device's own binding; failing that, among
// accounts with no key that are not built in, by a name that fits the pattern, the first by
// lower-case name. An empty pattern finds by the binding alone.
func (s *State) Managed(key, pattern string) (Account, bool) {
	var fits []Account
	for _, a := range s.Accounts {
		switch {
		case a.Key == key:
			return a, true
		case a.Key == "" && a.Builtin == "" && pattern != "" && FitsName(pattern, a.Name):
			fits = append(fits, a)
		}
	}
	if len(fits) == 0 {
		return Account{}, false
	}
	return slices.MinFunc(fits, func(a, b Account) int {
		return cmp.Or(cmp.Compare(text.Fold(a.Name), text.Fold(b.Name)), cmp.Compare(a.SID.String(), b.SID.String()))
	}), true
}

// FitsName reports whether a name fits a pattern: # stands for one digit, letters compare without case.
func FitsName(pattern, name string) bool {
	p, n := []rune(text.Fold(pattern)), []rune(text.Fold(name))
	if len(p) != len(n) {
		return false
	}
	for i, r := range p {
		if r == '#' {
			if n[i] < '0' || n[i] > '9' {
				return false
			}
		} else if r != n[i] {
			return false
		}
	}
	return true
}

func (c *checker) rotation(id unit.ID, desired unit.RotationValue) {
	target, _ := id.Target()
	if slices.ContainsFunc(c.state.Rotation, func(r Rotation) bool { return r.Target == target && r.Elsewhere }) {
		c.add(id, ChangedElsewhere, "", nil, nil)
	}
	last, ever := c.state.LastRotation(target)
	if !ever {
		c.add(id, RotationNever, "", nil, nil)
		return
	}
	if c.Now.Sub(last) > time.Duration(desired.EveryMinutes)*time.Minute+c.Grace {
		c.add(id, RotationOverdue, "", desired.EveryMinutes, last.UTC().Format(time.RFC3339))
	}
}

// LastRotation is when the password of the target was changed last, of several times the latest.
func (s *State) LastRotation(target principal.Ref) (last time.Time, ever bool) {
	for _, r := range s.Rotation {
		if r.Target == target && (!ever || r.RotatedAt.After(last)) {
			last, ever = r.RotatedAt, true
		}
	}
	return last, ever
}
