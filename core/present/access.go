package present

import (
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/principal"
)

// WayIn says in one sentence how an alteration gives, takes or moves a way in.
func WayIn(e effect.AccessEffect) string {
	subject := e.Subject
	if ref, err := principal.Parse(e.Subject); err == nil {
		subject = Principal(ref)
	}
	switch e.Access {
	case effect.AdministratorGained:
		return subject + " comes into " + Unit(e.Unit)
	case effect.AdministratorLost:
		return subject + " leaves " + Unit(e.Unit)
	case effect.TakenOver:
		return subject + " takes over an account that people may use"
	case effect.WayInOpened:
		return subject + " can be signed in to"
	case effect.WayInClosed:
		return subject + " can be signed in to no more"
	case effect.ProtectionLoosened:
		return UnitInFull(e.Unit) + " protects less"
	}
	return "no break-glass account is left, or the device refuses to give up its last one"
}

// WayInOn is [WayIn] with on how many devices, and whether also on whichever device comes.
func WayInOn(e effect.AccessEffect, devices int, anyone bool) string {
	switch {
	case anyone && devices == 0:
		return WayIn(e) + " on whichever device comes"
	case anyone:
		return WayIn(e) + " on " + count(devices, "device", "devices") + ", and on whichever comes"
	}
	return WayIn(e) + " on " + count(devices, "device", "devices")
}

// mostWays is how many ways in a notification tells.
const mostWays = 5

// AdministratorsAltered says who altered administrators, by what, and why.
func AdministratorsAltered(who, what string, ways []string, reason string) string {
	if more := len(ways) - mostWays; more > 0 {
		ways = append(ways[:mostWays:mostWays], count(more, "more", "more"))
	}
	words := who + ", by " + what + ": " + strings.Join(ways, "; ")
	if reason != "" {
		words += ". Why: " + reason
	}
	return words
}
