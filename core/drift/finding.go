package drift

import (
	"cmp"
	"encoding/json"
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Kind says what sort of difference a finding is.
type Kind string

// The kinds of finding.
const (
	WrongValue     Kind = "wrong_value"     // the reported value differs
	AccountMissing Kind = "account_missing" // a managed account is not found
	AccountPresent Kind = "account_present" // an account that is to be absent is found
	AccountState   Kind = "account_state"   // enabled instead of disabled, or the reverse
	AccountName    Kind = "account_name"    // the account has a name that does not fit the pattern
	// an account that no policy names, while its grace lasts, and after
	AccountCounted   Kind = "account_counted"
	AccountUnnamed   Kind = "account_unnamed"
	AccountDetail    Kind = "account_detail"    // one of [unit.AccountDetails], which the subject names
	MemberMissing    Kind = "member_missing"    // a present principal is not a member
	MemberExtra      Kind = "member_extra"      // closed group: a member that nobody asked for
	MemberForbidden  Kind = "member_forbidden"  // open group: an absent principal is a member
	GroupMissing     Kind = "group_missing"     // the local group does not exist on the device
	GroupNoEffect    Kind = "group_no_effect"   // members of the local group have none of its rights
	NumberShared     Kind = "number_shared"     // another account has the number of a managed one
	SignInBroken     Kind = "sign_in_broken"    // the system lets nobody in, or anybody
	RotationNever    Kind = "rotation_never"    // no rotation was ever reported
	RotationOverdue  Kind = "rotation_overdue"  // the last rotation is too long ago
	ChangedElsewhere Kind = "changed_elsewhere" // somebody else set the password
	UnitUnsupported  Kind = "unit_unsupported"  // the platform cannot carry the unit
	ApplyFailed      Kind = "apply_failed"      // the device tried and could not
	// The service alone finds these: they are no difference from a setting.
	AccountLeftBehind Kind = "account_left_behind" // a policy managed the account, and none does any more
	// a member by a warrant that is over, whom nobody asks for
	WarrantOutlived Kind = "warrant_outlived"
	NameInUse       Kind = "name_in_use" // the workstation has a name that the device cannot have
)

// Kinds are all of them.
var Kinds = []Kind{
	WrongValue,
	AccountMissing,
	AccountPresent,
	AccountState,
	AccountName,
	AccountDetail,
	AccountCounted,
	AccountUnnamed,
	MemberMissing,
	MemberExtra,
	MemberForbidden,
	GroupMissing,
	GroupNoEffect,
	NumberShared,
	SignInBroken,
	RotationNever,
	RotationOverdue,
	ChangedElsewhere,
	UnitUnsupported,
	ApplyFailed,
	AccountLeftBehind,
	WarrantOutlived,
	NameInUse,
}

// Words of expected and actual for members.
const (
	IsMember      = "member"
	IsNotMember   = "not a member"
	NoSuchAccount = "no such account"
	NotKnown      = "unknown to the directory"
)

// Finding is one difference between a desired state and a report. Expected and Actual are JSON
// values, nil where there is none.
type Finding struct {
	Unit     unit.ID `json:"unit"`
	Kind     Kind    `json:"kind"`
	Subject  string  `json:"subject"`
	Expected any     `json:"expected"`
	Actual   any     `json:"actual"`
	// Via is by what somebody is a member, or what makes a rule come to something else than it says; empty where the
	// report does not say.
	Via string `json:"via,omitempty"`
	// Member is the identifier of the subject that is a member and should not be, for the device; zero for any
	// other finding.
	Member principal.SID `json:"-"`
}

// Key is what makes two findings the same one: unit, kind, subject and expected value.
func (f Finding) Key() string {
	expected, _ := json.Marshal(f.Expected)
	return f.Unit.String() + "\x1f" + string(f.Kind) + "\x1f" + f.Subject + "\x1f" + string(expected)
}

func sortFindings(findings []Finding) {
	actual := func(f Finding) string { b, _ := json.Marshal(f.Actual); return string(b) }
	slices.SortFunc(findings, func(a, b Finding) int {
		if c := cmp.Or(a.Unit.Compare(b.Unit), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Subject, b.Subject)); c != 0 {
			return c
		}
		return cmp.Compare(actual(a), actual(b))
	})
}

// Forecast are the findings against the projected lane that are not also findings against the
// enforced one.
func Forecast(enforced, projected []Finding) []Finding {
	known := make(map[string]bool, len(enforced))
	for _, f := range enforced {
		known[f.Key()] = true
	}
	forecast := []Finding{}
	for _, f := range projected {
		if !known[f.Key()] {
			forecast = append(forecast, f)
		}
	}
	return forecast
}
