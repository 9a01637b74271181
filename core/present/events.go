package present

import (
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
)

// Event says in one sentence what happened on a device, and how often where it happened again and again.
func Event(e drift.Event) string {
	if e.Times > 0 {
		return fmt.Sprintf("%s (%s more within an hour)", happened(e), count(e.Times, "time", "times"))
	}
	return happened(e)
}

// happened says what happened once. It is long because it has one case a kind of event.
func happened(e drift.Event) string {
	subject := e.Subject
	if ref, err := principal.Parse(e.Subject); err == nil {
		subject = Principal(ref)
	}
	switch e.Kind {
	case drift.Applied:
		return fmt.Sprintf("desired state %d was carried out and read back", e.Number)
	case drift.AppliedInPart:
		return fmt.Sprintf("desired state %d was read back, but %s could not be changed", e.Number,
			count(e.Failed, "setting", "settings"))
	case drift.ValueSet:
		return fmt.Sprintf("%s: %s instead of %s", UnitInFull(e.Unit), written(e.Unit, e.To), written(e.Unit, e.From))
	case drift.AccountCreated:
		return fmt.Sprintf("the account %s was created", subject)
	case drift.AccountAdopted:
		return fmt.Sprintf("the account %s was adopted: sessions ended, new password set", subject)
	case drift.AccountRenamed:
		return fmt.Sprintf("the account %s was renamed to %s", e.OldName, e.NewName) + still(e)
	case drift.AccountEnabled:
		return fmt.Sprintf("the account %s was enabled", subject)
	case drift.AccountCounts:
		when := "when its grace is over"
		if e.Time != nil {
			when = "on " + Instant(*e.Time)
		}
		return fmt.Sprintf("no policy names the account %s; it will be disabled %s", subject, when)
	case drift.AccountDisabled:
		if e.Unit == unit.Others {
			return fmt.Sprintf("the account %s, which no policy names, was disabled", subject)
		}
		return fmt.Sprintf("the account %s was disabled", subject)
	case drift.AccountDescribed:
		return fmt.Sprintf("the details of the account %s were set", subject)
	case drift.AccountRemoved:
		return fmt.Sprintf("the account %s was removed", subject)
	case drift.GroupCreated:
		return fmt.Sprintf("the local group %s was created", Unit(e.Unit))
	case drift.GroupRemoved:
		return fmt.Sprintf("the local group %s, which was empty, was removed", Unit(e.Unit))
	case drift.MemberAdded:
		return fmt.Sprintf("%s was added to %s", subject, Unit(e.Unit))
	case drift.MemberRemoved:
		return fmt.Sprintf("%s was removed from %s", subject, Unit(e.Unit))
	case drift.WarrantJoined:
		return fmt.Sprintf("%s was added to %s by warrant, until %s", subject, Unit(e.Unit), until(e.Time))
	case drift.WarrantUsed:
		return fmt.Sprintf("%s signed in as a member of %s by warrant, until %s", subject, Unit(e.Unit), until(e.Time))
	case drift.WarrantLeft:
		return fmt.Sprintf("%s was removed from %s, since the warrant until %s is over", subject, Unit(e.Unit),
			until(e.Time))
	case drift.AccountUnlocked:
		return fmt.Sprintf("the account %s was unlocked by an order", subject)
	case drift.SessionsEnded:
		if e.Unit.Family() == unit.Rotation {
			return fmt.Sprintf("all sessions of %s were ended, as its rotation requires after a sign-in", subject)
		}
		return fmt.Sprintf("all sessions of the account %s were ended by an order", subject)
	case drift.PasswordChanged:
		return fmt.Sprintf("the password of %s was changed: %s", e.OldName, Reason(e.Reason)) +
			renamed(e.OldName, e.NewName) + still(e)
	case drift.PasswordForeign:
		return fmt.Sprintf("the password of %s was changed outside Rank Warden", subject)
	case drift.RotationFailed:
		return fmt.Sprintf("the password of %s could not be changed: %s", subject, e.Error)
	case drift.RotationStopped:
		last := "never rotated"
		if e.Time != nil {
			last = "last rotated " + Instant(*e.Time)
		}
		return fmt.Sprintf("no policy rotates the password of %s any more; it was %s", Unit(e.Unit), last)
	case drift.AccountUsed:
		return fmt.Sprintf("somebody signed in as %s", subject)
	case drift.AccountLocked:
		until := "until someone unlocks it"
		if e.Time != nil {
			until = "until " + Instant(*e.Time)
		}
		return fmt.Sprintf("the account %s was locked after wrong passwords, %s", subject, until)
	case drift.DeviceRestarted:
		return "the device restarted, as the rotation of " + subject + " requires after a sign-in"
	case drift.KeysRemoved:
		return fmt.Sprintf("the SSH keys of %s were removed, so that its password alone lets somebody in", subject)
	case drift.DeviceRestored:
		return fmt.Sprintf("the device came back from a snapshot and began epoch %d", e.Number)
	case drift.GuardRefused:
		return fmt.Sprintf("%s: the guard refused, since no usable administrator would be left", UnitInFull(e.Unit))
	case drift.DeviceRenamed:
		return fmt.Sprintf("the workstation was renamed from %s to %s", e.OldName, e.NewName)
	case drift.SetAside:
		return fmt.Sprintf("%s was skipped, because the service refuses it: %s", subject, e.Error)
	case drift.GivenBack:
		if e.Unit == unit.Others {
			return fmt.Sprintf("the account %s was enabled again, since a change was reverted", subject)
		}
		if e.Subject != "" {
			return fmt.Sprintf("%s was given back to %s, since a change was reverted", subject, Unit(e.Unit))
		}
		return fmt.Sprintf(
			"%s was given back, since a change was reverted: %s",
			UnitInFull(e.Unit),
			written(e.Unit, e.To),
		)
	case drift.NotGivenBack:
		if e.Unit == unit.Others {
			return fmt.Sprintf("the account %s could not be enabled again: %s", subject, e.Error)
		}
		if e.Subject != "" {
			return fmt.Sprintf("%s could not be given back to %s: %s", subject, Unit(e.Unit), e.Error)
		}
		return fmt.Sprintf("%s could not be given back: %s", UnitInFull(e.Unit), e.Error)
	case drift.RepeatedlyReverted:
		if e.Unit.Guards() {
			return UnitInFull(e.Unit) + ": repeatedly reverted, and corrected at every look; " + there(e.SignedIn)
		}
		return UnitInFull(e.Unit) + ": repeatedly reverted; next attempt in 1 h"
	}
	return string(e.Kind)
}

