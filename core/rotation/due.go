package rotation

import (
	"hash/fnv"
	"time"
)

// Rule is what a policy says of times.
type Rule struct {
	Every    time.Duration
	AfterUse time.Duration // from a sign-in to the change
}

// Reason says why a password is to change.
type Reason string

// The reasons, the more urgent first.
const (
	Interrupted Reason = "interrupted"       // a change began and its end was never seen
	Restored    Reason = "restored"          // the device came back from a snapshot
	Recreated   Reason = "recreated"         // another account stands in the place of the one that is known
	Elsewhere   Reason = "changed_elsewhere" // somebody else set the password
	First       Reason = "first"             // it was never changed
	Ordered     Reason = "ordered"           // an operator asked for it
	Revealed    Reason = "revealed"          // it was shown, and that time has passed
	Used        Reason = "used"              // somebody signed in, and that time has passed
	Age         Reason = "age"               // it is as old as the rule allows
)

// Reasons are all of them.
var Reasons = []Reason{Interrupted, Restored, Recreated, Elsewhere, First, Ordered, Revealed, Used, Age}

// DueInput is what decides when a password is due. Times are in service time.
type DueInput struct {
	Last   time.Time  // of its last change, zero when it was never changed
	Now    Reason     // not empty: it is due at once, for this reason
	Used   *time.Time // of the first sign-in since its last change
	Asked  *time.Time // not before this an order wants it changed
	Reveal bool       // the order follows a reveal
}

// Due is when a password is to change and why; a zero time is at once. Spread, from 0 up to 1, says
// how early within the last tenth of the rule's time this device is.
func Due(rule Rule, k DueInput, spread float64) (time.Time, Reason) {
	if k.Now != "" {
		return time.Time{}, k.Now
	}
	if k.Last.IsZero() {
		return time.Time{}, First
	}
	at, why := k.Last.Add(rule.Every-time.Duration(spread*float64(rule.Every)/10)), Age
	if k.Used != nil {
		if used := k.Used.Add(rule.AfterUse); used.Before(at) {
			at, why = used, Used
		}
	}
	if k.Asked != nil && k.Asked.Before(at) {
		at, why = *k.Asked, Ordered
		if k.Reveal {
			why = Revealed
		}
	}
	return at, why
}

// Spread is the stable share, from 0 up to 1, by which the changes of one password on one device are
// early, so that a fleet does not change all at once.
func Spread(device, target string) float64 {
	h := fnv.New64a()
	h.Write([]byte(device + "\x00" + target))
	x := h.Sum64()
	x ^= x >> 33 // a hash of names that differ at the end alone needs its bits mixed once more
	x *= 0xff51afd7ed558ccd
	x ^= x >> 33
	return float64(x>>11) / (1 << 53)
}
