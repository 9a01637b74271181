package rollout_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/rollout"
)

// Whatever happens in whatever order: tallies are those of the devices, a device has the change exactly while its wave
// is open and nothing is reverted, nothing starts while a rollout is paused or stopped, and a refusal alters nothing.
func TestAnyEventsInAnyOrder(t *testing.T) {
	for seed := range uint64(80) {
		dice := rand.New(rand.NewPCG(seed, 12))
		r := rollout.Drawn(devices(1+dice.IntN(40)), func(d, g string) bool { return d < "d04" }, rollout.Plan{
			Shares: []int{
				20,
				60,
			}, Gate: rollout.Gate{Verified: 60, Failed: 20, Soak: time.Duration(dice.IntN(4)) * time.Minute},
		})
		at := began
		outcomes := []rollout.Outcome{
			rollout.Working, rollout.Verified, rollout.Verified, rollout.Verified, rollout.Failed, rollout.GuardRefused,
			rollout.Held,
			rollout.Told, "nonsense",
		}
		for range 300 {
			at = at.Add(time.Duration(dice.IntN(90)-10) * time.Second)
			device := fmt.Sprintf("d%02d", 1+dice.IntN(45))
			reason := []string{"", "because"}[dice.IntN(2)]
			e := []rollout.Event{
				rollout.Start{}, rollout.Tick{}, rollout.Join{Devices: []string{device, device + "a"}[:1+dice.IntN(2)]},
				rollout.Leave{Device: device},
				rollout.Resume{Reason: reason}, rollout.Resume{Reason: reason, Edited: true},
				rollout.Report{Device: device, Outcome: outcomes[dice.IntN(len(outcomes))]},
				[]rollout.Event{rollout.Report{Device: device, Outcome: rollout.Verified},
					rollout.Present{Device: device}, rollout.Silence{Device: device}}[dice.IntN(3)],
				[]rollout.Event{rollout.Pause{}, rollout.OpenNext{Reason: reason}, rollout.AskOpen{Reason: reason},
					rollout.Tick{}}[dice.IntN(4)],
				[]rollout.Event{rollout.Revert{}, rollout.Halt{Why: reason}, rollout.Unwatched{For: time.Hour},
					rollout.Tick{}}[min(3, dice.IntN(60))],
			}[dice.IntN(10)]
			had, state, open, stood, decided := having(r), r.State, r.Open(), stands(r), len(r.Decisions)
			decisions, err := r.Apply(e, at)
			sound(t, r)
			assert.Len(t, decisions, len(r.Decisions)-decided)
			if err != nil {
				assert.Equal(t, stood, stands(r), "a refusal alters nothing")
				assert.True(t, errors.Is(err, rollout.ErrState) || errors.Is(err, rollout.ErrReason) ||
					errors.Is(err, rollout.ErrReport))
			}
			if _, resumed := e.(rollout.Resume); !resumed && (state == rollout.Paused || state == rollout.Stopped) {
				assert.Equal(t, open, r.Open(), "no wave opens")
				for device := range having(r) {
					assert.Contains(t, had, device, "nothing starts while it is %s", state)
				}
			}
			if t.Failed() {
				t.Fatalf("seed %d, %T at %s", seed, e, at)
			}
		}
	}
}

func having(r *rollout.Rollout) map[string]bool {
	has := map[string]bool{}
	for d := range r.Devices {
		if r.Has(d) {
			has[d] = true
		}
	}
	return has
}

// sound asserts what holds of a rollout at any time.
func sound(t *testing.T, r *rollout.Rollout) {
	tallies := make([]rollout.Tally, len(r.Waves))
	for i := range tallies {
		tallies[i] = rollout.Tally{}
	}
	online := make([]int, len(r.Waves))
	for d, of := range r.Devices {
		tallies[of.Wave][of.Outcome]++
		open := r.Waves[of.Wave].OpenedAt != nil
		assert.Equal(t, open, of.Outcome != rollout.NotOpen, "not told before its wave opens")
		assert.Equal(t, open && r.State != rollout.Reverted && of.Outcome != rollout.Late, r.Has(d))
		assert.True(t, of.Outcome != rollout.Lost || of.Online, "only who was online is lost")
		if of.Online {
			online[of.Wave]++
		}
	}
	for i, w := range r.Waves {
		assert.Equal(t, online[i], w.Online, "wave %d", i)
		assert.LessOrEqual(t, w.OnlineHeard, w.Online, "wave %d", i)
	}
	for i, w := range r.Waves {
		for outcome, n := range w.Tally {
			assert.Equal(t, tallies[i][outcome], n, "wave %d, %s", i, outcome)
		}
		if i > 0 && w.OpenedAt != nil {
			assert.NotNil(t, r.Waves[i-1].OpenedAt, "waves open in order")
		}
	}
	if r.State == rollout.Running {
		assert.Empty(t, r.Late())
	}
}
