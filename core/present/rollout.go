package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/rollout"
)

// RolloutState says where a rollout stands, in a few words.
func RolloutState(s rollout.State) string {
	if s == rollout.Stopped {
		return "stopped"
	}
	return string(s)
}

// Outcome says what a device made of a change, in a few words.
func Outcome(o rollout.Outcome) string {
	switch o {
	case rollout.NotOpen:
		return "not open"
	case rollout.Told:
		return "not heard from"
	case rollout.GuardRefused:
		return "refused by the guard"
	case rollout.Lost:
		return "lost: silent since it was told"
	case rollout.Late:
		return "waits to join"
	}
	return string(o)
}

// WaveTitle names a wave by its place, from 1, and its title.
func WaveTitle(wave int, title string) string { return fmt.Sprintf("wave %d, %s", wave+1, title) }

// Decision says in one sentence what was decided in a rollout, without who and when.
func Decision(d rollout.Decision, waves []rollout.Wave) string {
	wave := ""
	if d.Wave >= 0 {
		wave = WaveTitle(d.Wave, waves[d.Wave].Title)
	}
	switch d.What {
	case rollout.Started:
		titles := make([]string, len(waves))
		for i, w := range waves {
			titles[i] = fmt.Sprintf("%s (%d)", w.Title, w.Drawn)
		}
		return "started, in waves: " + strings.Join(titles, ", ")
	case rollout.WaveOpened:
		return fmt.Sprintf("opened %s: %s", wave, count(waves[d.Wave].Drawn, "device", "devices"))
	case rollout.GatePassed:
		return wave + ", passed its gate"
	case rollout.GateStopped:
		return fmt.Sprintf("stopped in %s: %s", wave, broken(d))
	case rollout.WasPaused:
		return "paused" + because(d.Reason)
	case rollout.Resumed:
		if d.Edited {
			return "resumed with an edited change" + because(d.Reason)
		}
		return "resumed" + because(d.Reason)
	case rollout.AskedToOpen:
		return fmt.Sprintf("asks to open %s early, for which a second person must agree%s", wave, because(d.Reason))
	case rollout.Halted:
		return "stopped: the change cannot be made any more" + because(d.Reason)
	case rollout.ManyJoin:
		return fmt.Sprintf("stopped: %s came to waves that are open already, more than may "+
			"join by themselves%s; resume it to let them join",
			count(d.Count, "device", "devices"), because(d.Reason))
	case rollout.OpenedEarly:
		return fmt.Sprintf("opens %s before the gate was passed%s", wave, because(d.Reason))
	case rollout.Finished:
		return "done: the last wave passed its gate"
	case rollout.WasReverted:
		if d.GiveBack {
			return "reverted, and what it took away is given back" + because(d.Reason)
		}
		return "reverted" + because(d.Reason)
	}
	return string(d.What)
}

// DecisionWithoutNumbers is [Decision] for whoever may not see all devices of the rollout.
func DecisionWithoutNumbers(d rollout.Decision, waves []rollout.Wave) string {
	switch d.What {
	case rollout.Started:
		return "started"
	case rollout.WaveOpened:
		return "opened " + WaveTitle(d.Wave, waves[d.Wave].Title)
	case rollout.ManyJoin:
		return "stopped: more devices came to waves that are open already than may join by themselves" +
			because(d.Reason)
	case rollout.GateStopped:
		return fmt.Sprintf(
			"stopped in %s by its gate, which asks for: %s",
			WaveTitle(d.Wave, waves[d.Wave].Title),
			GateAsks(*d.Broken),
		)
	}
	return Decision(d, waves)
}

func because(reason string) string {
	if reason = strings.TrimSpace(reason); reason == "" {
		return ""
	}
	return ": " + reason
}

// broken says what stopped a rollout, with the settings and the first devices.
func broken(d rollout.Decision) string {
	said := GateReading(*d.Broken)
	if d.Broken.Condition == rollout.NoneRefused {
		said += ", since it would have left no usable administrator"
	}
	if len(d.Settings) > 0 {
		names := make([]string, len(d.Settings))
		for i, id := range d.Settings {
			names[i] = Unit(id)
		}
		said += "; " + strings.Join(names, ", ")
	}
	const shown = 3
	if len(d.Devices) > 0 {
		said += " on " + strings.Join(d.Devices[:min(shown, len(d.Devices))], ", ")
	}
	if more := max(d.Count, len(d.Devices)) - shown; more > 0 && len(d.Devices) > 0 {
		said += fmt.Sprintf(" and %d more", more)
	}
	return said
}

