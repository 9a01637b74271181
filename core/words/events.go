package words

import (
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
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
		return fmt.Sprintf("whoever used the account %s was signed out by an order", subject)
	case drift.GuardRefused:
		return fmt.Sprintf("%s: the guard refused, since no usable administrator would be left", UnitInFull(e.Unit))
	case drift.FoughtOver:
		return UnitInFull(e.Unit) + ": somebody or something changes it back again and again"
	}
	return string(e.Kind)
}

// UnitInFull names a unit where no heading says its section.
func UnitInFull(unit resolve.UnitID) string {
	switch unit.Family() {
	case resolve.Builtins:
		return "built-in " + Unit(unit)
	case resolve.Accounts:
		return "managed account " + Unit(unit)
	case resolve.Rotation:
		return "rotation of " + Unit(unit)
	}
	return Unit(unit)
}
