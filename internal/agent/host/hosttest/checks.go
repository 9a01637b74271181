package hosttest

import (
	"context"
	"errors"
	"reflect"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

func createsDisabled(b *bench) {
	a := b.account(b.create("rw-check"))
	b.is("it has its name", a.Name == "rw-check")
	b.is("it is disabled", !a.Enabled)
	b.is("it is no built-in one", a.Builtin == "")
	b.mustNot("an empty password", b.Host.CheckPassword(b.ctx, a.SID, ""))
	b.mustNot("signing in while it is disabled", b.SignIn(b.ctx, "rw-check", ""))
	_, err := b.Host.CreateAccount(b.ctx, "RW-check")
	b.mustNot("a name that is taken but for its case", err)
}

func takesNames(b *bench) {
	for _, name := range []string{"rw check", "rw-sjöfn", "rw-Ελένη"} {
		sid, err := b.Host.CreateAccount(b.ctx, name)
		if errors.Is(err, host.ErrName) {
			continue // the platform has no such names, and says so
		}
		b.must("creating "+name, err)
		b.mine = append(b.mine, sid)
		b.is("the name is "+name, b.account(sid).Name == name)
	}
	for _, name := range []string{"", "rw/check", "rw\x00check"} {
		_, err := b.Host.CreateAccount(b.ctx, name)
		b.mustNot("a name that cannot be", err)
	}
}

func setsPasswords(b *bench) {
	sid := b.opened("rw-check")
	b.must("checking the password", b.Host.CheckPassword(b.ctx, sid, password))
	b.mustNot("another password", b.Host.CheckPassword(b.ctx, sid, another))
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
	b.must("setting another", b.Host.SetPassword(b.ctx, sid, another))
	b.must("checking the new one", b.Host.CheckPassword(b.ctx, sid, another))
	b.mustNot("the former password", b.Host.CheckPassword(b.ctx, sid, password))
	b.must("disabling", b.Host.EnableAccount(b.ctx, sid, false))
	b.must("checking while it is disabled", b.Host.CheckPassword(b.ctx, sid, another))
}

func stampsPasswords(b *bench) {
	sid := b.opened("rw-check")
	first := b.account(sid).PasswordStamp
	b.is("there is a stamp", first != "")
	b.must("checking the password", b.Host.CheckPassword(b.ctx, sid, password))
	b.is("it stays while no password is set", b.account(sid).PasswordStamp == first)
	b.must("setting another", b.Host.SetPassword(b.ctx, sid, another))
	second := b.account(sid).PasswordStamp
	b.is("it is another one after a change", second != first)
	b.must("letting time go on", b.Later(time.Minute))
	b.must("renaming", b.Host.RenameAccount(b.ctx, sid, "rw-check-2"))
	b.is("it stays when the account is renamed", b.account(sid).PasswordStamp == second)
}

// lockout gives the host a lockout, and puts back what it had.
func (b *bench) lockout(rule unit.LockoutRule) {
	before := b.state().Lockout
	if before != nil {
		b.undo = append(b.undo, func() error { return b.Host.SetLockout(b.ctx, *before) })
	}
	b.must("setting the lockout", b.Host.SetLockout(b.ctx, rule))
	now := b.state().Lockout
	b.is("the lockout is read back", now != nil && *now == rule)
}

func locks(b *bench) {
	sid := b.opened("rw-check")
	b.lockout(unit.LockoutRule{Threshold: 3, DurationMinutes: 5, WindowMinutes: 5})
	for range 2 {
		b.mustNot("a wrong password", b.SignIn(b.ctx, "rw-check", "wrong"))
	}
	b.is("two wrong ones do not lock", !b.account(sid).Locked)
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
	for range 2 {
		b.mustNot("a wrong password", b.SignIn(b.ctx, "rw-check", "wrong"))
	}
	b.is("a right one begins the count again", !b.account(sid).Locked)
	b.mustNot("a third wrong password", b.SignIn(b.ctx, "rw-check", "wrong"))
	a := b.account(sid)
	b.is("the third wrong one locks", a.Locked)
	b.is("it says until when", a.LockedUntil != nil)
	b.mustNot("the right password of a locked account", b.SignIn(b.ctx, "rw-check", password))
	b.must("letting time go on", b.Later(5*time.Minute+time.Second))
	b.is("it ends by itself", !b.account(sid).Locked)
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
}

func unlocks(b *bench) {
	sid := b.opened("rw-check")
	b.lockout(unit.LockoutRule{Threshold: 1, DurationMinutes: 0, WindowMinutes: 1})
	b.mustNot("a wrong password", b.SignIn(b.ctx, "rw-check", "wrong"))
	b.must("letting time go on", b.Later(24*time.Hour))
	a := b.account(sid)
	b.is("it is locked until somebody unlocks it", a.Locked && a.LockedUntil == nil)
	b.must("unlocking", b.Host.Unlock(b.ctx, sid))
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
	b.must("unlocking one that is not locked", b.Host.Unlock(b.ctx, sid))
}

func renames(b *bench) {
	sid := b.opened("rw-check")
	b.must("renaming", b.Host.RenameAccount(b.ctx, sid, "rw-renamed"))
	b.is("the identifier stays", b.account(sid).Name == "rw-renamed")
	b.must("signing in under the new name", b.SignIn(b.ctx, "rw-renamed", password))
	b.mustNot("the former name", b.SignIn(b.ctx, "rw-check", password))
	b.must("renaming by case alone", b.Host.RenameAccount(b.ctx, sid, "RW-renamed"))
	b.create("rw-other")
	b.mustNot("a name that another has", b.Host.RenameAccount(b.ctx, sid, "rw-other"))
	b.is("and then keeps its own", b.account(sid).Name == "RW-renamed")
}

func describes(b *bench) {
	sid := b.create("rw-check")
	details := unit.Details{FullName: "Lamp keeper", Description: "of the north pier", PasswordExpires: false}
	b.must("describing", b.Host.DescribeAccount(b.ctx, sid, details))
	b.is("it has what was given", b.account(sid).Details == details)
	details.FullName = "Keeper of lamps"
	b.must("describing in part", b.Host.DescribeAccount(b.ctx, sid, details))
	a := b.account(sid)
	b.is("the full name is the new one", a.FullName == "Keeper of lamps")
	b.is("the rest stays", a.Description == "of the north pier" && !a.PasswordExpires)
}

func expires(b *bench) {
	sid := b.opened("rw-check")
	details := b.account(sid).Details
	details.ExpiresOn = "2098-12-31"
	b.must("giving it a day on which it expires", b.Host.DescribeAccount(b.ctx, sid, details))
	a := b.account(sid)
	b.is("it has the day, and is enabled until then", a.ExpiresOn == "2098-12-31" && a.Enabled)
	b.must("disabling", b.Host.EnableAccount(b.ctx, sid, false))
	b.is("it keeps the day", b.account(sid).ExpiresOn == "2098-12-31" && !b.account(sid).Enabled)
	b.must("enabling", b.Host.EnableAccount(b.ctx, sid, true))
	b.is("it has the day still", b.account(sid).ExpiresOn == "2098-12-31" && b.account(sid).Enabled)
	details.ExpiresOn = ""
	b.must("taking the day away", b.Host.DescribeAccount(b.ctx, sid, details))
	b.is("it never expires", b.account(sid).ExpiresOn == "")
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
}

func fixesPasswords(b *bench) {
	limits, err := b.Host.Limits(b.ctx)
	b.must("reading limits", err)
	if slices.ContainsFunc(limits, func(l drift.Limit) bool { return l.Detail == unit.DetailPasswordFixed }) {
		return
	}
	sid := b.opened("rw-check")
	details := b.account(sid).Details
	details.PasswordFixed = true
	b.must("fixing the password", b.Host.DescribeAccount(b.ctx, sid, details))
	b.is("it is fixed", b.account(sid).PasswordFixed)
	b.mustNot("changing it", b.Change(b.ctx, "rw-check", password, another))
	b.must("signing in with the same", b.SignIn(b.ctx, "rw-check", password))
	b.must("the host may set another", b.Host.SetPassword(b.ctx, sid, another))
}

func requiresChange(b *bench) {
	sid := b.opened("rw-check")
	b.must("asking for a change", b.Host.RequireChange(b.ctx, sid))
	b.mustNot("signing in before it is changed", b.SignIn(b.ctx, "rw-check", password))
	b.must("setting another password", b.Host.SetPassword(b.ctx, sid, another))
	b.must("signing in with it", b.SignIn(b.ctx, "rw-check", another))
}

func makesGroups(b *bench) {
	group, err := b.Host.CreateGroup(b.ctx, "rw-crew")
	b.must("creating a local group", err)
	b.undo = append(b.undo, func() error { // where the check ends before it is removed
		if !slices.ContainsFunc(b.state().LocalGroups, func(g drift.LocalGroup) bool { return g.SID == group }) {
			return nil
		}
		return b.Host.DeleteGroup(b.ctx, group)
	})
	b.is("it is empty", len(b.members(group)) == 0)
	_, err = b.Host.CreateGroup(b.ctx, "rw-crew")
	b.mustNot("a second one of its name", err)
	sid := b.create("rw-check")
	b.must("adding a member", b.Host.AddMember(b.ctx, group, sid))
	b.mustNot("removing it while it has a member", b.Host.DeleteGroup(b.ctx, group))
	b.must("taking the member out", b.Host.RemoveMember(b.ctx, group, sid))
	b.must("removing it", b.Host.DeleteGroup(b.ctx, group))
	b.is("it is gone",
		!slices.ContainsFunc(b.state().LocalGroups, func(g drift.LocalGroup) bool { return g.SID == group }))
	b.mustNot("removing it again", b.Host.DeleteGroup(b.ctx, group))
}

func enables(b *bench) {
	sid := b.opened("rw-check")
	b.is("it is enabled", b.account(sid).Enabled)
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
	b.must("disabling", b.Host.EnableAccount(b.ctx, sid, false))
	b.is("it is disabled", !b.account(sid).Enabled)
	b.mustNot("signing in while it is disabled", b.SignIn(b.ctx, "rw-check", password))
}

// members are those of a local group that must be there.
func (b *bench) members(group principal.SID) []principal.SID {
	state := b.state()
	i := slices.IndexFunc(state.LocalGroups, func(g drift.LocalGroup) bool { return g.SID == group })
	b.is("the local group is there", i >= 0)
	var list []principal.SID
	for _, m := range state.LocalGroups[i].Members {
		list = append(list, m.SID)
	}
	return list
}

func keepsMembers(b *bench) {
	group := drift.WellKnown(unit.GroupAdministrators)
	before := b.members(group)
	sid := b.create("rw-check")
	b.must("adding a member", b.Host.AddMember(b.ctx, group, sid))
	b.is("it is a member", slices.Contains(b.members(group), sid))
	b.must("renaming it", b.Host.RenameAccount(b.ctx, sid, "rw-renamed"))
	b.is("it stays one under another name", slices.Contains(b.members(group), sid))
	b.must("removing it", b.Host.RemoveMember(b.ctx, group, sid))
	after := b.members(group)
	b.is("the others are as they were", len(after) == len(before) && !slices.Contains(after, sid))
	b.mustNot("a member that does not exist", b.Host.AddMember(b.ctx, group, principal.MustSID("S-1-5-21-9-9-9-9999")))
	b.mustNot("a group that does not exist", b.Host.AddMember(b.ctx, principal.MustSID("S-1-5-32-9999"), sid))
}

// rules gives the host password rules, and puts back what it had.
func (b *bench) rules(rules drift.Passwords) {
	if before := b.state().Passwords; before != nil {
		b.undo = append(b.undo, func() error { return b.Host.SetPasswords(b.ctx, *before) })
	}
	b.must("setting password rules", b.Host.SetPasswords(b.ctx, rules))
}

func enforcesRules(b *bench) {
	sid := b.opened("rw-check")
	b.rules(drift.Passwords{MinLength: new(12), History: new(3), Complexity: new(true)})
	now := b.state().Passwords
	b.is("they are read back", now != nil && *now.MinLength == 12 && *now.History == 3 && *now.Complexity)
	b.mustNot("a password that is too short", b.Change(b.ctx, "rw-check", password, "Xq7-pier-4"))
	b.mustNot("a password that is too plain", b.Change(b.ctx, "rw-check", password, "zlampsqofthewpier"))
	b.must("changing to one that fits", b.Change(b.ctx, "rw-check", password, another))
	b.mustNot("one that was used before", b.Change(b.ctx, "rw-check", another, password))
	b.must("checking the present one", b.Host.CheckPassword(b.ctx, sid, another))
}

func takesRulesTogether(b *bench) {
	b.rules(drift.Passwords{MinLength: new(9), MaxAgeDays: new(40), MinAgeDays: new(1)})
	b.mustNot(
		"rules that contradict each other",
		b.Host.SetPasswords(b.ctx, drift.Passwords{MinLength: new(14), MaxAgeDays: new(5), MinAgeDays: new(6)}),
	)
	now := b.state().Passwords
	b.is("then none of them is taken", *now.MinLength == 9 && *now.MaxAgeDays == 40 && *now.MinAgeDays == 1)
	b.must("setting one alone", b.Host.SetPasswords(b.ctx, drift.Passwords{MinLength: new(10)}))
	now = b.state().Passwords
	b.is("the others stay", *now.MinLength == 10 && *now.MaxAgeDays == 40)
}

func seesSignIns(b *bench) {
	before, err := b.Host.SignIns(b.ctx, 0)
	b.must("reading sign-ins", err)
	last := int64(0)
	if len(before) > 0 {
		last = before[len(before)-1].Number
	}
	sid := b.opened("rw-check")
	b.must("signing in", b.SignIn(b.ctx, "rw-check", password))
	select {
	case <-b.Host.Watch():
	case <-time.After(time.Minute):
		b.fail("nobody was told of a sign-in")
	}
	b.must("signing in again", b.SignIn(b.ctx, "rw-check", password))
	fresh, err := b.Host.SignIns(b.ctx, last)
	b.must("reading sign-ins", err)
	mine := slices.DeleteFunc(fresh, func(s host.SignIn) bool { return s.Account != sid })
	b.is("both are seen, in order", len(mine) == 2 && last < mine[0].Number && mine[0].Number < mine[1].Number)
	rest, err := b.Host.SignIns(b.ctx, mine[1].Number)
	b.must("reading sign-ins", err)
	b.is("none is told twice", !slices.ContainsFunc(rest, func(s host.SignIn) bool { return s.Account == sid }))
	there, err := b.Stay(b.ctx, "rw-check", password)
	b.must("signing in and staying", err)
	b.is("somebody is signed in", there())
	b.must("ending sessions", b.Host.EndSessions(b.ctx, sid))
	b.comes("nobody is signed in any more", func() bool { return !there() })
	b.must("ending none", b.Host.EndSessions(b.ctx, sid))
	b.must("telling whoever works there", b.Host.Notify(b.ctx, "This is a check of the host."))
}

func deletes(b *bench) {
	group := drift.WellKnown(unit.GroupAdministrators)
	sid := b.create("rw-check")
	b.must("adding it to a group", b.Host.AddMember(b.ctx, group, sid))
	b.must("removing it", b.Host.DeleteAccount(b.ctx, sid))
	_, there := find(b.state(), sid)
	b.is("it is gone", !there)
	b.is("from its groups too", !slices.Contains(b.members(group), sid))
	next := b.create("rw-check")
	b.is("its identifier is not used again", next != sid)
	b.is("another of its name is in no group of it", !slices.Contains(b.members(group), next))
}

func repeats(b *bench) {
	group := drift.WellKnown(unit.GroupAdministrators)
	sid := b.opened("rw-check")
	before := b.account(sid)
	for range 2 {
		b.must("adding a member", b.Host.AddMember(b.ctx, group, sid))
		b.must("enabling", b.Host.EnableAccount(b.ctx, sid, true))
		b.must("renaming to the name it has", b.Host.RenameAccount(b.ctx, sid, "rw-check"))
	}
	n := 0
	for _, m := range b.members(group) {
		if m == sid {
			n++
		}
	}
	b.is("it is a member once", n == 1)
	b.is("nothing else is changed", reflect.DeepEqual(b.account(sid), before))
	for range 2 {
		b.must("removing a member", b.Host.RemoveMember(b.ctx, group, sid))
	}
}

func refusesUnknown(b *bench) {
	gone := b.create("rw-check")
	b.must("removing it", b.Host.DeleteAccount(b.ctx, gone))
	for what, err := range map[string]error{
		"removing it again":     b.Host.DeleteAccount(b.ctx, gone),
		"renaming it":           b.Host.RenameAccount(b.ctx, gone, "rw-other"),
		"enabling it":           b.Host.EnableAccount(b.ctx, gone, true),
		"describing it":         b.Host.DescribeAccount(b.ctx, gone, unit.Details{FullName: "x"}),
		"setting its password":  b.Host.SetPassword(b.ctx, gone, password),
		"checking its password": b.Host.CheckPassword(b.ctx, gone, password),
		"unlocking it":          b.Host.Unlock(b.ctx, gone),
	} {
		b.mustNot(what, err)
	}
}

func stops(b *bench) {
	sid := b.opened("rw-check")
	ctx, cancel := context.WithCancel(b.ctx)
	cancel()
	b.mustNot("a change after its context ended", b.Host.EnableAccount(ctx, sid, false))
	_, err := b.Host.Read(ctx)
	b.mustNot("reading after its context ended", err)
	b.is("nothing was changed", b.account(sid).Enabled)
}

func isOnlyOne(b *bench) { b.mustNot("a second agent", b.Second()) }
