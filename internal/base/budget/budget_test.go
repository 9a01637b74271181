package budget_test

import (
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/base/budget"
)

func TestAPurseIsSpentAndRefills(t *testing.T) {
	now := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	p := budget.New(budget.Size{Units: 10, Refill: time.Minute}, func() time.Time { return now })
	spend := func(who string, units int) bool { _, ok := p.Spend(who, units); return ok }

	assert.True(t, spend("asta", 7))
	again, ok := p.Spend("asta", 4)
	assert.False(t, ok)
	assert.Equal(t, 6*time.Second, again, "one comes back after that")
	assert.True(t, spend("asta", 3), "what was refused was not taken")
	assert.True(t, spend("runa", 10), "everybody has their own")
	now = now.Add(6 * time.Second)
	assert.True(t, spend("asta", 1))
	assert.False(t, spend("asta", 1))
	now = now.Add(time.Hour)
	assert.True(t, spend("asta", 1000), "what costs more than a full purse takes all of it")
	assert.False(t, spend("asta", 1))
	_, ok = (*budget.Purses)(nil).Spend("asta", 1)
	assert.True(t, ok)
}

// However many ask at once, no more is spent than there is.
func TestManyAtOnceSpendNoMore(t *testing.T) {
	now := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	p := budget.New(budget.Size{Units: 10, Refill: time.Minute}, func() time.Time { return now })
	var spent atomic.Int64
	var all sync.WaitGroup
	for range 40 {
		all.Go(func() {
			for range 10 {
				if _, ok := p.Spend("asta", 1); ok {
					spent.Add(1)
				}
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 10, spent.Load())
}
