package rollout

import (
	"cmp"
	"slices"
	"time"
)

// Condition is one thing that a gate asks for.
type Condition string

// The conditions of a gate.
const (
	EnoughVerified Condition = "verified"
	FewFailed      Condition = "failed"
	NoneRefused    Condition = "guard_refused"
	Soaked         Condition = "soak"
	EnoughHeard    Condition = "heard"
)

// Reading is a condition with what it stands at.
type Reading struct {
	Condition Condition `json:"condition"`
	Met       bool      `json:"met"`
	Broken    bool      `json:"broken"` // it stops the rollout
	Count     int       `json:"count"`  // devices, or whole seconds of soak
	Of        int       `json:"of"`     // devices heard from, or seconds that are needed
	Limit     int       `json:"limit"`  // percent; 0 for a condition without
}

// Readings are the conditions of the gate of a wave as they stand at a time. Devices that were away when the wave
// opened and have not been heard from count neither way, and zero verified never passes.
//
// Failures break the gate once they are more than the limit of all devices of the wave, since no report that is still
// to come could mend that; and, when the soak time is over, once they are more than the limit of those heard from.
func (w *Wave) Readings(at time.Time) []Reading {
	t, g := w.Tally, w.Gate
	// A device that was lost counts as one that failed, though nobody heard it.
	heard, all, failed := t.Heard()+t[Lost], t.Devices()-t[Late], t[Failed]+t[Lost]
	var soaked time.Duration
	if w.JudgedAt != nil {
		soaked = max(0, at.Sub(*w.JudgedAt))
	}
	over := soaked >= g.Soak
	tooMany := exceeds(failed, all, g.Failed) || over && exceeds(failed, heard, g.Failed)
	return []Reading{
		{
			EnoughVerified,
			all == 0 || t[Verified] > 0 && 100*t[Verified] >= g.Verified*heard,
			false,
			t[Verified],
			heard,
			g.Verified,
		},
		{FewFailed, !exceeds(failed, heard, g.Failed), tooMany, failed, heard, g.Failed},
		{NoneRefused, t[GuardRefused] == 0, t[GuardRefused] > 0, t[GuardRefused], heard, 0},
		{EnoughHeard, 100*w.OnlineHeard >= cmp.Or(g.Heard, DefaultGate.Heard)*w.Online, false, w.OnlineHeard, w.Online,
			cmp.Or(g.Heard, DefaultGate.Heard)},
		{Soaked, over || all == 0, false, int(soaked.Seconds()), int(g.Soak.Seconds()), 0},
	}
}

// exceeds reports whether a part of a whole is more than a limit in percent.
func exceeds(part, whole, limit int) bool { return part > 0 && 100*part > limit*whole }

func passed(readings []Reading) bool {
	return !slices.ContainsFunc(readings, func(r Reading) bool { return !r.Met })
}

// broken is the condition that stops the rollout, nil when none does.
func broken(readings []Reading) *Reading {
	at := slices.IndexFunc(readings, func(r Reading) bool { return r.Broken })
	if at < 0 {
		return nil
	}
	return &readings[at]
}
