package words

import (
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/core/unit"
)

// Event says in one sentence what happened on a device.
func Event(e drift.Event) string {
	subject := e.Subject
	if ref, err := principal.Parse(e.Subject); err == nil {
		subject = Principal(ref)
	}
	switch e.Kind {
	case drift.Applied:
		return fmt.Sprintf("%s was carried out and read back", e.After)
	case drift.ValueSet:
		return fmt.Sprintf("%s: %s instead of %s", UnitInFull(e.Unit), e.After, e.Before)
	case drift.AccountCreated:
		return fmt.Sprintf("the account %s was made", subject)
	case drift.AccountAdopted:
		return fmt.Sprintf("the account %s was taken over: signed out, with a new password", subject)
	case drift.AccountRenamed:
		return fmt.Sprintf("the account %s was renamed to %s", e.Before, e.After)
	case drift.AccountEnabled:
		return fmt.Sprintf("the account %s was enabled", subject)
	case drift.AccountDisabled:
		return fmt.Sprintf("the account %s was disabled", subject)
	case drift.AccountDescribed:
		return fmt.Sprintf("the account %s was described as asked", subject)
	case drift.AccountRemoved:
		return fmt.Sprintf("the account %s was removed", subject)
	case drift.MemberAdded:
		return fmt.Sprintf("%s was put into %s", subject, Unit(e.Unit))
	case drift.MemberRemoved:
		return fmt.Sprintf("%s was taken out of %s", subject, Unit(e.Unit))
	case drift.AccountUnlocked:
		return fmt.Sprintf("the account %s was unlocked by an order", subject)
	case drift.SessionsEnded:
		if e.Unit.Family() == unit.Rotation {
			return fmt.Sprintf("whoever used %s was signed out, as its rule says after a sign-in", subject)
		}
		return fmt.Sprintf("whoever used the account %s was signed out by an order", subject)
	case drift.PasswordChanged:
		return fmt.Sprintf("the password of %s was changed: %s", e.Before, Reason(rotation.Reason(e.After))) + renamed(e.Before, subject)
	case drift.PasswordForeign:
		return fmt.Sprintf("somebody else changed the password of %s", subject)
	case drift.RotationFailed:
		return fmt.Sprintf("the password of %s could not be changed: %s", subject, e.After)
	case drift.RotationStopped:
		return fmt.Sprintf("no rule changes the password of %s any more; it was %s", Unit(e.Unit), e.After)
	case drift.AccountUsed:
		return fmt.Sprintf("somebody signed in as %s", subject)
	case drift.AccountLocked:
		return fmt.Sprintf("the account %s was locked after wrong passwords, %s", subject, e.After)
	case drift.DeviceRestarted:
		return "the device restarted, as the rule for " + subject + " says after a sign-in"
	case drift.DeviceRestored:
		return "the device came back from a snapshot and began a new " + e.After
	case drift.GuardRefused:
		return fmt.Sprintf("%s: the guard refused, since no usable administrator would be left", UnitInFull(e.Unit))
	case drift.DeviceRenamed:
		return fmt.Sprintf("the workstation was renamed from %s to %s", e.Before, e.After)
	case drift.SetAside:
		return fmt.Sprintf("%s set aside, since the service refuses it: %s", subject, e.After)
	case drift.FoughtOver:
		return UnitInFull(e.Unit) + ": somebody or something changes it back again and again"
	}
	return string(e.Kind)
}

// renamed says which name an account got with its new password.
func renamed(before, now string) string {
	if before == now {
		return ""
	}
	return "; it is called " + now + " now"
}

// Reason says why a password changed or is to change.
func Reason(r rotation.Reason) string {
	switch r {
	case rotation.Interrupted:
		return "the change before was interrupted"
	case rotation.Restored:
		return "the device came back from a snapshot"
	case rotation.Recreated:
		return "the account was made anew"
	case rotation.Elsewhere:
		return "somebody else had changed it"
	case rotation.First:
		return "for the first time"
	case rotation.Ordered:
		return "by an order"
	case rotation.Revealed:
		return "it had been shown"
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
		return "managed account " + Unit(id)
	case unit.Rotation:
		return "rotation of " + Unit(id)
	}
	return Unit(id)
}
