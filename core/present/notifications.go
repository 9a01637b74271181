package present

import (
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// FindingOn is a finding, in words, on a device, of a setting by its name.
func FindingOn(device, setting, words string) string {
	title := setting
	if id, err := unit.Parse(setting); err == nil {
		title = UnitInFull(id)
	}
	return fmt.Sprintf("%s: %s: %s", device, title, words)
}

// Corrected says of a finding that the device corrected it by itself.
func Corrected(finding string) string { return finding + " (corrected by the device)" }

// Gone says of a finding that it is gone.
func Gone(finding string) string { return finding + " (no longer so)" }

// DecidedBy is a setting with the assignments that decide it.
func DecidedBy(setting string, assignments []string) string {
	if len(assignments) == 0 {
		return setting
	}
	return setting + ", decided by " + strings.Join(assignments, ", ")
}

// HeldOn says which settings of a device are held, and why the first of them is.
func HeldOn(device string, held []resolve.HeldUnit) string {
	if len(held) == 0 {
		return device + " has held settings"
	}
	titles := make([]string, len(held))
	for i, h := range held {
		titles[i] = UnitInFull(h.Unit)
	}
	return fmt.Sprintf("%s: %s is held: %s", device, strings.Join(titles, ", "), Held(held[0]))
}

// SilentSince says that a device is not heard from; since is zero where it never was.
func SilentSince(device string, since time.Time) string {
	if since.IsZero() {
		return device + " has never reported"
	}
	return fmt.Sprintf("%s is silent since %s", device, Instant(since))
}

// Viewed says who saw a password of which device, and why.
func Viewed(who, device, reason string) string {
	return fmt.Sprintf("%s viewed a password of %s: %s", who, device, reason)
}

// Stopped says that the gate of a wave, counted from 1, stopped a rollout because of so many devices.
func Stopped(name string, wave, devices int) string {
	return fmt.Sprintf("the rollout %s was stopped by the gate of wave %d, because of %s", name, wave,
		count(devices, "device", "devices"))
}

// ManyJoined says that so many devices came to a rollout at once that it asks first.
func ManyJoined(name string, devices int, why string) string {
	return fmt.Sprintf("the rollout %s was stopped: %s came to waves that are open already%s; resume it to let them "+
		"join",
		name, count(devices, "device", "devices"), because(why))
}

// HaltedBecause says that a rollout was stopped because its change cannot be made any more.
func HaltedBecause(name, why string) string {
	return fmt.Sprintf("the rollout %s was stopped: its change cannot be made any more%s", name, because(why))
}

// DatabaseReturned says that the database went back, and what follows.
func DatabaseReturned(why string) string {
	return "the database went back: " + why +
		". Devices are told everything again and give back the passwords that it lacks; what operators did shortly " +
		"before may be missing"
}

// Braked says that an edit waits because it would alter too much.
func Braked(who, object string, devices int) string {
	return fmt.Sprintf("an edit of %s by %s waits for a decision: it would alter %s", object, who,
		count(devices, "device", "devices"))
}

// SealedUsed says that the sealed owner came in.
func SealedUsed(who, from string) string {
	return fmt.Sprintf("the sealed owner %s signed in from %s", who, from)
}

// Attempt says that somebody was refused.
func Attempt(who, action, object, reason string) string {
	return fmt.Sprintf("%s was refused: %s on %s%s", who, action, object, because(reason))
}

// OnTrail is an entry of the trail.
func OnTrail(who, action, object, reason string) string {
	return fmt.Sprintf("%s: %s on %s%s", who, action, object, because(reason))
}
