package rollout_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
)

var began = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)

func devices(n int) []string {
	list := make([]string, n)
	for i := range list {
		list[i] = fmt.Sprintf("d%02d", i+1)
	}
	return list
}

// inWaves is a rollout of ten devices, of which d01 and d02 are in the group first-wave: waves of 2, 3 and 5.
func inWaves(t *testing.T) *rollout.Rollout {
	r := rollout.Drawn(
		devices(10),
		func(d, group string) bool { return group == rollout.FirstWave && d < "d03" },
		rollout.Plan{Shares: []int{50}, Gate: rollout.Gate{Verified: 80, Failed: 10, Soak: 10 * time.Minute}},
	)
	require.Equal(t, rollout.Draft, r.State)
	return r
}

// in gives the devices of a wave by place, such as 2.1 for the first of the second wave.
func in(r *rollout.Rollout, place string) string {
	var wave, n int
	if _, err := fmt.Sscanf(place, "%d.%d", &wave, &n); err != nil {
		return place
	}
	for _, d := range devices(len(r.Devices) + 5) {
		if of, there := r.Devices[d]; there && of.Wave == wave-1 {
			if n--; n == 0 {
				return d
			}
		}
	}
	return "nobody"
}

// event reads one line of a story: who or which devices, and what happens.
func event(t *testing.T, r *rollout.Rollout, line string) []rollout.Event {
	what, rest, _ := strings.Cut(line, " ")
	by, reason, _ := strings.Cut(rest, ": ")
	switch what {
	case "start":
		return []rollout.Event{rollout.Start{By: by}}
	case "pause":
		return []rollout.Event{rollout.Pause{By: by, Reason: reason}}
	case "resume":
		return []rollout.Event{rollout.Resume{By: by, Reason: reason}}
	case "open":
		return []rollout.Event{rollout.OpenNext{By: by, Reason: reason}}
	case "revert":
		return []rollout.Event{rollout.Revert{By: by, Reason: reason, GiveBack: true}}
	case "mended":
		return []rollout.Event{rollout.Resume{By: by, Reason: reason, Edited: true}}
	case "ask":
		return []rollout.Event{rollout.AskOpen{By: by, Reason: reason}}
	case "halt":
		return []rollout.Event{rollout.Halt{Why: rest}}
	case "unwatched":
		away, err := time.ParseDuration(rest)
		require.NoError(t, err)
		return []rollout.Event{rollout.Unwatched{For: away}}
	case "tick":
		return []rollout.Event{rollout.Tick{}}
	}
	if what == "join" {
		return []rollout.Event{rollout.Join{Devices: strings.Fields(reason), Why: by}}
	}
	var events []rollout.Event
	for _, place := range strings.Fields(rest) {
		switch what {
		case "present":
			events = append(events, rollout.Present{Device: in(r, place)})
		case "silent":
			events = append(events, rollout.Silence{Device: in(r, place)})
		case "leaves":
			events = append(events, rollout.Leave{Device: in(r, place)})
		default:
			events = append(events, rollout.Report{
				Device: in(r, place), Outcome: rollout.Outcome(what), Settings: []unit.ID{unit.Lockout},
			})
		}
	}
	require.NotEmpty(t, events, line)
	return events
}

var counted = []struct {
	outcome rollout.Outcome
	letter  string
}{
	{rollout.NotOpen, "n"}, {rollout.Told, "t"}, {rollout.Working, "w"}, {rollout.Verified, "v"}, {rollout.Failed, "f"},
	{rollout.GuardRefused, "g"}, {rollout.Held, "h"}, {rollout.Lost, "x"}, {rollout.Late, "l"},
}

// stands says in a few letters where a rollout stands: its state, and each wave with its devices by outcome.
func stands(r *rollout.Rollout) string {
	waves := make([]string, len(r.Waves))
	for i, w := range r.Waves {
		for _, c := range counted {
			if n := w.Tally[c.outcome]; n > 0 {
				waves[i] += fmt.Sprintf("%d%s", n, c.letter)
			}
		}
		if waves[i] == "" {
			waves[i] = "none"
		}
	}
	return fmt.Sprintf("%s [%s]", r.State, strings.Join(waves, " "))
}

