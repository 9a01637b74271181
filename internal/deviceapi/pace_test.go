package deviceapi

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/store"
)

// A fleet is woken in order and no faster than it comes; who does not come holds up the others only for a moment.
func TestAFleetIsWokenAsItComes(t *testing.T) {
	now := time.Date(2031, 3, 4, 9, 0, 0, 0, time.UTC)
	r := newRegistry(nil, nil, nil, func() time.Time { return now })
	const fleet = outAtOnce + 50
	states, waiters := make([]store.ExchangeState, fleet), make([]*waiter, fleet)
	for i := range states {
		states[i] = store.ExchangeState{ID: fmt.Sprint(i), DesiredEpoch: 1}
		waiters[i] = r.hold(states[i].ID, drift.Stamp{Epoch: 1}, 0)
		states[i].DesiredNumber = 1
	}
	woken := func() (n int) {
		for _, w := range waiters {
			if ready, _ := w.outcome(); ready {
				n++
			}
		}
		return n
	}
	r.update(states)
	assert.Equal(t, outAtOnce, woken())
	r.update(states)
	assert.Equal(t, outAtOnce, woken(), "nobody is called twice")
	ready, _ := waiters[outAtOnce-1].outcome()
	assert.True(t, ready, "in order")
	r.served("0")
	r.served("0")
	r.served("1")
	assert.Equal(t, outAtOnce+2, woken())
	r.release(fmt.Sprint(outAtOnce+2), waiters[outAtOnce+2]) // its time was up
	r.served("2")
	assert.Equal(t, outAtOnce+3, woken())
	ready, _ = waiters[outAtOnce+3].outcome()
	assert.True(t, ready, "who left is passed over")
	r.goOn()
	assert.Equal(t, outAtOnce+3, woken())
	now = now.Add(comeWithin + time.Second)
	r.goOn()
	assert.Equal(t, fleet-1, woken(), "who does not come is not waited for")
}
