package deviceapi

import (
	"runtime"
	"time"
)

// pace has parked requests answered in order, and only so many ahead of the devices that come to report: so devices are
// verified one after the other from the start, and not all of a fleet at the same late moment. A device that needs
// longer to do what it was told holds up nobody.
type pace struct {
	due []call
	out map[string]time.Time // devices that were woken, with the time until which others wait for them
}

// call is a parked request that is to be answered when its turn comes.
type call struct {
	device string
	waiter *waiter
}

var outAtOnce = 128 * runtime.GOMAXPROCS(0)

const (
	headStart    = 200 * time.Millisecond // after it was told
	answerWithin = 2 * time.Second        // what takes longer was lost with its connection
)

// call has a parked request answered in its turn. The registry is locked.
func (r *registry) call(device string, w *waiter) {
	if !w.called {
		w.called = true
		r.due = append(r.due, call{device, w})
	}
}

// wake wakes whose turn it is. The registry is locked.
func (r *registry) wake() {
	for len(r.due) > 0 && len(r.out) < outAtOnce {
		next := r.due[0]
		r.due = r.due[1:]
		if r.waiting[next.device] != next.waiter {
			continue // it was answered meanwhile
		}
		delete(r.waiting, next.device)
		r.out[next.device] = r.now().Add(answerWithin)
		next.waiter.wake(true)
	}
}

// told notes that a device was answered. The registry is locked.
func (r *registry) told(device string) {
	if _, out := r.out[device]; out {
		r.out[device] = r.now().Add(headStart)
	}
}

// served notes that a device came and was served.
func (r *registry) served(device string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if _, out := r.out[device]; out {
		delete(r.out, device)
		r.wake()
	}
}

// releaseDue waits no longer for devices whose time is up.
func (r *registry) releaseDue() {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.now()
	for device, until := range r.out {
		if now.After(until) {
			delete(r.out, device)
		}
	}
	r.wake()
}