// The stories: a time since the start, what happens, and where the rollout stands then. An event that is refused says
// so.
func TestStories(t *testing.T) {
	for name, story := range map[string]string{
		"all gates are passed": `
			0m  start asta                   running [2t 3n 5n]
			1m  verified 1.1 1.2             running [2v 3n 5n]
			9m  tick                         running [2v 3n 5n]
			10m tick                         running [2v 3t 5n]
			11m verified 2.1 2.2             running [2v 1t2v 5n]
			20m tick                         running [2v 1t2v 5t]
			21m verified 3.1 3.2 3.3 3.4 3.5 running [2v 1t2v 5v]
			30m tick                         done [2v 1t2v 5v]
			31m verified 2.3                 done [2v 3v 5v]`,
		"zero verified never passes, and who is off counts neither way": `
			0m    start asta            running [2t 3n 5n]
			2000m tick                  running [2t 3n 5n]
			2001m held 1.1              running [1t1h 3n 5n]
			2002m verified 1.1          running [1t1v 3t 5n]`,
		"a gate stops it, an edit mends it, it goes on": `
			0m  start asta              running [2t 3n 5n]
			1m  verified 1.1 1.2        running [2v 3n 5n]
			10m tick                    running [2v 3t 5n]
			11m verified 2.1            running [2v 2t1v 5n]
			12m failed 2.2              stopped [2v 1t1v1f 5n]
			13m open asta: in a hurry   refused: resume it first
			13m resume asta:            refused: a reason is needed
			14m verified 2.3            stopped [2v 2v1f 5n]
			15m resume asta: edited it  running [2v 1t2v 5n]
			16m verified 2.2            running [2v 3v 5n]
			24m tick                    running [2v 3v 5n]
			25m tick                    running [2v 3v 5t]`,
		"an edited change is told to all who have it": `
			0m  start asta              running [2t 3n 5n]
			1m  verified 1.1 1.2        running [2v 3n 5n]
			2m  pause asta:             paused [2v 3n 5n]
			9m  mended asta: longer     running [2t 3n 5n]
			10m verified 1.1 1.2        running [2v 3n 5n]
			18m tick                    running [2v 3n 5n]
			19m tick                    running [2v 3t 5n]`,
		"a change that cannot be made any more stops": `
			0m  start asta              running [2t 3n 5n]
			1m  halt there is no group  stopped [2t 3n 5n]
			2m  halt there is no group  refused: only one that is under way is stopped
			3m  resume asta: it is back running [2t 3n 5n]`,
		"time in which nobody looked is no soak": `
			0m  start asta              running [2t 3n 5n]
			1m  verified 1.1 1.2        running [2v 3n 5n]
			9m  unwatched 5m            running [2v 3n 5n]
			14m tick                    running [2v 3n 5n]
			15m tick                    running [2v 3t 5n]
			16m unwatched 90m           running [2v 3t 5n]`,
		"somebody asks for a second person": `
			0m  ask asta: in a hurry    refused: resume it first
			0m  start asta              running [2t 3n 5n]
			1m  ask asta:               refused: a reason is needed
			1m  ask asta: in a hurry    running [2t 3n 5n]
			2m  open runa: agreed       running [2t 3t 5n]`,
		"a guard that refuses stops it at once": `
			0m  start asta              running [2t 3n 5n]
			1m  guard_refused 1.2       stopped [1t1g 3n 5n]
			2m  revert asta: wrong list reverted [1t1g 3n 5n]
			3m  revert asta: again      refused: no device has the change
			3m  resume asta: again      refused: only a paused or stopped rollout is resumed`,
		"a device of a wave that has passed can still stop it": `
			0m  start asta              running [2t 3n 5n]
			1m  verified 1.1            running [1t1v 3n 5n]
			10m tick                    running [1t1v 3t 5n]
			11m failed 1.2              stopped [1v1f 3t 5n]`,
		"paused, no wave opens": `
			0m  start asta              running [2t 3n 5n]
			1m  verified 1.1 1.2        running [2v 3n 5n]
			2m  pause asta:             paused [2v 3n 5n]
			2m  pause asta:             refused: only a running rollout is paused
			99m tick                    paused [2v 3n 5n]
			99m join import: d34        paused [2v1l 3n 5n]
			99m resume asta:            running [1t2v 3t 5n]`,
		"the next wave is opened early": `
			0m start asta                     running [2t 3n 5n]
			1m open asta:                     refused: a reason is needed
			1m open asta: the night ends      running [2t 3t 5n]
			2m open asta: the night ends      running [2t 3t 5t]
			3m open asta: the night ends      refused: the last one is open already`,
		"devices come, leave and are retired": `
			0m  start asta             running [2t 3n 5n]
			1m  join import: d34       running [3t 3n 5n]
			1m  leaves 3.1 2.1         running [3t 2n 4n]
			2m  leaves 1.1 1.2 d34     running [none 2t 4n]
			3m  join import: d12       running [none 3t 4n]
			3m  verified 2.1 2.2 2.3   running [none 3v 4n]
			12m tick                   running [none 3v 4t]
			13m leaves 3.1 3.2 3.3 3.4 done [none 3v none]
			14m join import: d14       done [none 3v none]
			15m revert asta: after all reverted [none 3v none]`,
		"devices that fall silent after they were told count as failed until they are heard": `
			0m  start asta             running [2t 3n 5n]
			1m  verified 1.1 1.2       running [2v 3n 5n]
			10m tick                   running [2v 3t 5n]
			10m present 2.1 2.2 2.3    running [2v 3t 5n]
			11m verified 2.1           running [2v 2t1v 5n]
			12m working 2.2            running [2v 1t1w1v 5n]
			13m silent 2.2             stopped [2v 1t1v1x 5n]
			14m verified 2.2           stopped [2v 1t2v 5n]
			14m resume asta: it was off running [2v 1t2v 5n]
			23m tick                   running [2v 1t2v 5n]
			24m tick                   running [2v 1t2v 5n]
			25m verified 2.3           running [2v 3v 5t]`,
		"a device that was away is never lost, nor one that has verified": `
			0m  start asta             running [2t 3n 5n]
			1m  silent 1.1             running [2t 3n 5n]
			2m  present 1.1            running [2t 3n 5n]
			3m  verified 1.1           running [1t1v 3n 5n]
			4m  silent 1.1             running [1t1v 3n 5n]
			10m tick                   running [1t1v 3t 5n]`,
		"few join an open wave, many halt it and ask": `
			0m  start asta             running [2t 3n 5n]
			1m  join import: d13f d13g d13i d13j running [6t 3n 5n]
			2m  join import: d13o d34  stopped [6t2l 3n 5n]
			3m  join import: d13o d12  stopped [6t2l 4n 5n]
			4m  verified 1.1 1.2       stopped [4t2v2l 4n 5n]
			5m  resume asta:           refused: a reason is needed
			5m  resume asta: all wanted running [6t2v 4n 5n]
			6m  join rule: d41         running [7t2v 4n 5n]`,
		"an hour later as many may join again": `
			0m  start asta             running [2t 3n 5n]
			1m  join import: d13f d13g d13i d13j d13o running [7t 3n 5n]
			60m join import: d34       stopped [7t1l 3n 5n]
			61m resume asta: wanted    running [8t 3n 5n]
			62m join import: d41 d55 d58 running [11t 3n 5n]`,
		"who came late and never had the change is let go of by a revert": `
			0m  start asta             running [2t 3n 5n]
			1m  pause asta:            paused [2t 3n 5n]
			2m  join import: d34       paused [2t1l 3n 5n]
			3m  revert asta: no        reverted [2t 3n 5n]`,
		"a clock that goes back takes nothing away": `
			0m   start asta           running [2t 3n 5n]
			10m  verified 1.1 1.2     running [2v 3t 5n]
			-60m verified 2.1 2.2 2.3 running [2v 3v 5n]
			20m  tick                 running [2v 3v 5t]`,
		"reports before its wave opens count for nothing": `
			0m start asta              running [2t 3n 5n]
			1m failed 3.1 2.1          running [2t 3n 5n]
			1m verified nobody         running [2t 3n 5n]
			2m told 1.1                refused: a report does not have this outcome
			3m start asta              refused: it has been started already`,
	} {
		t.Run(name, func(t *testing.T) {
			r := inWaves(t)
			for line := range strings.Lines(strings.TrimSpace(story)) {
				parts := regexp.MustCompile(`^(\S+)\s+(.*?)\s+((?:running|paused|stopped|done|reverted|refused) ?[\[].*|refused: .*)$`).
					FindStringSubmatch(strings.TrimSpace(line))
				require.Len(t, parts, 4, line)
				after, err := time.ParseDuration(parts[1])
				require.NoError(t, err)
				stood, got := stands(r), ""
				for _, e := range event(t, r, parts[2]) {
					if _, err := r.Apply(e, began.Add(after)); err != nil {
						got = "refused: " + err.Error()
						assert.Equal(t, stood, stands(r), "nothing happened")
					}
				}
				if want, refused := strings.CutPrefix(parts[3], "refused: "); refused {
					assert.Contains(t, got, want, line)
				} else {
					assert.Equal(t, parts[3], stands(r), line)
					assert.Empty(t, got, line)
				}
			}
		})
	}
}

