package deviceapi

import "time"

// pace has held requests answered in order, and only so many ahead of the devices that come for what waits for them:
// whoever is woken is served at once, instead of all of a fleet at the same late moment.
type pace struct {
	due []call
	// out are devices that were woken and have not come yet, with the time that they were.
	out map[string]time.Time
}

type call struct {
	device string
	waiter *waiter
}

const (
	outAtOnce  = 256
	comeWithin = 2 * time.Second // who takes longer holds up nobody
)

// call has a held request answered in its turn. The registry is locked.
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
		next.waiter.wake(true)
		r.out[next.device] = r.now()
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

// goOn waits no longer for devices that were woken and do not come.
func (r *registry) goOn() {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.now()
	for device, since := range r.out {
		if now.Sub(since) > comeWithin {
			delete(r.out, device)
		}
	}
	r.wake()
}