// written is a value of a setting as an event has it.
func written(id unit.ID, data []byte) string {
	if len(data) == 0 || string(data) == "null" {
		return notReported
	}
	value, err := unit.Decode(id, data)
	if err != nil {
		return "an unknown value" // of a newer device
	}
	return Value(id, value)
}

// Instant writes a time to the minute.
func Instant(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 UTC") }

// renamed says which name an account got with its new password.
func renamed(before, now string) string {
	if before == now {
		return ""
	}
	return "; new name " + now + ""
}

// still says what on the device names a renamed account as before.
func still(e drift.Event) string {
	if len(e.StillNamed) == 0 {
		return ""
	}
	return fmt.Sprintf("; the name %s still has rights in %s", e.OldName, strings.Join(e.StillNamed, ", "))
}

// Reason says why a password changed or is to change.
func Reason(r rotation.Reason) string {
	switch r {
	case rotation.Interrupted:
		return "the change before was interrupted"
	case rotation.Restored:
		return "the device came back from a snapshot"
	case rotation.Recreated:
		return "the account was recreated"
	case rotation.Elsewhere:
		return "it had been changed outside Rank Warden"
	case rotation.First:
		return "first rotation"
	case rotation.Ordered:
		return "by an order"
	case rotation.Revealed:
		return "it had been viewed"
	case rotation.Used:
		return "somebody had signed in"
	}
	return "it was due"
}

// UnitInFull names a unit where no heading says its section.
func UnitInFull(id unit.ID) string {
	switch id.Family() {
	case unit.Builtins:
		return "built-in " + Unit(id)
	case unit.Accounts:
		if id == unit.Others {
			return Unit(id)
		}
		return "managed account " + Unit(id)
	case unit.Rotation:
		return "rotation of " + Unit(id)
	}
	return Unit(id)
}

// there says who was signed in, as far as a device said.
func there(names []string) string {
	if len(names) == 0 {
		return "the device did not say who was signed in"
	}
	return "signed in: " + strings.Join(names, ", ")
}

// until is an end, which a device tells; one that it did not tell is unknown.
func until(at *time.Time) string {
	if at == nil {
		return "an unknown time"
	}
	return Instant(*at)
}
