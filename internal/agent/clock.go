package agent

import "time"

// Clock is the agent's clock.
type Clock interface {
	Now() time.Time
	// Elapsed is the time since some moment before, whatever is done to the clock. It may stand still while the machine
	// sleeps.
	Elapsed() time.Duration
	After(d time.Duration) <-chan time.Time
}

// SystemClock is the real one.
type SystemClock struct{}

// Now is the time.
func (SystemClock) Now() time.Time { return time.Now() }

var started = time.Now()

// Elapsed is the time since the program was started.
func (SystemClock) Elapsed() time.Duration { return time.Since(started) }

// After is [time.After].
func (SystemClock) After(d time.Duration) <-chan time.Time { return time.After(d) }

// setTime keeps how far service time is from the clock. Service time never goes back once known.
func (a *Agent) setTime(service time.Time) {
	if !a.synced {
		a.synced, a.latest = true, time.Time{}
	}
	at := a.Clock.Now().Round(0) // the wall clock's alone
	a.offset = service.Sub(at)
	a.base, a.elapsed, a.behind = service, a.Clock.Elapsed(), false
}

// claimed is the time that an exchange claims: service time as the last signed answer said. Unlike [Agent.now]
// it goes back when either clock is corrected, so that a correction costs one refused exchange at most.
func (a *Agent) claimed() time.Time { return a.Clock.Now().Add(a.offset) }

// now is service time for schedules and ends of validity, as far as it is known; it never goes back, and goes on when
// somebody turns the clock back.
func (a *Agent) now() time.Time {
	at := a.Clock.Now().Round(0).Add(a.offset)
	for _, no := range []time.Time{a.base.Add(a.Clock.Elapsed() - a.elapsed), a.latest} { // not before these
		if at.Before(no) {
			at = no
		}
	}
	a.latest = at
	return at
}
