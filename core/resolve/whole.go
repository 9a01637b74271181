package resolve

import (
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// whole is a lane while it is being settled: what its units have come to, together.
type whole struct {
	settler  *Settler
	at       []*entry // what each unit has come to, nil where no assignment asks for it
	touched  []int32  // units that have come to something, sorted
	problems []Problem
	named    []*entry // scratch of checkNames
	seen     []int32  // scratch of checkOutside
}

// entry is what the unit with an index has come to, nil where that is nothing.
func (w *whole) entry(i int32) *entry {
	if i < 0 {
		return nil
	}
	return w.at[i]
}

// account is what the account of a unit has come to, nil where it is no account.
func (w *whole) account(i int32) *unit.AccountValue {
	if e := w.entry(i); e != nil {
		return e.account
	}
	return nil
}

// valueOf is what a unit has come to, where that is a value of a kind.
func valueOf[T unit.Value](w *whole, i int32) (value T, is bool) {
	if e := w.entry(i); e != nil {
		value, is = e.Value.(T)
	}
	return value, is
}

func (w *whole) add(code Code, severity policy.Severity, where, detail string, holds ...unit.ID) {
	w.problems = append(w.problems, Problem{code, severity, where, detail, Holds{Units: holds}})
}

// fail notes a problem that keeps its unit from changing.
func (w *whole) fail(code Code, u int32) {
	w.problems = append(w.problems, Problem{code, policy.Error, w.settler.names[u], "", Holds{Units: w.settler.own(u)}})
}

func (w *whole) warn(code Code, u int32, detail string) {
	w.problems = append(w.problems, Problem{code, policy.Warning, w.settler.names[u], detail, Holds{}})
}

func (w *whole) hasRotation(of ref) bool {
	e := w.entry(of.rotation)
	return e != nil && e.Value != nil
}

// isAbsent reports whether a member is an account that is to be absent from the device.
func (w *whole) isAbsent(m member) bool {
	if !m.managed {
		return false
	}
	a := w.account(m.account)
	return a != nil && a.State == unit.Absent
}

// withoutAbsent drops members that are to be absent from the device (rule 4 of local groups).
func (w *whole) withoutAbsent(u int32, e *entry) *entry {
	if e.members == nil || !slices.ContainsFunc(e.members.refs, w.isAbsent) {
		return e
	}
	left, value := *e, e.members.Members
	value.Present = []principal.Ref{}
	kept := &membership{}
	for _, m := range e.members.refs {
		if w.isAbsent(m) {
			w.warn(MemberOfAbsentAccount, u, m.text)
			continue
		}
		value.Present, kept.refs = append(value.Present, m.of), append(kept.refs, m)
	}
	left.Value, kept.Members, left.members = value, value, kept
	return &left
}

// check looks at what a lane has come to together, and gives the problems by code, unit and detail.
func (w *whole) check() []Problem {
	w.checkNames()
	w.checkAges()
	for _, u := range w.touched {
		switch e := w.at[u]; {
		case e.rotation != nil:
			w.checkRotation(u, e.rotation)
		case e.members != nil:
			w.checkMembers(u, e.members)
		case e.account != nil:
			w.checkOutside(u, e)
		}
	}
	if e := w.entry(w.settler.checked.administrators); e != nil && e.members != nil {
		w.checkAdministrators(e.members)
	}
	sortProblems(w.problems)
	problems := make([]Problem, len(w.problems))
	copy(problems, w.problems)
	return problems
}

func (w *whole) checkNames() {
	w.named = w.named[:0]
	for _, u := range w.touched {
		e := w.at[u]
		if e.name == "" {
			continue
		}
		for _, other := range w.named { // in the order of units, so the pair is sorted
			if other.name == e.name {
				w.add(NameClash, policy.Error, other.Unit.Unit.String()+"+"+e.Unit.Unit.String(), "",
					other.Unit.Unit, e.Unit.Unit)
			}
		}
		w.named = append(w.named, e)
	}
}

func (w *whole) checkAges() {
	least, hasMin := valueOf[unit.Int](w, w.settler.checked.minAge)
	most, hasMax := valueOf[unit.Int](w, w.settler.checked.maxAge)
	if hasMin && hasMax && most != 0 && least >= most {
		w.add(MinAgeNotBelowMaxAge, policy.Error, unit.MinAgeDays.String(), "", unit.MaxAgeDays, unit.MinAgeDays)
	}
}

func (w *whole) checkRotation(u int32, r *rotated) {
	if r.administrator {
		if enabled, ok := valueOf[unit.Bool](w, w.settler.checked.administratorEnabled); ok && !bool(enabled) {
			w.warn(RotationTargetDisabled, u, "")
		}
	} else {
		switch a := w.account(r.target); {
		case a == nil:
			w.fail(RotationTargetUndeclared, u)
		case a.State == unit.Absent:
			w.fail(RotationTargetAbsent, u)
		case a.KeepPassword:
			w.fail(RotationOfKeptPassword, u)
		case a.State == unit.Disabled:
			w.warn(RotationTargetDisabled, u, "")
		}
	}
	if least, ok := valueOf[unit.Int](w, w.settler.checked.minLength); ok && r.shortest < int(least) {
		w.fail(RotationSecretTooShort, u)
	}
	if complexity, ok := valueOf[unit.Bool](w, w.settler.checked.complexity); ok && bool(complexity) && r.plain {
		w.fail(RotationSecretTooPlain, u)
	}
	if most, ok := valueOf[unit.Int](w, w.settler.checked.maxAge); ok && most != 0 && r.every > int(most)*24*60 {
		w.warn(RotationSlowerThanMaxAge, u, "")
	}
}

func (w *whole) checkMembers(u int32, of *membership) {
	for i := range of.refs {
		m := &of.refs[i]
		if !m.managed {
			continue
		}
		switch a := w.account(m.account); {
		case a == nil:
			w.warn(MemberUndeclared, u, m.text)
		case u == w.settler.checked.administrators && a.State == unit.Enabled && !w.hasRotation(m.ref) &&
			!a.KeepPassword:
			w.warn(AccountWithoutRotation, u, m.text)
		}
	}
}

// checkOutside looks for closed groups that leave out an account although the policies that
// settled it want it in.
func (w *whole) checkOutside(u int32, e *entry) {
	if e.account.State == unit.Absent {
		return
	}
	w.seen = w.seen[:0]
	for _, assignment := range e.from {
		for _, in := range w.settler.wants[assignment] {
			if in.account != u || slices.Contains(w.seen, in.group) {
				continue
			}
			if g := w.at[in.group]; g != nil && g.members != nil && g.members.Closed && !g.members.has(u) {
				w.seen = append(w.seen, in.group)
				key, _ := e.Unit.Unit.AccountKey()
				w.warn(AccountOutsideGroup, in.group, w.settler.ref(principal.FromKey(key)).text)
			}
		}
	}
}

// checkAdministrators sees that somebody can get in.
func (w *whole) checkAdministrators(m *membership) {
	if !m.Closed {
		return
	}
	usable, breakGlass := 0, 0
	for i := range m.refs {
		switch {
		case w.isBreakGlass(&m.refs[i]):
			usable, breakGlass = usable+1, breakGlass+1
		case m.refs[i].directory:
			usable++
		}
	}
	if usable == 0 {
		var holds []unit.ID
		for _, u := range w.touched {
			id := w.settler.units[u]
			account, _, builtin := id.Builtin()
			family := id.Family()
			if id == unit.Administrators || family == unit.Accounts || family == unit.Rotation ||
				builtin && account == principal.Administrator {
				holds = append(holds, id)
			}
		}
		w.add(NoAdminPath, policy.Error, unit.Administrators.String(), "", holds...)
	}
	administrators := w.settler.checked.administrators
	if breakGlass == 0 {
		w.warn(NoBreakGlass, administrators, "")
	}
	if l, ok := valueOf[unit.LockoutValue](w, w.settler.checked.lockout); ok && l.Threshold > 0 &&
		l.DurationMinutes == 0 && usable > 0 && usable == breakGlass {
		w.warn(LockoutCanSealDevice, w.settler.checked.lockout, "")
	}
}

// isBreakGlass reports whether the principal can be used without a network: an account of the
// device itself that is enabled, never expires, and whose password is kept.
func (w *whole) isBreakGlass(m *member) bool {
	switch {
	case m.managed:
		a := w.account(m.account)
		return a != nil && a.State == unit.Enabled && a.ExpiresOn == "" && w.hasRotation(m.ref)
	case m.administrator:
		enabled, ok := valueOf[unit.Bool](w, w.settler.checked.administratorEnabled)
		return ok && bool(enabled) && w.hasRotation(m.ref)
	}
	return false
}
