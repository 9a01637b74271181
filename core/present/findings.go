package present

import (
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

const notReported = "not reported"

// Has says what a device has for a unit, as it reported. Pattern is the name that is asked of a
// managed account; it is only used for accounts the device has not bound.
func Has(id unit.ID, asked unit.Value, state *drift.State, directory principal.Directory) string {
	switch id.Family() {
	case unit.Membership:
		return hasMembers(id, state, directory)
	case unit.Accounts:
		if id == unit.Others {
			return hasOthers(state)
		}
		return hasAccount(id, asked, state)
	case unit.Rotation:
		target, _ := id.Target()
		if last, ever := state.LastRotation(target); ever {
			return "last rotated " + last.UTC().Format(time.DateTime)
		}
		return "never rotated"
	case unit.Locking:
		if state.Lockout == nil {
			return notReported
		}
		return Lockout(*state.Lockout)
	}
	if value := state.Value(id); value != nil {
		return Value(id, value)
	}
	return notReported
}

func hasMembers(id unit.ID, state *drift.State, directory principal.Directory) string {
	name, _ := id.LocalGroup()
	group, there := state.Group(name)
	if !there {
		return "no such local group"
	}
	if len(group.Members) == 0 {
		return "no members"
	}
	list := make([]string, len(group.Members))
	for i, m := range group.Members {
		ref := state.Name(m.SID, directory)
		if list[i] = Principal(ref); ref.Kind() == principal.Bare && m.Name != "" {
			list[i] = m.Name
		}
		if m.Via != "" {
			list[i] += " (by " + m.Via + ")"
		}
	}
	say := fmt.Sprintf("%d: %s", len(list), strings.Join(list, ", "))
	if group.NoEffect != "" {
		say += "; without effect"
	}
	return say
}

func hasAccount(id unit.ID, asked unit.Value, state *drift.State) string {
	key, _ := id.AccountKey()
	pattern := ""
	if a, ok := asked.(unit.AccountValue); ok {
		pattern = a.Name
	}
	a, there := state.Managed(key, pattern)
	if !there {
		return "no such account"
	}
	say := Account(unit.AccountValue{Name: a.Name, State: a.State(), Details: a.Details})
	if a.Locked {
		say += ", locked"
	}
	return say
}

// hasOthers says how many accounts that no policy names are counted.
func hasOthers(state *drift.State) string {
	n := 0
	for _, u := range state.Uses {
		if u.Counted != nil {
			n++
		}
	}
	if n == 0 {
		return "none that no policy names"
	}
	return count(n, "account that no policy names", "accounts that no policy names")
}

// unnamed says what becomes of an account that no policy names.
func unnamed(subject string, f drift.Finding) string {
	switch actual := f.Actual.(type) {
	case string:
		if at, err := time.Parse(time.RFC3339, actual); err == nil {
			return fmt.Sprintf("no policy names %s; it will be disabled on %s", subject, Instant(at))
		}
	case []string:
		return spared(subject, strings.Join(actual, ", "))
	case []any: // as it comes from a record
		runs := make([]string, len(actual))
		for i, r := range actual {
			runs[i] = fmt.Sprint(r)
		}
		return spared(subject, strings.Join(runs, ", "))
	}
	if f.Kind == drift.AccountCounted {
		return fmt.Sprintf("no policy names %s; it would be disabled when its grace is over", subject)
	}
	return fmt.Sprintf("no policy names %s, its grace is over, and it is still enabled", subject)
}

func spared(subject, runs string) string {
	return fmt.Sprintf("no policy names %s; it stays enabled because %s runs as it", subject, runs)
}

// Finding says in one sentence what differs. It is long because it has a sentence for each kind.
func Finding(f drift.Finding) string {
	subject := f.Subject
	if ref, err := principal.Parse(f.Subject); err == nil {
		subject = Principal(ref)
	}
	switch f.Kind {
	case drift.MemberExtra:
		if f.Via != "" {
			return fmt.Sprintf("%s has its rights by %s, but is not in the exact list", subject, f.Via)
		}
		return subject + " is a member, but not in the exact list"
	case drift.MemberForbidden:
		if f.Via != "" {
			return fmt.Sprintf("%s has its rights by %s, but must not", subject, f.Via)
		}
		return subject + " is a member, but must not be"
	case drift.GroupNoEffect:
		return fmt.Sprintf("its members have none of its rights: %v", f.Actual)
	case drift.NumberShared:
		return fmt.Sprintf("%s has the same number as %v; the system takes them for one account, so that nothing "+
			"of it is "+
			"changed", subject, f.Actual)
	case drift.SignInBroken:
		return fmt.Sprintf("signing in does not work as it should: %v", f.Actual)
	case drift.MemberMissing:
		switch f.Actual {
		case drift.NoSuchAccount:
			return subject + " should be a member, but does not exist on the device"
		case drift.NotKnown:
			return subject + " should be a member, but the directory does not know it"
		}
		return subject + " should be a member"
	case drift.GroupMissing:
		return "the local group does not exist on the device"
	case drift.AccountCounted, drift.AccountUnnamed:
		return unnamed(subject, f)
	case drift.AccountMissing:
		return fmt.Sprintf("the account %v does not exist", f.Expected)
	case drift.AccountPresent:
		return fmt.Sprintf("the account %v exists, but should be absent", f.Actual)
	case drift.AccountState:
		return fmt.Sprintf("%v instead of %v", f.Actual, f.Expected)
	case drift.AccountName:
		return fmt.Sprintf("name %v instead of %v", f.Actual, f.Expected)
	case drift.AccountDetail:
		return fmt.Sprintf(
			"%s is %s instead of %s",
			strings.ReplaceAll(f.Subject, "_", " "),
			detail(f.Actual),
			detail(f.Expected),
		)
	case drift.RotationNever:
		return "the password was never rotated, so none is stored"
	case drift.RotationOverdue:
		return fmt.Sprintf("last rotated %v, overdue", f.Actual)
	case drift.ChangedElsewhere:
		return "the password was changed outside Rank Warden, so the stored one no longer works"
	case drift.AccountLeftBehind:
		return fmt.Sprintf("no policy manages the account %s any more; it is %v, and nobody changes its password",
			f.Subject, f.Actual)
	case drift.WarrantOutlived:
		return fmt.Sprintf("%s is still a member, although the warrant is over and nobody asks for it", subject)
	case drift.NameInUse:
		return fmt.Sprintf("the workstation is called %v, which another device is, was within the last 90 days, or is "+
			"expected to be; here it stays %v", f.Actual, f.Expected)
	case drift.UnitUnsupported:
		if f.Subject != "" {
			return fmt.Sprintf("%s is not supported on this device: it %v", strings.ReplaceAll(f.Subject, "_", " "),
				f.Actual)
		}
		if f.Actual != nil {
			return fmt.Sprintf("not supported on this device: it %v", f.Actual)
		}
		return "not supported on this device"
	case drift.ApplyFailed:
		if subject != "" {
			return fmt.Sprintf("the device could not change %s: %v", subject, f.Actual)
		}
		return fmt.Sprintf("the device could not change it: %v", f.Actual)
	}
	return instead(f)
}

func instead(f drift.Finding) string {
	because := ""
	if f.Via != "" {
		because = ", because of " + f.Via
	}
	expected, _ := f.Expected.(unit.Value)
	switch actual := f.Actual.(type) {
	case unit.Value:
		return fmt.Sprintf("%s instead of %s%s", Value(f.Unit, actual), Value(f.Unit, expected), because)
	case unit.LockoutRule:
		return fmt.Sprintf("%s instead of %s%s", Lockout(actual), Value(f.Unit, expected), because)
	}
	return notReported
}

func detail(value any) string {
	switch v := value.(type) {
	case bool:
		return onOff(v)
	case string:
		if v != "" {
			return fmt.Sprintf("%q", v)
		}
	}
	return "empty"
}
