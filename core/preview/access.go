package preview

import (
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// access says how the effects on the device give, take or move ways in, and tells each.
func (c *comparer) access(tell func(e effect.AccessEffect)) {
	for _, e := range c.effects {
		if kind := c.accessOf(e); kind != "" {
			tell(effect.AccessEffect{Access: kind, Unit: e.Unit, Subject: e.Subject})
		}
	}
}

// accessOf says what an effect does to the ways in, empty for nothing.
func (c *comparer) accessOf(e effect.Effect) effect.Access {
	switch e.Kind {
	case effect.MemberJoins:
		if e.Unit.IsPrivileged() {
			return effect.AdministratorGained
		}
	case effect.MemberLeaves:
		if e.Unit.IsPrivileged() {
			return effect.AdministratorLost
		}
	case effect.AccountAdopted:
		if c.isTakenOver(e) {
			return effect.TakenOver
		}
	case effect.AccountEnabled, effect.AccountCreated:
		if c.opensDoors(e.Unit, with) {
			return effect.WayInOpened
		}
	case effect.AccountDisabled, effect.AccountRemoved:
		if e.Unit == unit.Others && c.isAdministrator(e.Subject) || c.opensDoors(e.Unit, without) {
			return effect.WayInClosed
		}
	case effect.Loosened:
		return effect.ProtectionLoosened
	case effect.Changed:
		if l, is := e.After.(unit.LockoutValue); is && l.Threshold == 0 {
			return effect.ProtectionLoosened
		}
	case effect.GuardRefuses, effect.NoWayIn:
		return effect.AccessLost
	}
	return ""
}

// isTakenOver reports whether an account that becomes a managed one is none that the policy says it managed before: one
// that people may use.
func (c *comparer) isTakenOver(e effect.Effect) bool {
	key, _ := e.Unit.AccountKey()
	asked := c.key(key).asked[with]
	name, _ := e.Before.(string)
	if asked != nil && asked.KeepPassword {
		return false // whoever uses the account goes on using it
	}
	return asked == nil || !slices.ContainsFunc(asked.Formerly, func(former string) bool {
		return drift.FitsName(former, name)
	})
}

// opensDoors reports whether the account of a setting is built in, or a member of a privileged local group in a future.
func (c *comparer) opensDoors(id unit.ID, future int) bool {
	key, managed := id.AccountKey()
	if !managed {
		return id.Family() == unit.Builtins
	}
	ref := principal.FromKey(key)
	for _, s := range c.desired[future] {
		if m, is := s.Value.(unit.Members); is && s.Unit.IsPrivileged() && m.Has(ref) {
			return true
		}
	}
	who := c.identify(ref, future)
	if who.isNobody() { // an account that only becomes the managed one
		who = c.identify(ref, with)
	}
	return !who.isNobody() && slices.ContainsFunc(c.groups(), func(g group) bool {
		return g.id.IsPrivileged() && slices.Contains(c.membersOf(g.id, g.LocalGroup, future), who)
	})
}

// asked tells what a difference does to the ways into a device that never reported: what is asked counts, since nothing
// is known of it.
func (d *Difference) asked(tell func(e effect.AccessEffect)) {
	for _, change := range d.changes {
		d.askedOf(change, func(kind effect.Access, subject string) {
			tell(effect.AccessEffect{Access: kind, Unit: change.Unit, Subject: subject})
		})
	}
}

func (d *Difference) askedOf(change effect.SettingChange, tell func(kind effect.Access, subject string)) {
	id := change.Unit
	switch id.Family() {
	case unit.Membership:
		if !id.IsPrivileged() {
			return
		}
		before, _ := change.Before.(unit.Members)
		after, _ := change.After.(unit.Members)
		joining(id, before, after, func(ref principal.Ref) { tell(effect.AdministratorGained, ref.String()) })
		joining(id, after, before, func(ref principal.Ref) { tell(effect.AdministratorLost, ref.String()) })
	case unit.Builtins:
		account, property, _ := id.Builtin()
		before, _ := change.Before.(unit.Bool)
		after, _ := change.After.(unit.Bool)
		if property == unit.BuiltinEnabled && before != after {
			tell(opening(bool(after)), account.String())
		}
	case unit.Accounts:
		if id == unit.Others {
			return // whose accounts those are is not known
		}
		key, _ := id.AccountKey()
		before, after := enabled(change.Before), enabled(change.After)
		if before != after && d.isPrivileged(principal.FromKey(key)) {
			tell(opening(after), principal.FromKey(key).String())
		}
	case unit.Passwords, unit.Locking:
		if isLoosened(id, change.Before, change.After) {
			tell(effect.ProtectionLoosened, "")
		}
	}
}

// joining tells who is asked to be in a local group after and not before; the operating system keeps the built-in
// administrator in administrators.
func joining(id unit.ID, before, after unit.Members, tell func(ref principal.Ref)) {
	for _, ref := range after.Present {
		if !before.Has(ref) && (id != unit.Administrators || ref != principal.Administrator) {
			tell(ref)
		}
	}
}

func opening(opens bool) effect.Access {
	if opens {
		return effect.WayInOpened
	}
	return effect.WayInClosed
}

func enabled(v unit.Value) bool {
	a, is := v.(unit.AccountValue)
	return is && a.State == unit.Enabled
}

// isPrivileged reports whether a principal is asked to be in a privileged local group in either future.
func (d *Difference) isPrivileged(ref principal.Ref) bool {
	for _, desired := range d.desired {
		for _, s := range desired {
			if m, is := s.Value.(unit.Members); is && s.Unit.IsPrivileged() && m.Has(ref) {
				return true
			}
		}
	}
	return false
}

// isLoosened reports whether a rule is asked to be less strict, or a lockout to lock nobody.
func isLoosened(id unit.ID, before, after unit.Value) bool {
	if l, is := after.(unit.LockoutValue); is && l.Threshold == 0 {
		was, known := before.(unit.LockoutValue)
		return !known || was.Threshold != 0
	}
	if before == nil || after == nil {
		return false
	}
	order, _ := unit.Strictness(id, after, before)
	return order < 0
}

// Statements gives the access effects that assignments have, with some edits and not without them, on whichever device
// comes: who is aimed at a privileged local group, also where nobody is in reach of the assignment yet. An assignment
// that is aimed at more than before says all of it anew.
func Statements(before, after plan.Inputs) effect.AccessSet {
	were := map[string]assign.Assignment{}
	for _, a := range before.Assignments {
		were[a.Name] = a
	}
	says := effect.AccessSet{}
	for _, a := range after.Assignments {
		was, there := were[a.Name]
		doc, former := after.Policies[a.Policy], before.Policies[was.Policy]
		widened := !there || isWidened(was, a)
		if a.Stance != assign.Enforce || doc == nil || doc == former && !widened {
			continue
		}
		known := map[unit.ID]unit.Value{}
		if former != nil && !widened {
			known = valuesOf(former.Normalise(after.Directory))
		}
		for e := range stated(doc.Normalise(after.Directory), known) {
			says.Add(e, effect.Anyone)
		}
	}
	return says
}

// stated are the ways in that a document opens, beside values that were known before.
func stated(doc *policy.Normal, known map[unit.ID]unit.Value) map[effect.AccessEffect]bool {
	d := Difference{desired: [2][]unit.Setting{with: settingsOf(doc)}}
	opens := map[effect.AccessEffect]bool{}
	for _, ask := range doc.Asks {
		change := effect.SettingChange{Unit: ask.Unit, Before: known[ask.Unit], After: membersIn(ask.Value)}
		d.askedOf(change, func(kind effect.Access, subject string) {
			if kind != effect.AdministratorLost && kind != effect.WayInClosed {
				opens[effect.AccessEffect{Access: kind, Unit: ask.Unit, Subject: subject}] = true
			}
		})
	}
	return opens
}

// isWidened reports whether an assignment is aimed at more than it was.
func isWidened(was, is assign.Assignment) bool {
	without := func(list, of []string) bool {
		return slices.ContainsFunc(list, func(name string) bool { return !slices.Contains(of, name) })
	}
	return was.Stance != is.Stance || without(is.Include, was.Include) || without(was.Exclude, is.Exclude) ||
		len(was.Within) > 0 && (len(is.Within) == 0 || without(is.Within, was.Within))
}

// valuesOf are what a document asks for, by setting.
func valuesOf(doc *policy.Normal) map[unit.ID]unit.Value {
	values := make(map[unit.ID]unit.Value, len(doc.Asks))
	for _, ask := range doc.Asks {
		values[ask.Unit] = membersIn(ask.Value)
	}
	return values
}

// settingsOf are what a document asks for, as settings.
func settingsOf(doc *policy.Normal) []unit.Setting {
	settings := make([]unit.Setting, len(doc.Asks))
	for i, ask := range doc.Asks {
		settings[i] = unit.Setting{Unit: ask.Unit, Value: membersIn(ask.Value)}
	}
	return settings
}

// membersIn is what is asked, with a claim on a local group as the members that it asks for.
func membersIn(v unit.Value) unit.Value {
	if s, is := v.(unit.Statement); is {
		return unit.Members{Closed: s.Mode == unit.Exact, Present: s.Members, Absent: s.Remove}
	}
	return v
}
