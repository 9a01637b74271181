package drift

import "time"

// Standing is how a device stands, in one word.
type Standing string

// The standings. The first that holds, in this order, is the device's.
const (
	Held    Standing = "held"    // a unit is contested, or an error forbids to change it
	Silent  Standing = "silent"  // not heard from for three check-in intervals
	Waiting Standing = "waiting" // a newer desired state is not yet reported back
	Drifted Standing = "drifted" // findings are open
	InStep  Standing = "in_step" // no finding
)

// Standings are all of them.
var Standings = [...]Standing{Held, Silent, Waiting, Drifted, InStep}

// SilentAfter is the number of check-in intervals after which a device is silent.
const SilentAfter = 3

// StandingInput is what a standing is worked out from.
type StandingInput struct {
	HeldUnits    int
	LastContact  time.Time // zero when never heard from
	Desired      Stamp     // the newest desired state
	Reported     Stamp     // that of the last report
	OpenFindings int       // without waived and unsupported ones
	Mismatched   bool      // the device holds a desired state that the service never gave it
}

// Stand works out the standing at a time, for devices that check in every interval.
func Stand(h StandingInput, now time.Time, interval time.Duration) Standing {
	switch {
	case h.HeldUnits > 0:
		return Held
	case now.Sub(h.LastContact) > SilentAfter*interval:
		return Silent
	case h.Desired.Newer(h.Reported), h.Mismatched:
		return Waiting
	case h.OpenFindings > 0:
		return Drifted
	}
	return InStep
}
