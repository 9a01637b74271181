package resolve

import (
	"slices"
	"strings"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// whole is a lane while it is being settled: what its units have come to, together.
type whole struct {
	settler  *Settler // has what each unit has come to
	problems []Problem
}

// value is what the unit with an index has been settled to, nil where it has not.
func (w *whole) value(i int32) unit.Value {
	if i < 0 {
		return nil
	}
	return w.settler.values[i]
}

func (w *whole) add(code Code, severity policy.Severity, where, detail string, holds ...unit.ID) {
	slices.SortFunc(holds, unit.ID.Compare)
	if w.problems == nil {
		w.problems = make([]Problem, 0, 16)
	}
	w.problems = append(w.problems, Problem{code, severity, where, detail, Holds{Units: holds}})
}

func (w *whole) warn(code Code, id unit.ID, detail string) {
	w.add(code, policy.Warning, id.String(), detail)
}

func (w *whole) account(ref principal.Ref) (unit.AccountValue, bool) {
	v, ok := w.value(w.settler.ref(ref).account).(unit.AccountValue)
	return v, ok
}

func (w *whole) hasRotation(ref principal.Ref) bool {
	return w.value(w.settler.ref(ref).rotation) != nil
}

// withoutAbsent drops members that are to be absent from the device (rule 4 of local groups).
func (w *whole) withoutAbsent(id unit.ID, m unit.Members) unit.Members {
	isAbsent := func(ref principal.Ref) bool {
		if ref.Kind() != principal.Account {
			return false
		}
		a, ok := w.account(ref)
		return ok && a.State == unit.Absent
	}
	if !slices.ContainsFunc(m.Present, isAbsent) {
		return m
	}
	m.Present = slices.Clone(m.Present)
	m.Present = slices.DeleteFunc(m.Present, func(ref principal.Ref) bool {
		absent := isAbsent(ref)
		if absent {
			w.warn(MemberOfAbsentAccount, id, w.settler.ref(ref).text)
		}
		return absent
	})
	return m
}

// check looks at the settled units of a lane together.
func (w *whole) check(units []Unit) []Problem {
	w.checkNames(units)
	w.checkAges()
	for _, u := range units {
		if target, ok := u.Unit.Target(); ok {
			if rotation, settled := u.Value.(unit.RotationValue); settled {
				w.checkRotation(u.Unit, target, rotation)
			}
		}
		if m, ok := u.Value.(unit.Members); ok {
			w.checkMembers(u.Unit, m)
		}
		w.checkOutside(u)
	}
	if m, ok := w.value(w.settler.checked.administrators).(unit.Members); ok {
		w.checkAdministrators(units, m)
	}
	sortProblems(w.problems)
	if w.problems == nil {
		return []Problem{}
	}
	return w.problems
}

func (w *whole) checkNames(units []Unit) {
	type named struct {
		unit unit.ID
		name string
	}
	var all []named
	for _, u := range units {
		name := ""
		switch v := u.Value.(type) {
		case unit.AccountValue:
			if v.State != unit.Absent {
				name = v.Name
			}
		case unit.Text:
			if _, property, _ := u.Unit.Builtin(); property == unit.BuiltinName {
				name = string(v)
			}
		}
		if name == "" || strings.Contains(name, "#") {
			continue
		}
		name = text.Fold(name)
		for _, other := range all { // in the order of units, so the pair is sorted
			if other.name == name {
				w.add(NameClash, policy.Error, other.unit.String()+"+"+u.Unit.String(), "", other.unit, u.Unit)
			}
		}
		all = append(all, named{u.Unit, name})
	}
}

func (w *whole) checkAges() {
	least, hasMin := w.value(w.settler.checked.minAge).(unit.Int)
	most, hasMax := w.value(w.settler.checked.maxAge).(unit.Int)
	if hasMin && hasMax && most != 0 && least >= most {
		w.add(MinAgeNotBelowMaxAge, policy.Error, unit.MinAgeDays.String(), "", unit.MaxAgeDays, unit.MinAgeDays)
	}
}

func (w *whole) checkRotation(id unit.ID, target principal.Ref, r unit.RotationValue) {
	fail := func(code Code) { w.add(code, policy.Error, id.String(), "", id) }
	if target == principal.Administrator {
		if enabled, ok := w.value(w.settler.checked.administratorEnabled).(unit.Bool); ok && !bool(enabled) {
			w.warn(RotationTargetDisabled, id, "")
		}
	} else {
		switch a, ok := w.account(target); {
		case !ok:
			fail(RotationTargetUndeclared)
		case a.State == unit.Absent:
			fail(RotationTargetAbsent)
		case a.KeepPassword:
			fail(RotationOfKeptPassword)
		case a.State == unit.Disabled:
			w.warn(RotationTargetDisabled, id, "")
		}
	}
	if least, ok := w.value(w.settler.checked.minLength).(unit.Int); ok && r.Secret.ShortestLength() < int(least) {
		fail(RotationSecretTooShort)
	}
	if complexity, ok := w.value(w.settler.checked.complexity).(unit.Bool); ok && bool(complexity) &&
		r.Secret.TooPlain() {
		fail(RotationSecretTooPlain)
	}
	if most, ok := w.value(w.settler.checked.maxAge).(unit.Int); ok && most != 0 && r.EveryMinutes > int(most)*24*60 {
		w.warn(RotationSlowerThanMaxAge, id, "")
	}
}

func (w *whole) checkMembers(id unit.ID, m unit.Members) {
	for _, ref := range m.Present {
		if ref.Kind() != principal.Account {
			continue
		}
		a, declared := w.account(ref)
		switch {
		case !declared:
			w.warn(MemberUndeclared, id, w.settler.ref(ref).text)
		case id == unit.Administrators && a.State == unit.Enabled && !w.hasRotation(ref) && !a.KeepPassword:
			w.warn(AccountWithoutRotation, id, w.settler.ref(ref).text)
		}
	}
}

// checkOutside looks for closed groups that leave out an account although the policies that
// settled it want it in.
func (w *whole) checkOutside(u Unit) {
	a, ok := u.Value.(unit.AccountValue)
	if !ok || a.State == unit.Absent {
		return
	}
	key, _ := u.Unit.AccountKey()
	ref := principal.FromKey(key)
	var reported []int32
	for _, assignment := range u.From {
		for _, ask := range w.settler.statements[w.settler.named[assignment]] {
			s := ask.value.(unit.Statement)
			if slices.Contains(reported, ask.unit) || !slices.Contains(s.Members, ref) {
				continue
			}
			if m, settled := w.value(ask.unit).(unit.Members); settled && m.Closed && !m.Has(ref) {
				reported = append(reported, ask.unit)
				w.warn(AccountOutsideGroup, w.settler.units[ask.unit], ref.String())
			}
		}
	}
}

// checkAdministrators sees that somebody can get in.
func (w *whole) checkAdministrators(units []Unit, m unit.Members) {
	if !m.Closed {
		return
	}
	usable, breakGlass := 0, 0
	for _, ref := range m.Present {
		switch {
		case w.isBreakGlass(ref):
			usable, breakGlass = usable+1, breakGlass+1
		case ref.Kind() != principal.Account && ref.Kind() != principal.Builtin:
			usable++
		}
	}
	if usable == 0 {
		var holds []unit.ID
		for _, u := range units {
			account, _, builtin := u.Unit.Builtin()
			family := u.Unit.Family()
			if u.Unit == unit.Administrators || family == unit.Accounts || family == unit.Rotation ||
				builtin && account == principal.Administrator {
				holds = append(holds, u.Unit)
			}
		}
		w.add(NoAdminPath, policy.Error, unit.Administrators.String(), "", holds...)
	}
	if breakGlass == 0 {
		w.warn(NoBreakGlass, unit.Administrators, "")
	}
	if l, ok := w.value(w.settler.checked.lockout).(unit.LockoutValue); ok && l.Threshold > 0 &&
		l.DurationMinutes == 0 &&
		usable > 0 &&
		usable == breakGlass {
		w.warn(LockoutCanSealDevice, unit.Lockout, "")
	}
}

// isBreakGlass reports whether the principal can be used without a network: an account of the
// device itself that is enabled, never expires, and whose password is kept.
func (w *whole) isBreakGlass(ref principal.Ref) bool {
	switch {
	case ref.Kind() == principal.Account:
		a, ok := w.account(ref)
		return ok && a.State == unit.Enabled && a.ExpiresOn == "" && w.hasRotation(ref)
	case ref == principal.Administrator:
		enabled, ok := w.value(w.settler.checked.administratorEnabled).(unit.Bool)
		return ok && bool(enabled) && w.hasRotation(ref)
	}
	return false
}