// GateReading says what a condition of a gate stands at, and what it asks for.
func GateReading(r rollout.Reading) string {
	switch r.Condition {
	case rollout.EnoughVerified:
		if r.Of == 0 {
			return fmt.Sprintf(
				"no device was heard from yet; at least %d %% of those that are must be verified, and never none",
				r.Limit,
			)
		}
		return fmt.Sprintf("%d of %d heard from verified, at least %d %%", r.Count, r.Of, r.Limit)
	case rollout.FewFailed:
		if r.Of == 0 {
			return fmt.Sprintf("none failed, at most %d %%", r.Limit)
		}
		return fmt.Sprintf(
			"%d of %d failed or lost (%s), at most %d %%",
			r.Count,
			r.Of,
			percent(r.Count, r.Of),
			r.Limit,
		)
	case rollout.NoneRefused:
		return fmt.Sprintf("%d refused by the guard, none allowed", r.Count)
	case rollout.EnoughHeard:
		if r.Of == 0 {
			return "none was online when the wave opened"
		}
		return fmt.Sprintf("heard from %d of %d that were online, at least %d %%", r.Count, r.Of, r.Limit)
	}
	return fmt.Sprintf("soaked for %s of %s", inSeconds(r.Count), inSeconds(r.Of))
}

// Stuck says of the last open wave of a running rollout why it does not pass although it has soaked, and what can be
// done; empty while it need not be said.
func Stuck(w rollout.Wave, readings []rollout.Reading) string {
	met := map[rollout.Condition]bool{}
	for _, r := range readings {
		met[r.Condition] = r.Met
	}
	t := w.Tally
	const early = "open the next wave early, with a reason"
	if met[rollout.Soaked] && met[rollout.EnoughVerified] && !met[rollout.EnoughHeard] {
		return fmt.Sprintf("It has soaked, too few of the devices that were online when it opened were heard from "+
			"since: %s missing. Look at them first, since the change may have cut them off. After three check-in "+
			"intervals they count as failed; or %s",
			count(w.Online-w.OnlineHeard, "device is", "devices are"), early)
	}
	if !met[rollout.Soaked] || met[rollout.EnoughVerified] {
		return ""
	}
	if t.Heard() == 0 {
		return "It has soaked, and no device of it was heard from: they may all be off. It passes once enough are " +
			"verified; or " + early
	}
	if t[rollout.Told] > 0 {
		return ""
	}
	var why []string
	for _, o := range []rollout.Outcome{rollout.Held, rollout.Working, rollout.Failed} {
		if t[o] > 0 {
			why = append(why, fmt.Sprintf("%d %s", t[o], Outcome(o)))
		}
	}
	return "It has soaked, every device of it was heard from, and too few are verified: " + strings.Join(why, ", ") +
		". It cannot pass until that changes; look at these devices, or " + early
}

// GateAsks says what a condition of a gate asks for.
func GateAsks(r rollout.Reading) string {
	switch r.Condition {
	case rollout.EnoughVerified:
		return fmt.Sprintf("at least %d %% of those heard from verified", r.Limit)
	case rollout.FewFailed:
		return fmt.Sprintf("at most %d %% failed or lost", r.Limit)
	case rollout.NoneRefused:
		return "none refused by the guard"
	case rollout.EnoughHeard:
		return fmt.Sprintf("heard from at least %d %% of those that were online", r.Limit)
	}
	return "soaked for " + inSeconds(r.Of)
}

func inSeconds(n int) string {
	var parts []string
	for _, unit := range []struct {
		seconds int
		word    string
	}{{3600, "h"}, {60, "min"}, {1, "s"}} {
		if of := n / unit.seconds; of > 0 || unit.seconds == 1 && parts == nil {
			parts = append(parts, fmt.Sprintf("%d %s", of, unit.word))
		}
		n %= unit.seconds
	}
	return strings.Join(parts, " ")
}

func percent(part, whole int) string {
	if whole == 0 {
		return "0 %"
	}
	return fmt.Sprintf("%d %%", (100*part+whole/2)/whole)
}
