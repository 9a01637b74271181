package policy

import (
	"cmp"
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// Normal is the one form in which documents are compared and settled: defaults filled in,
// durations in minutes, lists sorted and without duplicates, references in canonical case, and
// the local groups of accounts turned into membership.
type Normal struct {
	Name       string
	Accounts   []AccountRule  // sorted by key
	Rotation   []RotationRule // sorted by target
	Membership []Statement    // sorted by local group
	Builtins   Builtins       // no property is asked for where it is nil
	Passwords  Passwords
	Lockout    *LockoutRule
}

// AccountRule is a managed account with every default filled in. Its local groups are in the
// membership.
type AccountRule struct {
	Key             string   `json:"-"`
	Name            string   `json:"name"`
	Formerly        []string `json:"formerly"`
	State           State    `json:"state"`
	FullName        string   `json:"full_name"`
	Description     string   `json:"description"`
	PasswordExpires bool     `json:"password_expires"`
}

// RotationRule is a rotation with every default filled in. Times are in minutes.
type RotationRule struct {
	Target             principal.Ref `json:"-"`
	EveryMinutes       int           `json:"every_minutes"`
	Secret             Secret        `json:"secret"`
	AfterUse           AfterUse      `json:"after_use"`
	AfterRevealMinutes *int          `json:"after_reveal_minutes"` // nil: not after a reveal
	RedrawName         bool          `json:"redraw_name"`
	Keep               int           `json:"keep"`
}

// AfterUse says what follows a sign-in of the account.
type AfterUse struct {
	WaitMinutes int  `json:"wait_minutes"`
	Then        Then `json:"then"`
}

// MarshalJSON writes only what belongs to the style.
func (s Secret) MarshalJSON() ([]byte, error) {
	if s.Style == Words {
		return json.Marshal(struct {
			Style Style `json:"style"`
			Words int   `json:"words"`
		}{s.Style, s.Words})
	}
	return json.Marshal(struct {
		Style           Style    `json:"style"`
		Length          int      `json:"length"`
		Use             []string `json:"use"`
		AvoidLookalikes bool     `json:"avoid_lookalikes"`
	}{s.Style, s.Length, s.Use, s.AvoidLookalikes})
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Secret) UnmarshalJSON(data []byte) error {
	var raw struct {
		Style           Style    `json:"style"`
		Length          int      `json:"length"`
		Use             []string `json:"use"`
		AvoidLookalikes bool     `json:"avoid_lookalikes"`
		Words           int      `json:"words"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	*s = Secret(raw)
	return nil
}

// LockoutRule is a lockout with every default filled in. Duration and window are 0 when the
// threshold is 0. Durations are in minutes.
type LockoutRule struct {
	Threshold       int `json:"threshold"`
	DurationMinutes int `json:"duration_minutes"`
	WindowMinutes   int `json:"window_minutes"`
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

// Normalise gives the normal form of a document without errors. An identifier that the directory
// knows becomes the directory's reference; a nil directory knows nobody.
func (d *Document) Normalise(directory principal.Directory) Normal {
	n := Normal{Name: d.Name}
	if d.Passwords != nil {
		n.Passwords = *d.Passwords
	}
	if d.Lockout != nil {
		n.Lockout = d.Lockout.rule()
	}
	if d.Builtins != nil {
		n.Builtins = *d.Builtins
	}
	for _, a := range d.Accounts {
		n.Accounts = append(n.Accounts, AccountRule{a.Key, a.Name, distinct(a.Formerly), a.State, a.FullName, a.Description, a.PasswordExpires})
	}
	slices.SortFunc(n.Accounts, func(a, b AccountRule) int { return cmp.Compare(a.Key, b.Key) })
	for _, r := range d.Rotation {
		n.Rotation = append(n.Rotation, r.rule())
	}
	slices.SortFunc(n.Rotation, func(a, b RotationRule) int { return principal.Compare(a.Target, b.Target) })
	n.Membership = d.statements(directory)
	return n
}

func (d *Document) statements(directory principal.Directory) []Statement {
	var all []Statement
	for _, m := range d.Membership {
		all = append(all, Statement{m.LocalGroup, m.Mode, slices.Clone(m.Members), slices.Clone(m.Remove)})
	}
	for _, a := range d.Accounts {
		if a.State == Absent {
			continue
		}
		for _, group := range a.LocalGroups {
			i := slices.IndexFunc(all, func(s Statement) bool { return s.LocalGroup == group })
			if i < 0 {
				i = len(all)
				all = append(all, Statement{LocalGroup: group, Mode: Adjust})
			}
			all[i].Members = append(all[i].Members, principal.FromKey(a.Key))
		}
	}
	for i := range all {
		s := &all[i]
		if s.Mode == Exact && s.LocalGroup == Administrators {
			// The operating system keeps it there, whatever a list says.
			s.Members = append(s.Members, principal.Administrator)
		}
		s.Members, s.Remove = canonical(s.Members, directory), canonical(s.Remove, directory)
	}
	slices.SortFunc(all, func(a, b Statement) int { return cmp.Compare(a.LocalGroup, b.LocalGroup) })
	return all
}

func (r Rotation) rule() RotationRule {
	rule := RotationRule{
		Target: r.Target, EveryMinutes: int(r.Every.Minutes()), Secret: r.Secret,
		AfterUse: AfterUse{int(r.Wait.Minutes()), r.Then}, RedrawName: r.RedrawName, Keep: r.Keep,
	}
	if r.Secret.Style == Words {
		rule.Secret = Secret{Style: Words, Words: r.Secret.Words}
	} else {
		rule.Secret.Use = slices.Sorted(slices.Values(r.Secret.Use))
		rule.Secret.Words = 0
	}
	if r.AfterReveal != nil {
		minutes := int(r.AfterReveal.Minutes())
		rule.AfterRevealMinutes = &minutes
	}
	return rule
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

// canonical sorts references, and names identifiers and objects as the directory does.
func canonical(refs []principal.Ref, directory principal.Directory) []principal.Ref {
	sorted := make([]principal.Ref, 0, len(refs))
	for _, ref := range refs {
		known, ok := ref, false
		if directory != nil {
			switch ref.Kind() {
			case principal.Bare:
				known, ok = directory.Ref(ref.SID())
			case principal.Object:
				known, ok = directory.Object(ref.GUID())
			}
		}
		if !ok {
			known = ref
		}
		sorted = append(sorted, known)
	}
	slices.SortFunc(sorted, principal.Compare)
	return slices.Compact(sorted)
}

// distinct keeps the first of names that are alike without case, in their order.
func distinct(names []string) []string {
	kept := []string{}
	for _, name := range names {
		if !slices.ContainsFunc(kept, func(k string) bool { return text.Fold(k) == text.Fold(name) }) {
			kept = append(kept, name)
		}
	}
	return kept
}
