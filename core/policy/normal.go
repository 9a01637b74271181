package policy

import (
	"cmp"
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/principal"
)

// Normal is the one form in which documents are compared and settled: defaults filled in,
// durations in minutes, lists sorted and without duplicates, references in canonical case.
type Normal struct {
	Name       string
	Passwords  Passwords
	Lockout    *LockoutRule
	Membership []Statement // sorted by local group
}

// LockoutRule is a lockout with every default filled in. Duration and window are 0 when the
// threshold is 0. Durations are in minutes.
type LockoutRule struct {
	Threshold       int `json:"threshold"`
	DurationMinutes int `json:"duration_minutes"`
	WindowMinutes   int `json:"window_minutes"`
}

// MarshalJSON writes only the threshold when accounts never lock: the times say nothing then.
func (l LockoutRule) MarshalJSON() ([]byte, error) {
	if l.Threshold == 0 {
		return []byte(`{"threshold":0}`), nil
	}
	type plain LockoutRule
	return json.Marshal(plain(l))
}

// Statement is a membership statement in normal form.
type Statement struct {
	LocalGroup string
	Mode       Mode
	Members    []principal.Ref
	Remove     []principal.Ref
}

// IsEmpty reports whether no property is asked for.
func (p Passwords) IsEmpty() bool { return p == Passwords{} }

// Normalise gives the normal form of a document without errors.
func (d *Document) Normalise() Normal {
	n := Normal{Name: d.Name}
	if d.Passwords != nil {
		n.Passwords = *d.Passwords
	}
	if d.Lockout != nil {
		n.Lockout = d.Lockout.rule()
	}
	for _, m := range d.Membership {
		members := m.Members
		if m.Mode == Exact && m.LocalGroup == Administrators {
			// The operating system keeps it there, whatever a list says.
			members = append(slices.Clone(members), principal.Administrator)
		}
		n.Membership = append(n.Membership, Statement{m.LocalGroup, m.Mode, canonical(members), canonical(m.Remove)})
	}
	slices.SortFunc(n.Membership, func(a, b Statement) int { return cmp.Compare(a.LocalGroup, b.LocalGroup) })
	return n
}

// times are the duration and the window with their defaults.
func (l *Lockout) times() (duration, window time.Duration) {
	duration = defaultLockout
	if l.Duration != nil {
		duration = *l.Duration
	}
	window = cmp.Or(duration, defaultLockout)
	if l.Window != nil {
		window = *l.Window
	}
	return duration, window
}

func (l *Lockout) rule() *LockoutRule {
	if l.Threshold == 0 {
		return &LockoutRule{}
	}
	duration, window := l.times()
	return &LockoutRule{l.Threshold, int(duration.Minutes()), int(window.Minutes())}
}

func canonical(refs []principal.Ref) []principal.Ref {
	sorted := slices.Clone(refs)
	slices.SortFunc(sorted, principal.Compare)
	return slices.Compact(sorted)
}
