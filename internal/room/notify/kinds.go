package notify

import (
	"encoding/json"
	"slices"
	"strings"

	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Kind is a kind of notification.
type Kind = string

// The kinds.
const (
	FindingOpened    Kind = "finding_opened"
	FindingCorrected Kind = "finding_corrected"
	FindingClosed    Kind = "finding_closed"
	DeviceHeld       Kind = "device_held"
	DeviceSilent     Kind = "device_silent"
	PasswordViewed   Kind = "password_viewed"
	RolloutStopped   Kind = "rollout_stopped"
	EditBraked       Kind = "edit_braked"
	// AdministratorsAltered says that somebody became an administrator of devices, or is none any more.
	AdministratorsAltered Kind = "administrators_altered"
	ContestedBySomebody   Kind = store.ContestedBySomebody
	AccountsAltered       Kind = store.AccountsAltered
	ApprovalAsked         Kind = "approval_asked" // a change, or what is held, waits for a second person
	Approved              Kind = "approved"
	ChangeRefused         Kind = "refused"
	DatabaseReturned      Kind = "database_returned"
	Frozen                Kind = "service_frozen"
	CheckpointSigned      Kind = store.CheckpointSigned
	TrailBroken           Kind = "trail_broken"
	SealedOwnerUsed       Kind = "sealed_owner_used"
	Refused               Kind = "attempt_refused"
	TrailEntry            Kind = "trail_entry" // whatever stands on the trail
	Test                  Kind = "test_sent"   // somebody tries a target
)

// Kinds are all that a target can be given.
var Kinds = []Kind{
	FindingOpened, FindingCorrected, FindingClosed, DeviceHeld, DeviceSilent, PasswordViewed, RolloutStopped,
	EditBraked, AdministratorsAltered, AccountsAltered, ContestedBySomebody, ApprovalAsked, Approved, ChangeRefused,
	DatabaseReturned, Frozen,
	CheckpointSigned, TrailBroken, SealedOwnerUsed, Refused, TrailEntry,
}

// urgent are the kinds that somebody should look at tonight.
var urgent = map[Kind]bool{AdministratorsAltered: true, RolloutStopped: true, EditBraked: true, DatabaseReturned: true,
	Frozen:      true,
	TrailBroken: true, SealedOwnerUsed: true}

// kindsOf are those of an entry of the trail.
func kindsOf(e audit.Entry) []Kind {
	kinds := []Kind{TrailEntry}
	add := func(is bool, k Kind) {
		if is {
			kinds = append(kinds, k)
		}
	}
	done := e.Outcome == audit.Done
	add(!done, Refused)
	add(done && e.Action == "password.revealed", PasswordViewed)
	for _, stop := range []rollout.What{rollout.GateStopped, rollout.ManyJoin, rollout.Halted} {
		add(done && e.Action == "rollout."+string(stop), RolloutStopped)
	}
	add(done && e.Action == store.ServiceRestored, DatabaseReturned)
	add(done && (e.Action == store.ServiceFrozen || e.Action == store.ServiceThawed), Frozen)
	add(done && e.Action == "brake.held", EditBraked)
	add(done && e.Action == "administrators.altered", AdministratorsAltered)
	add(done && (e.Action == "change.approval_requested" || e.Action == "brake.held" && isForSecond(e)), ApprovalAsked)
	add(done && e.Action == "change.approved", Approved)
	add(done && (e.Action == "change.refused" || e.Action == "brake.refused"), ChangeRefused)
	add(e.Action == store.FoundBroken, TrailBroken)
	add(done && strings.HasPrefix(e.Action, "session.") && bySealedOwner(e), SealedOwnerUsed)
	return kinds
}

// isForSecond reports whether what is held waits for a second person.
func isForSecond(e audit.Entry) bool {
	var after struct{ Needs []string }
	return json.Unmarshal(e.After, &after) == nil && len(after.Needs) > 0
}

// bySealedOwner reports whether the sealed owner signed in with an entry.
func bySealedOwner(e audit.Entry) bool {
	var after struct {
		Sealed bool `json:"sealed_owner"`
	}
	return json.Unmarshal(e.After, &after) == nil && after.Sealed
}

// wants reports whether a target is given a kind.
func wants(t store.NotificationTarget, kind Kind) bool {
	return slices.Contains(t.Events, kind) || kind == Test
}