// What is known at one time is known together: nothing opens because one report is read before another.
func TestReportsOfOneTimeAreReadTogether(t *testing.T) {
	r := rollout.Drawn(devices(10), func(d, _ string) bool { return d < "d03" }, rollout.Plan{
		Shares: []int{50}, Gate: rollout.Gate{Verified: 50, Failed: 10},
	})
	_, err := r.Apply(rollout.Start{By: "asta"}, began)
	require.NoError(t, err)
	_, err = r.ApplyAll([]rollout.Event{
		rollout.Report{Device: "d01", Outcome: rollout.Verified},
		rollout.Report{Device: "d02", Outcome: rollout.Failed},
	}, began)
	require.NoError(t, err)
	assert.Equal(t, "stopped [1v1f 3n 5n]", stands(r))
}

func TestAStopSaysWhy(t *testing.T) {
	r := inWaves(t)
	_, err := r.Apply(rollout.Start{By: "asta"}, began)
	require.NoError(t, err)
	decisions, err := r.Apply(
		rollout.Report{
			Device:   in(r, "1.1"),
			Outcome:  rollout.Failed,
			Settings: []unit.ID{unit.Lockout},
		},
		began.Add(time.Minute),
	)
	require.NoError(t, err)
	assert.Equal(t, []rollout.Decision{{
		At: began.Add(
			time.Minute,
		), What: rollout.GateStopped, Wave: 0, Devices: []string{"d01"}, Count: 1, Settings: []unit.ID{unit.Lockout},
		Broken: &rollout.Reading{Condition: rollout.FewFailed, Broken: true, Count: 1, Of: 1, Limit: 10},
	}}, decisions)
	_, err = r.Apply(rollout.OpenNext{By: "asta", Reason: "r"}, began)
	var refused *rollout.StateError
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, "it is stopped, so one cannot open the next wave; resume it first", refused.Error())
}

