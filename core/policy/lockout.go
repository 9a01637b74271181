package policy

import (
	"cmp"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/unit"
)

// Lockout says when an account locks after wrong passwords. Durations are whole minutes.
type Lockout struct {
	Threshold int            // wrong attempts, 0 to 999; 0 means accounts never lock
	Duration  *time.Duration // 0 means until someone unlocks; default 15 minutes
	Window    *time.Duration // after which the counter starts anew; default the duration, or 15 minutes when that is 0
}

// defaultLockout is how long accounts are locked, and how far back wrong attempts count.
const defaultLockout = 15 * time.Minute

// lockout is how it is written.
var lockout = shape[Lockout]{
	always(
		"threshold",
		number(0, unit.MaxThreshold, "wrong attempts; 0 means never lock"),
		func(l *Lockout) *int { return &l.Threshold },
	).needed().
		about("Wrong attempts; 0: never lock"),
	optional("duration", minutes(0, unit.MaxLockoutMins), func(l *Lockout) **time.Duration { return &l.Duration }).
		about("0m to 99999m; 0m: until someone unlocks").byDefault(Duration(defaultLockout)),
	optional("window", minutes(1, unit.MaxLockoutMins), func(l *Lockout) **time.Duration { return &l.Window }).
		about("1m to 99999m; the counter starts anew after it"),
}

func newLockout() Lockout { return Lockout{Threshold: -1} } // until it is read

// lockoutTimes refuses times that say nothing, or that contradict each other.
func lockoutTimes(r *reader, n *yaml.Node, path string, l *Lockout) {
	if l.Threshold == 0 && (l.Duration != nil || l.Window != nil) {
		r.errorf(
			n,
			path,
			CodeNeverLocks,
			"threshold 0 means that accounts never lock, so duration and window say nothing; take them out, or set a "+
				"threshold of 1 or more",
		)
		return
	}
	const few = 2
	if duration, _ := l.times(); l.Threshold > 0 && l.Threshold <= few && duration == 0 {
		r.warnf(n, path+".threshold", CodeSealing, "%d wrong attempts lock every account until somebody unlocks it, "+
			"the one for emergencies too, and anybody can type them; allow more attempts, or give a duration",
			l.Threshold)
	}
	if duration, window := l.times(); l.Threshold > 0 && duration != 0 && window > duration {
		r.errorf(
			n,
			path+".window",
			CodeWindow,
			"the counter would restart after %d minutes, later than the lock of %d minutes ends; make window at most "+
				"duration",
			int(window.Minutes()),
			int(duration.Minutes()),
		)
	}
}

// times are the duration and the window with their defaults.
func (l *Lockout) times() (duration, window time.Duration) {
	duration = defaultLockout
	if l.Duration != nil {
		duration = *l.Duration
	}
	window = cmp.Or(duration, defaultLockout)
	if l.Window != nil {
		window = *l.Window
	}
	return duration, window
}

func (l *Lockout) value() unit.LockoutValue {
	if l.Threshold == 0 {
		return unit.LockoutValue{}
	}
	duration, window := l.times()
	return unit.LockoutValue{
		Threshold:       l.Threshold,
		DurationMinutes: int(duration.Minutes()),
		WindowMinutes:   int(window.Minutes()),
	}
}
