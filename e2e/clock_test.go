package e2e

import (
	"sync/atomic"
	"time"
)

// clock is service time in tests: it goes on by itself, and can be set forward or stopped.
type clock struct {
	ahead   atomic.Int64
	stopped atomic.Pointer[time.Time]
}

func (c *clock) now() time.Time {
	at := time.Now()
	if stopped := c.stopped.Load(); stopped != nil {
		at = *stopped
	}
	return at.Add(time.Duration(c.ahead.Load()))
}

// stop stops the clock where what a test counts must not depend on how long the machine takes.
func (c *clock) stop() {
	at := time.Now()
	c.stopped.Store(&at)
}

func (c *clock) forward(d time.Duration) { c.ahead.Add(int64(d)) }

// together is the clock of devices that goes with the service's.
type together struct{ *clock }

func (c together) Now() time.Time                         { return c.now() }
func (c together) Elapsed() time.Duration                 { return time.Duration(c.now().UnixNano()) }
func (c together) After(d time.Duration) <-chan time.Time { return time.After(d) }
