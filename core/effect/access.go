package effect

import (
	"cmp"
	"maps"
	"slices"

	"rankwarden.example/core/unit"
)

// Access says how an effect gives, takes or moves a way into a device.
type Access string

// The kinds of access effect.
const (
	AdministratorGained Access = "administrator_gained" // somebody joins a privileged local group
	AdministratorLost   Access = "administrator_lost"   // somebody leaves one
	TakenOver           Access = "account_taken_over"   // an account that people may use becomes a managed one
	WayInOpened         Access = "way_in_opened"        // a built-in or privileged account is enabled or made
	WayInClosed         Access = "way_in_closed"        // one is disabled or removed
	ProtectionLoosened  Access = "protection_loosened"  // a lockout or a password rule is less strict
	AccessLost          Access = "no_way_in"            // no break-glass account is left, or the device refuses that
)

// Accesses are all of them, the gravest first.
var Accesses = []Access{
	AdministratorGained, TakenOver, WayInOpened, ProtectionLoosened, AdministratorLost, WayInClosed, AccessLost,
}

// AccessEffect is one way in that an alteration gives, takes or moves.
type AccessEffect struct {
	Access  Access
	Unit    unit.ID // the setting that does it
	Subject string  // whom it concerns, as in [Effect]
}

// CompareAccess orders access effects by kind, setting and subject.
func CompareAccess(a, b AccessEffect) int {
	return cmp.Or(cmp.Compare(a.Access, b.Access), a.Unit.Compare(b.Unit), cmp.Compare(a.Subject, b.Subject))
}

// Anyone stands, among the devices of an access effect, for whichever device comes: what was said of an assignment
// holds for devices that are not there yet.
const Anyone = "*"

// AccessSet are access effects with the devices that have them, by identifier.
type AccessSet map[AccessEffect]map[string]bool

// Add notes that a device has an access effect.
func (s AccessSet) Add(e AccessEffect, device string) {
	if s[e] == nil {
		s[e] = map[string]bool{}
	}
	s[e][device] = true
}

// Merge adds what another set has.
func (s AccessSet) Merge(other AccessSet) {
	for e, devices := range other {
		if s[e] == nil {
			s[e] = make(map[string]bool, len(devices))
		}
		maps.Copy(s[e], devices)
	}
}

// Effects are the access effects of the set, in order.
func (s AccessSet) Effects() []AccessEffect {
	return slices.SortedFunc(maps.Keys(s), CompareAccess)
}

// Beyond is what the set has and another has not.
func (s AccessSet) Beyond(other AccessSet) AccessSet {
	more := AccessSet{}
	for e, devices := range s {
		for device := range devices {
			if !other[e][device] {
				more.Add(e, device)
			}
		}
	}
	return more
}

// MergeAll merges sets that say nothing of the same device, into one that is made at its size at once.
func MergeAll(sets ...AccessSet) AccessSet {
	sizes := map[AccessEffect]int{}
	for _, s := range sets {
		for e, devices := range s {
			sizes[e] += len(devices)
		}
	}
	all := make(AccessSet, len(sizes))
	for e, size := range sizes {
		all[e] = make(map[string]bool, size)
	}
	for _, s := range sets {
		for e, devices := range s {
			maps.Copy(all[e], devices)
		}
	}
	return all
}

// Only is what the set has of effects that are wanted.
func (s AccessSet) Only(wanted func(e AccessEffect) bool) AccessSet {
	some := AccessSet{}
	for e, devices := range s {
		if wanted(e) {
			some[e] = devices
		}
	}
	return some
}

// Devices are the devices of the set, each once and sorted, without [Anyone].
func (s AccessSet) Devices() []string {
	all := map[string]bool{}
	for _, devices := range s {
		maps.Copy(all, devices)
	}
	delete(all, Anyone)
	return slices.Sorted(maps.Keys(all))
}

// ConcernsAnyone reports whether an effect of the set is on whichever device comes.
func (s AccessSet) ConcernsAnyone() bool {
	for _, devices := range s {
		if devices[Anyone] {
			return true
		}
	}
	return false
}
