package resolve

import (
	"cmp"
	"encoding/json"
	"slices"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/unit"
)

// Code names a problem of the settled whole.
type Code string

// The problems that are errors: in the enforced lane they hold units.
const (
	// a fact that decides whether an assignment applies is not known
	UndecidedScope Code = "undecided_scope"
	// administrators is closed and nobody in it could be used
	NoAdminPath              Code = "no_admin_path"
	NameClash                Code = "name_clash"                 // two accounts are to have one name
	MinAgeNotBelowMaxAge     Code = "min_age_not_below_max_age"  // passwords could never be changed before they expire
	RotationTargetUndeclared Code = "rotation_target_undeclared" // no policy declares the account
	RotationTargetAbsent     Code = "rotation_target_absent"     // the account is to be absent
	RotationOfKeptPassword   Code = "rotation_of_kept_password"  // the password of the account is to be left alone
	RotationSecretTooShort   Code = "rotation_secret_too_short"  // the device's own rules would refuse the secret
	RotationSecretTooPlain   Code = "rotation_secret_too_plain"  // the same, for want of classes of characters
)

// The problems that are warnings.
const (
	RotationTargetDisabled   Code = "rotation_target_disabled"     // nobody can use the password
	RotationSlowerThanMaxAge Code = "rotation_slower_than_max_age" // the password expires before it is rotated
	AccountWithoutRotation   Code = "account_without_rotation"     // nobody knows the password of an administrator
	// a closed group leaves out an account that its policy wants in
	AccountOutsideGroup Code = "account_outside_group"
	// no member of the exact list of administrators works without a network
	NoBreakGlass Code = "no_break_glass"
	// wrong passwords could lock every administrator for good
	LockoutCanSealDevice Code = "lockout_can_seal_device"
	// no policy declares an account that is to be a member
	MemberUndeclared      Code = "member_undeclared"
	MemberOfAbsentAccount Code = "member_of_absent_account" // an account that is to be absent was to be a member
)

// Problem is something wrong with the settled whole, though each unit for itself is well settled.
type Problem struct {
	Code     Code            `json:"code"`
	Severity policy.Severity `json:"severity"`
	Unit     string          `json:"unit"`   // of name_clash two units joined by +, of undecided_scope the assignment
	Detail   string          `json:"detail"` // the account concerned, where one unit can have several problems
	Holds    Holds           `json:"holds"`  // settings of the lane that may not change because of it
}

func sortProblems(problems []Problem) {
	slices.SortFunc(problems, func(a, b Problem) int {
		if order := cmp.Compare(a.Code, b.Code); order != 0 {
			return order
		}
		return cmp.Or(cmp.Compare(a.Unit, b.Unit), cmp.Compare(a.Detail, b.Detail))
	})
}

// Codes are the codes of all problems.
var Codes = []Code{
	UndecidedScope,
	NoAdminPath,
	NameClash,
	MinAgeNotBelowMaxAge,
	RotationTargetUndeclared,
	RotationTargetAbsent,
	RotationOfKeptPassword,
	RotationSecretTooShort,
	RotationSecretTooPlain,
	RotationTargetDisabled,
	RotationSlowerThanMaxAge,
	AccountWithoutRotation,
	AccountOutsideGroup,
	NoBreakGlass,
	LockoutCanSealDevice,
	MemberUndeclared,
	MemberOfAbsentAccount,
}

// Holds are the settings that a problem keeps from changing: some, or all that a device has.
type Holds struct {
	All   bool
	Units []unit.ID // sorted
}

// Any reports whether anything is kept from changing.
func (h Holds) Any() bool { return h.All || len(h.Units) > 0 }

// all is how a list of settings says that it means all of them.
const all = "*"

// MarshalJSON writes a list of settings, ["*"] for all.
func (h Holds) MarshalJSON() ([]byte, error) {
	if h.All {
		return json.Marshal([]string{all})
	}
	return json.Marshal(append([]unit.ID{}, h.Units...))
}

// UnmarshalJSON reads what MarshalJSON writes. An unknown setting is an error that matches [unit.ErrUnknown].
func (h *Holds) UnmarshalJSON(data []byte) error {
	var names []string
	if err := json.Unmarshal(data, &names); err != nil {
		return err
	}
	*h = Holds{All: len(names) == 1 && names[0] == all}
	for _, name := range names {
		if h.All {
			break
		}
		id, err := unit.Parse(name)
		if err != nil {
			return err
		}
		h.Units = append(h.Units, id)
	}
	return nil
}
