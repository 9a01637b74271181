package journal

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// What somebody does again and again to the administrators is told once, and then by the hour with how often.
func TestWhatHappensAgainIsSummedUp(t *testing.T) {
	j, now := &Journal{}, time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	again := drift.Event{Kind: drift.MemberRemoved, Unit: unit.Administrators, Subject: "local:mechanic"}
	contested := []unit.ID{unit.Administrators, unit.MinLength}
	times := func() (list []int) {
		for _, e := range j.Events {
			list = append(list, e.Times)
		}
		return list
	}
	j.NoteSummed(now, nil, again, again)
	assert.Equal(t, []int{0, 0}, times(), "it is not repeatedly reverted yet")
	for range 60 {
		assert.False(t, j.SumUp(now))
		j.NoteSummed(now, contested, again)
		now = now.Add(time.Minute)
	}
	assert.Equal(t, []int{0, 0, 0}, times(), "the first of them")
	assert.True(t, j.SumUp(now))
	assert.Equal(t, []int{0, 0, 0, 59}, times())
	assert.Equal(t, "local:mechanic", j.Events[3].Subject)

	j.NoteSummed(now, contested, drift.Event{Kind: drift.ValueSet, Unit: unit.MinLength},
		drift.Event{Kind: drift.ValueSet, Unit: unit.MinLength})
	assert.Len(t, j.Events, 6, "what guards nothing is told each time")
	assert.False(t, j.SumUp(now.Add(59*time.Minute)))
	assert.True(t, j.SumUp(now.Add(time.Hour)))
	assert.Len(t, j.Events, 6, "nothing happened since")
	assert.Empty(t, j.Sums)
}
