package rotation_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/rotation"
)

func TestDue(t *testing.T) {
	noon := time.Date(2031, 3, 1, 12, 0, 0, 0, time.UTC)
	at := func(d time.Duration) *time.Time { return new(noon.Add(d)) }
	rule := rotation.Rule{Every: 720 * time.Hour, AfterUse: 4 * time.Hour}
	for name, c := range map[string]struct {
		known  rotation.DueInput
		spread float64
		at     time.Time
		why    rotation.Reason
	}{
		"never changed": {known: rotation.DueInput{}, why: rotation.First},
		"what is due at once comes first": {known: rotation.DueInput{Now: rotation.Recreated, Last: noon,
			Used: at(0)}, why: rotation.Recreated},
		"of its age": {known: rotation.DueInput{Last: noon}, at: noon.Add(720 * time.Hour),
			why: rotation.Age},
		"at most a tenth early": {known: rotation.DueInput{Last: noon}, spread: 1,
			at: noon.Add(648 * time.Hour), why: rotation.Age},
		"a while after it was used": {known: rotation.DueInput{Last: noon, Used: at(time.Hour)},
			at: noon.Add(5 * time.Hour), why: rotation.Used},
		"used when it is due anyway": {known: rotation.DueInput{Last: noon, Used: at(719 * time.Hour)},
			at: noon.Add(720 * time.Hour), why: rotation.Age},
		"ordered": {known: rotation.DueInput{Last: noon, Used: at(time.Hour),
			Asked: at(2 * time.Hour)}, at: noon.Add(2 * time.Hour), why: rotation.Ordered},
		"after a reveal": {known: rotation.DueInput{Last: noon, Asked: at(2 * time.Hour),
			Reveal: true}, at: noon.Add(2 * time.Hour), why: rotation.Revealed},
		"a reveal after the use that is later": {known: rotation.DueInput{Last: noon, Used: at(0),
			Asked: at(9 * time.Hour), Reveal: true}, at: noon.Add(4 * time.Hour), why: rotation.Used},
	} {
		t.Run(name, func(t *testing.T) {
			when, why := rotation.Due(rule, c.known, c.spread)
			assert.Equal(t, c.at, when)
			assert.Equal(t, c.why, why)
		})
	}
}

func TestSpreadIsStableAndEven(t *testing.T) {
	assert.Equal(t, rotation.Spread("d", "account:k"), rotation.Spread("d", "account:k"))
	assert.NotEqual(t, rotation.Spread("d", "account:k"), rotation.Spread("d", "account:l"))
	var tenths [10]int
	for i := range 10_000 {
		tenths[int(rotation.Spread(fmt.Sprintf("SKL-TKT-%03d", i), "account:desk-keeper")*10)]++
	}
	for i, n := range tenths {
		assert.InDelta(t, 1000, n, 150, "tenth %d", i)
	}
}