func TestWavesAreDrawn(t *testing.T) {
	sizes := func(r *rollout.Rollout) (list []string) {
		for _, w := range r.Waves {
			list = append(list, fmt.Sprintf("%s: %d", w.Title, w.Tally.Devices()))
		}
		return list
	}
	nowhere := func(string, string) bool { return false }
	assert.Equal(
		t,
		[]string{"first 10: 10", "to 10 %: 90", "to 50 %: 400", "the rest: 500"},
		sizes(rollout.Drawn(devices(1000), nowhere, rollout.DefaultPlan)),
	)
	assert.Equal(
		t,
		[]string{"first 5: 5", "to 50 %: 5", "the rest: 10"},
		sizes(rollout.Drawn(devices(20), nowhere, rollout.DefaultPlan)),
		"at least five first; a wave without devices is left out",
	)
	assert.Equal(t, []string{"first 3: 3"}, sizes(rollout.Drawn(devices(3), nowhere, rollout.DefaultPlan)))
	assert.Equal(t, []string{"no device: 0"}, sizes(rollout.Drawn(nil, nowhere, rollout.DefaultPlan)))
	assert.Equal(t, []string{"all at once: 7"}, sizes(rollout.AllAtOnce(devices(7), rollout.DefaultGate)))

	// The same devices in another order are drawn into the same waves.
	mixed := devices(1000)
	rand.Shuffle(len(mixed), func(i, j int) { mixed[i], mixed[j] = mixed[j], mixed[i] })
	assert.Equal(
		t,
		rollout.Drawn(devices(1000), nowhere, rollout.DefaultPlan).Devices,
		rollout.Drawn(mixed, nowhere, rollout.DefaultPlan).Devices,
	)
	for _, wrong := range []rollout.Plan{
		{Shares: []int{50, 10}, Gate: rollout.DefaultGate},
		{Shares: []int{100}, Gate: rollout.DefaultGate},
		{Gate: rollout.Gate{Verified: 0}},
		{Gate: rollout.Gate{Verified: 80, Failed: -1}},
		{Gate: rollout.Gate{Verified: 80, Soak: -time.Second}},
	} {
		assert.Error(t, wrong.Check())
	}
	assert.NoError(t, rollout.DefaultPlan.Check())
}
