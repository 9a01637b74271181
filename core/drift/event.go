package drift

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
)

// EventKind says what a device did or noticed.
type EventKind string

// The kinds of event.
const (
	Applied       EventKind = "applied"         // a desired state was carried out and read back
	AppliedInPart EventKind = "applied_in_part" // it was read back, and some of it could not be carried out
	// a password rule, the lockout, or a property of a built-in account
	ValueSet       EventKind = "value_set"
	AccountCreated EventKind = "account_created" // a managed account was made
	// one that was there was taken over, signed out, with a new password
	AccountAdopted  EventKind = "account_adopted"
	AccountRenamed  EventKind = "account_renamed"  // by the device
	AccountEnabled  EventKind = "account_enabled"  // by the device
	AccountDisabled EventKind = "account_disabled" // by the device
	// one that no policy names will be disabled; told at once, and a day before
	AccountCounts      EventKind = "account_counts"
	AccountDescribed   EventKind = "account_described"   // full name, description or expiry
	AccountRemoved     EventKind = "account_removed"     // one that is to be absent
	KeysRemoved        EventKind = "keys_removed"        // SSH keys that opened a managed account
	GroupCreated       EventKind = "group_created"       // a local group that a policy makes
	GroupRemoved       EventKind = "group_removed"       // one that the device made, empty, and asked for no more
	MemberAdded        EventKind = "member_added"        // to a local group
	MemberRemoved      EventKind = "member_removed"      // from a local group
	WarrantJoined      EventKind = "warrant_joined"      // a member of a local group for a time
	WarrantUsed        EventKind = "warrant_used"        // whoever has it was signed in, told once
	WarrantLeft        EventKind = "warrant_left"        // that time is over, or was ended
	AccountUnlocked    EventKind = "account_unlocked"    // by an order
	SessionsEnded      EventKind = "sessions_ended"      // by an order
	PasswordChanged    EventKind = "password_changed"    // by the device, and it is in escrow
	PasswordForeign    EventKind = "password_foreign"    // somebody else changed it
	RotationFailed     EventKind = "rotation_failed"     // a password could not be changed
	RotationStopped    EventKind = "rotation_stopped"    // no rule asks for it any more
	AccountUsed        EventKind = "account_used"        // somebody signed in
	AccountLocked      EventKind = "account_locked"      // after wrong passwords
	DeviceRestarted    EventKind = "device_restarted"    // after an account was used, as its rule says
	DeviceRestored     EventKind = "device_restored"     // it came back from a snapshot
	GuardRefused       EventKind = "guard_refused"       // a change would have left no usable administrator
	DeviceRenamed      EventKind = "device_renamed"      // the workstation has another name
	SetAside           EventKind = "set_aside"           // something that the service refuses for good, with the reason
	GivenBack          EventKind = "given_back"          // a member or value that a reverted change had taken away
	NotGivenBack       EventKind = "not_given_back"      // one that could not be given back
	RepeatedlyReverted EventKind = "repeatedly_reverted" // a unit was put right three times within a day
)

// EventKinds are all of them, in the order in which a reader looks for them.
var EventKinds = []EventKind{
	Applied,
	AppliedInPart,
	AccountCreated,
	AccountAdopted,
	AccountRenamed,
	AccountEnabled,
	AccountCounts,
	AccountDisabled,
	AccountDescribed,
	AccountRemoved,
	PasswordChanged,
	PasswordForeign,
	RotationFailed,
	RotationStopped,
	AccountUsed,
	AccountLocked,
	AccountUnlocked,
	SessionsEnded,
	DeviceRestarted,
	KeysRemoved,
	GroupCreated,
	GroupRemoved,
	MemberAdded,
	MemberRemoved,
	WarrantJoined,
	WarrantUsed,
	WarrantLeft,
	ValueSet,
	GivenBack,
	NotGivenBack,
	GuardRefused,
	RepeatedlyReverted,
	DeviceRestored,
	DeviceRenamed,
	SetAside,
}

// Event is something that happened on a device. It holds values and never a sentence, and never a secret.
type Event struct {
	Seq     int64     `json:"seq"` // of the device's events, from 1
	At      time.Time `json:"at"`  // in service time
	Kind    EventKind `json:"kind"`
	Unit    unit.ID   `json:"unit,omitzero"`
	Subject string    `json:"subject,omitempty"` // the account or member
	Details
}

// Details are what more is known of an event. The kind says which of them are there.
type Details struct {
	// [ValueSet], [GivenBack]: the value of the unit before and after, null for not reported
	From    json.RawMessage `json:"from,omitempty"`
	To      json.RawMessage `json:"to,omitempty"`
	OldName string          `json:"old_name,omitempty"` // [AccountRenamed], [DeviceRenamed], [PasswordChanged]
	NewName string          `json:"new_name,omitempty"`
	// [AccountRenamed], [PasswordChanged] with another name: what on the device still names the account as before
	StillNamed []string `json:"still_named,omitempty"`
	Number     int64    `json:"number,omitempty"` // [Applied]: of the desired state; [DeviceRestored]: of the epoch
	Failed     int      `json:"failed,omitempty"` // [AppliedInPart]: settings that could not be changed
	Times      int      `json:"times,omitempty"`  // how often it happened within the last hour; 0 for once
	// [RepeatedlyReverted]: accounts as which somebody was signed in, where that is known
	SignedIn []string `json:"signed_in,omitempty"`
	// [AccountLocked]: until then, nil until someone unlocks it; [RotationStopped]: of the last rotation;
	// [AccountCounts]: when its grace ends; [WarrantJoined], [WarrantUsed], [WarrantLeft]: its end
	Time   *time.Time      `json:"time,omitempty"`
	Reason rotation.Reason `json:"reason,omitempty"` // [PasswordChanged]
	// [WarrantJoined], [WarrantUsed], [WarrantLeft]: its identifier
	Warrant string `json:"warrant,omitempty"`
	// [RotationFailed], [SetAside], [NotGivenBack]: what the system or the service said
	Error string `json:"error,omitempty"`
}

// ChangeOf are the details of a value that was set. Either is nil when it was not reported.
func ChangeOf(from, to unit.Value) Details {
	written := func(v unit.Value) json.RawMessage {
		data, err := json.Marshal(v)
		if err != nil {
			return json.RawMessage("null") // values are made of strings, numbers and lists, so this cannot be
		}
		return data
	}
	return Details{From: written(from), To: written(to)}
}

// Size is the length of the texts of the event, in bytes.
func (e Event) Size() int {
	there := 0
	for _, name := range slices.Concat(e.SignedIn, e.StillNamed) {
		there += len(name)
	}
	return there + len(e.Subject) + len(e.From) + len(e.To) + len(e.OldName) + len(e.NewName) + len(e.Error) +
		len(e.Reason) + len(e.Warrant)
}

// Shortened keeps a text of an event well below what the service takes: it has at most 1000 bytes.
func Shortened(s string) string {
	const most = 1000
	if len(s) <= most {
		return s
	}
	return strings.ToValidUTF8(s[:most], "") + "…"
}
