// Package effect names what a change does to a device: the vocabulary of a preview.
package effect

import (
	"cmp"
	"encoding/json"
	"time"

	"rankwarden.example/core/unit"
)

// Kind says what a change does to one thing on a device.
type Kind string

// The kinds of effect.
const (
	Held         Kind = "held"           // the setting may not change any more: the device keeps what it was last told
	NoLongerHeld Kind = "no_longer_held" // the setting may change again

	Tightened Kind = "tightened" // a rule becomes stricter
	Loosened  Kind = "loosened"  // a rule becomes less strict
	Changed   Kind = "changed"   // a rule becomes known, or unknown

	AccountReleased   Kind = "account_released"    // the account stays and is no longer managed
	AccountNotCreated Kind = "account_not_created" // the account was still to be created, and is not
	AccountSpared     Kind = "account_spared"      // the account was to be removed, and is not
	AccountAmbiguous  Kind = "account_ambiguous"   // several accounts fit the name, so none is touched
	AccountRemoved    Kind = "account_removed"
	AccountCreated    Kind = "account_created"
	AccountAdopted    Kind = "account_adopted"  // an existing account becomes the managed one
	TakeoverRefused   Kind = "takeover_refused" // a service or a task runs as the existing account
	PasswordLeft      Kind = "password_left"    // of an account that is taken over, as are its sessions
	AccountKept       Kind = "account_kept"     // a managed account that was to be removed is wanted again
	AccountRenamed    Kind = "account_renamed"
	AccountEnabled    Kind = "account_enabled"
	AccountDisabled   Kind = "account_disabled"
	AccountDescribed  Kind = "account_described" // some of [unit.AccountDetails] change

	GroupCreated Kind = "group_created"
	GroupRemoved Kind = "group_removed" // one that the device made, and that is empty
	MemberLeaves Kind = "member_leaves"
	MemberJoins  Kind = "member_joins"

	RotationStarts  Kind = "rotation_starts"
	RotationStops   Kind = "rotation_stops"
	RotationChanged Kind = "rotation_changed"

	GuardRefuses Kind = "guard_refuses" // the device would refuse to give up its last break-glass account
	NoWayIn      Kind = "no_way_in"     // there is no break-glass account, and an administrator leaves
)

// Kinds are all of them.
var Kinds = []Kind{
	Held, NoLongerHeld, Tightened, Loosened, Changed, AccountReleased, AccountNotCreated, AccountSpared,
	AccountAmbiguous,
	AccountRemoved, AccountCreated, AccountAdopted, TakeoverRefused, PasswordLeft, AccountKept,
	AccountRenamed, AccountEnabled, AccountDisabled,
	AccountDescribed, GroupCreated, GroupRemoved,
	MemberLeaves, MemberJoins, RotationStarts, RotationStops, RotationChanged, GuardRefuses, NoWayIn,
}

// Effect is one thing that a change does to one device. Before and After are JSON values, nil where there is none.
type Effect struct {
	Unit    unit.ID // the setting; the zero ID is every setting, written *
	Kind    Kind
	Subject string // whom or what it concerns, where the setting alone does not say
	Before  any
	After   any
	Takes   *Taken // what is known of an account that is taken over; nil for every other effect, and not written
}

// Taken is what is known of an account that is taken over.
type Taken struct {
	LastSignIn time.Time // the day of it; zero where the device knows of none
	Groups     []string  // local groups that it is in
	Runs       []string  // services and scheduled tasks that run as it
}

// Every is how the zero unit of an effect, every setting of a device, is written.
const Every = "*"

// UnitName writes the setting of an effect, [Every] for the zero ID.
func UnitName(id unit.ID) string {
	if id.IsZero() {
		return Every
	}
	return id.String()
}

// MarshalJSON writes the effect with its keys in the order of the format.
func (e Effect) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Unit    string `json:"unit"`
		Effect  Kind   `json:"effect"`
		Subject string `json:"subject"`
		Before  any    `json:"before"`
		After   any    `json:"after"`
	}{UnitName(e.Unit), e.Kind, e.Subject, e.Before, e.After})
}

// Compare orders effects by setting, kind and subject, which no two on one device share.
func Compare(a, b Effect) int {
	return cmp.Or(a.Unit.Compare(b.Unit), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Subject, b.Subject))
}

// TakesAway reports whether an effect takes access away or leaves a device as it should not be, so that somebody should
// look before the change goes out: a member of administrators leaves, an account is disabled, a setting becomes held,
// the guard refuses, or there is no way in.
func (e Effect) TakesAway() bool { return takesAway(e.Kind, e.Unit) }

func takesAway(kind Kind, id unit.ID) bool {
	switch kind {
	case MemberLeaves:
		return id == unit.Administrators
	case AccountDisabled, GuardRefuses, NoWayIn, Held:
		return true
	}
	return false
}
