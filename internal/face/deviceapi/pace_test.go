package deviceapi

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/store"
)

// A fleet is woken in order, and no faster than devices come or have had their head start.
func TestAFleetIsWokenAsItComes(t *testing.T) {
	now := time.Date(2031, 3, 4, 9, 0, 0, 0, time.UTC)
	r := newRegistry(nil, nil, nil, nil, func() time.Time { return now })
	fleet := 2*outAtOnce + 50
	states, waiters := make([]store.ExchangeState, fleet), make([]*waiter, fleet)
	for i := range states {
		states[i] = store.ExchangeState{ID: fmt.Sprint(i), DesiredEpoch: 1}
		waiters[i], _ = r.park(states[i].ID, drift.Stamp{Epoch: 1}, 0)
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
	for range 2 {
		r.served("0")
	}
	r.served("1")
	assert.Equal(t, outAtOnce+2, woken())
	r.release(fmt.Sprint(outAtOnce+2), waiters[outAtOnce+2]) // its time was up
	r.served("2")
	assert.Equal(t, outAtOnce+3, woken())
	ready, _ = waiters[outAtOnce+3].outcome()
	assert.True(t, ready, "who left is passed over")

	r.release("3", waiters[3])
	r.release("4", waiters[4])
	now = now.Add(headStart / 2)
	r.releaseDue()
	assert.Equal(t, outAtOnce+3, woken())
	now = now.Add(headStart)
	r.releaseDue()
	assert.Equal(t, outAtOnce+5, woken(), "those who were told have had their head start")
	now = now.Add(answerWithin)
	r.releaseDue()
	assert.Equal(t, 2*outAtOnce+3, woken(), "what was lost is not waited for, but for the last two")
}
