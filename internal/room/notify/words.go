package notify

import (
	"encoding/json"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// entryWords says an entry of the trail in one sentence: by whom, and on what.
func entryWords(kind Kind, e audit.Entry, who, on string) string {
	switch kind {
	case PasswordViewed:
		return present.Viewed(who, on, e.Reason)
	case RolloutStopped:
		var after struct {
			Wave, Count int
			Devices     []string
		}
		_ = json.Unmarshal(e.After, &after) // of our own writing; without it the sentence says 0
		switch strings.TrimPrefix(e.Action, "rollout.") {
		case string(rollout.ManyJoin):
			return present.ManyJoined(on, after.Count, e.Reason)
		case string(rollout.Halted):
			return present.HaltedBecause(on, e.Reason)
		}
		return present.Stopped(on, after.Wave, max(after.Count, len(after.Devices)))
	case DatabaseReturned:
		return present.DatabaseReturned(e.Reason)
	case Frozen:
		return present.OnTrail(who, e.Action, on, e.Reason)
	case EditBraked:
		var after struct{ Devices int }
		_ = json.Unmarshal(e.After, &after) // of our own writing; without it the sentence says 0
		return present.Braked(who, on, after.Devices)
	case AdministratorsAltered:
		return administratorsWords(e, who, on)
	case SealedOwnerUsed:
		return present.SealedUsed(who, e.Address)
	case TrailBroken:
		return e.Reason
	case Refused:
		return present.Attempt(who, e.Action, on, e.Reason)
	}
	if e.Outcome == audit.Refused {
		return present.Attempt(who, e.Action, on, e.Reason)
	}
	return present.OnTrail(who, e.Action, on, e.Reason)
}

// administratorsWords says who became an administrator, or is none any more, and on how many devices.
func administratorsWords(e audit.Entry, who, on string) string {
	var after struct {
		Ways []struct {
			Effect        effect.Access
			Unit, Subject string
			Devices       int
			Anyone        bool `json:"whichever_device_comes"`
		}
	}
	_ = json.Unmarshal(e.After, &after) // of our own writing; without it the sentence names nobody
	var ways []string
	for _, w := range after.Ways {
		way := effect.AccessEffect{Access: w.Effect, Subject: w.Subject}
		way.Unit, _ = unit.Parse(w.Unit)
		ways = append(ways, present.WayInOn(way, w.Devices, w.Anyone))
	}
	return present.AdministratorsAltered(who, on, ways, e.Reason)
}

// standingWords says how a device stands.
func standingWords(kind Kind, d *fleetview.Device) string {
	if kind == DeviceHeld {
		return present.HeldOn(d.Name, d.Held)
	}
	return present.SilentSince(d.Name, d.StandingInput.LastContact)
}

// findingWords says what became of a finding.
func findingWords(kind Kind, f store.Finding) string {
	what := present.FindingOn(f.Device, f.Unit, f.Words())
	switch kind {
	case FindingCorrected:
		return present.Corrected(what)
	case FindingClosed:
		return present.Gone(what)
	}
	return what
}
