package policy

import (
	"cmp"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Normal is the one form in which documents are compared and settled: what a policy asks for, setting by
// setting, with defaults filled in, durations in minutes, lists sorted and without duplicates, references in
// canonical case, and the local groups of accounts turned into membership. It is made once and shared by all
// assignments of the policy.
type Normal struct {
	Name string
	Asks []Ask // sorted by setting, one for each
}

// Ask is the value that a policy asks for.
type Ask struct {
	Unit  unit.ID
	Value unit.Value
}

// IsEmpty reports whether no property is asked for.
func (p Passwords) IsEmpty() bool { return p == Passwords{} }

// Normalise gives the normal form of a document without errors. An identifier that the directory
// knows becomes the directory's reference; a nil directory knows nobody.
func (d *Document) Normalise(directory principal.Directory) *Normal {
	n := &Normal{Name: d.Name}
	n.passwords(d.Passwords)
	if d.Lockout != nil {
		n.ask(unit.Lockout, d.Lockout.value())
	}
	if b := d.Builtins; b != nil {
		n.builtin(principal.Administrator, b.Administrator)
		n.builtin(principal.Guest, b.Guest)
	}
	for _, a := range d.Accounts {
		n.ask(unit.AccountOf(a.Key), unit.AccountValue{Key: a.Key, Name: a.Name, Formerly: distinct(a.Formerly), State: a.State, FullName: a.FullName, Description: a.Description, PasswordExpires: a.PasswordExpires})
	}
	for _, r := range d.Rotation {
		n.ask(unit.RotationOf(r.Target), r.value())
	}
	for group, statement := range d.statements(directory) {
		n.ask(unit.MembershipOf(group), *statement)
	}
	slices.SortFunc(n.Asks, func(a, b Ask) int { return a.Unit.Compare(b.Unit) })
	return n
}

func (n *Normal) ask(id unit.ID, value unit.Value) { n.Asks = append(n.Asks, Ask{id, value}) }

func (n *Normal) passwords(p *Passwords) {
	if p == nil {
		return
	}
	for id, value := range map[unit.ID]*int{unit.MinLength: p.MinLength, unit.History: p.History, unit.MaxAgeDays: p.MaxAgeDays, unit.MinAgeDays: p.MinAgeDays} {
		if value != nil {
			n.ask(id, unit.Int(*value))
		}
	}
	if p.Complexity != nil {
		n.ask(unit.Complexity, unit.Bool(*p.Complexity))
	}
}

func (n *Normal) builtin(account principal.Ref, b *Builtin) {
	if b == nil {
		return
	}
	if b.Enabled != nil {
		n.ask(unit.BuiltinOf(account, unit.BuiltinEnabled), unit.Bool(*b.Enabled))
	}
	for property, value := range map[unit.Property]*string{unit.BuiltinName: b.Name, unit.BuiltinFullName: b.FullName, unit.BuiltinDescription: b.Description} {
		if value != nil {
			n.ask(unit.BuiltinOf(account, property), unit.Text(*value))
		}
	}
}

// statements are the claims on local groups, by group: those of the membership section, and what the local
// groups of accounts come to.
func (d *Document) statements(directory principal.Directory) map[string]*unit.Statement {
	all := map[string]*unit.Statement{}
	for _, m := range d.Membership {
		all[m.LocalGroup] = &unit.Statement{Mode: m.Mode, Members: slices.Clone(m.Members), Remove: slices.Clone(m.Remove)}
	}
	for _, a := range d.Accounts {
		if a.State == unit.Absent {
			continue
		}
		for _, group := range a.LocalGroups {
			if all[group] == nil {
				all[group] = &unit.Statement{Mode: unit.Adjust}
			}
			all[group].Members = append(all[group].Members, principal.FromKey(a.Key))
		}
	}
	for group, s := range all {
		if s.Mode == unit.Exact && group == unit.GroupAdministrators {
			// The operating system keeps it there, whatever a list says.
			s.Members = append(s.Members, principal.Administrator)
		}
		s.Members, s.Remove = canonical(s.Members, directory), canonical(s.Remove, directory)
	}
	return all
}

func (r Rotation) value() unit.RotationValue {
	v := unit.RotationValue{
		Target: r.Target, EveryMinutes: int(r.Every.Minutes()), Secret: r.Secret,
		AfterUse: unit.AfterUse{WaitMinutes: int(r.Wait.Minutes()), Then: r.Then}, RedrawName: r.RedrawName, Keep: r.Keep,
	}
	if r.Secret.Style == unit.Words {
		v.Secret = unit.Secret{Style: unit.Words, Words: r.Secret.Words}
	} else {
		v.Secret.Use = slices.Sorted(slices.Values(r.Secret.Use))
		v.Secret.Words = 0
	}
	if r.AfterReveal != nil {
		minutes := int(r.AfterReveal.Minutes())
		v.AfterRevealMinutes = &minutes
	}
	return v
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

func (l *Lockout) value() unit.LockoutValue {
	if l.Threshold == 0 {
		return unit.LockoutValue{}
	}
	duration, window := l.times()
	return unit.LockoutValue{Threshold: l.Threshold, DurationMinutes: int(duration.Minutes()), WindowMinutes: int(window.Minutes())}
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
