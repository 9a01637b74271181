package drift

import (
	"slices"

	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

// What an account that was left behind is, as the actual value of its finding.
const (
	LeftPrivileged = "enabled, in a privileged local group"
	LeftEnabled    = "enabled"
	LeftDisabled   = "disabled"
)

// LeftBehind are the findings of accounts that the device bound to a key, which managed says no assignment claims any
// more: nobody changes their passwords.
func LeftBehind(state *State, managed func(id unit.ID) bool) []Finding {
	var findings []Finding
	for _, a := range state.Accounts {
		id := unit.AccountOf(a.Key)
		if a.Key == "" || id.IsZero() || managed(id) {
			continue
		}
		is := LeftDisabled
		switch {
		case a.Enabled && state.privileged(a):
			is = LeftPrivileged
		case a.Enabled:
			is = LeftEnabled
		}
		findings = append(findings, Finding{Unit: id, Kind: AccountLeftBehind, Subject: a.Name, Actual: is})
	}
	sortFindings(findings)
	return findings
}

// Outlived are the findings of members of open local groups by warrants that ended, each by its Until, whom no setting
// asks for: a device that takes such a membership away has none. A device has some time to hear that one was taken
// back.
func Outlived(state *State, settings []unit.Setting, ended []warrant.Warrant, ctx Context) []Finding {
	var findings []Finding
	for _, w := range ended {
		asked, _ := unit.ValueOf(settings, w.Unit).(unit.Members)
		name, _ := w.Unit.LocalGroup()
		group, there := state.Group(name)
		if !there || asked.Closed || asked.Has(w.Principal) || slices.Contains(asked.Absent, w.Principal) ||
			ctx.Now.Before(w.Until.Add(2*ctx.Grace)) {
			continue // a closed group, or one that forbids it, has a finding of its own
		}
		sid := state.Find(w.Principal, nil, ctx.Directory)
		if !sid.IsZero() && group.Has(sid) {
			findings = append(findings, Finding{Unit: w.Unit, Kind: WarrantOutlived, Subject: w.Principal.String(),
				Expected: IsNotMember, Actual: IsMember, Member: sid})
		}
	}
	sortFindings(findings)
	return slices.CompactFunc(findings, func(a, b Finding) bool { return a.Key() == b.Key() })
}

// privileged reports whether an account is a member of a local group whose members can take the device over.
func (s *State) privileged(a Account) bool {
	return slices.ContainsFunc(s.LocalGroups, func(g LocalGroup) bool {
		return unit.IsPrivileged(g.PolicyName()) && g.Has(a.SID)
	})
}

// NameTaken is the finding of a device whose workstation says that it has a name which another device has or keeps.
func NameTaken(known, says string) Finding {
	return Finding{Unit: unit.DeviceName, Kind: NameInUse, Expected: known, Actual: says}
}

// Differs reports whether findings of a kind are differences from a setting that the device could bring into line.
func (k Kind) Differs() bool {
	return k != UnitUnsupported && k != AccountLeftBehind && k != NameInUse && k != AccountCounted
}

// Drifts reports whether an open finding makes its device drifted.
func (f Finding) Drifts() bool {
	return f.Kind.Differs() || f.Kind == AccountLeftBehind && f.Actual == LeftPrivileged
}
