package main

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/scenario"
)

func (a *app) rehearseCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "rehearse FILE",
		Short: "Rehearse a rollout without a service: which wave opens when, what its gate says, and what stops it",
		Args:  cobra.ExactArgs(1),
		Long: "Play the rollout of a scenario file. The file is that of \"rankwarden preview\", with how the change\n" +
			"goes out and a list of events under \"rollout:\". Each event has a time since the beginning (at: 35m)\n" +
			"and either something that a person does (do: start, pause, resume, open or revert; with by, reason,\n" +
			"give_back) or what devices reported (verified, failed, guard_refused, held or working: a list of\n" +
			"names, or [everyone]), whether they were online when told (online), fell silent since (silent), came\n" +
			"(joins) or went (leaves); one with a time alone lets time pass. - reads standard input. --output is\n" +
			"table (the default) or json.\n\n" +
			"Exit status: 0 it ends done or is under way; 1 it ends stopped or reverted; 2 the file cannot be\n" +
			"used.",
		Example:     "  rankwarden rehearse demo/scenarios/in-waves.yaml",
		Annotations: map[string]string{ownOutputs: "table json"},
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := readScenario(args[0])
			if err != nil {
				return err
			}
			for _, w := range s.Warnings {
				a.notice("Warning: %s\n", w)
			}
			r, err := s.Rehearse(atOnce)
			if err != nil {
				return unusable{fmt.Errorf("%s: %w", args[0], err)}
			}
			if a.output == "json" {
				err = a.data(rehearsed(r))
			} else {
				a.rehearsal(r, len(s.Devices))
			}
			if err == nil && (r.State == rollout.Stopped || r.State == rollout.Reverted) {
				err = errNo
			}
			return err
		},
	}
}

// rehearsal prints what happened at each step, and what each led to.
func (a *app) rehearsal(r *scenario.Rehearsal, devices int) {
	fmt.Fprintln(a.out, text.Bold.Sprintf("%d of %s affected", r.Affected, plural(devices, "device", "devices")))
	for i, w := range r.Waves {
		fmt.Fprintf(a.out, "  %s: %s\n", present.WaveTitle(i, w.Title), plural(w.Drawn, "device", "devices"))
	}
	for _, step := range r.Steps {
		fmt.Fprintf(a.out, "\n%s  %s\n", text.Bold.Sprintf("%6s", since(step.After)), happened(step.Happening))
		for _, err := range step.Refused {
			fmt.Fprintf(a.out, "%8s%s %s\n", "", text.FgRed.Sprint("✗ refused:"), err)
		}
		for _, d := range step.Decisions {
			if d.By == "" || d.What == rollout.Started { // what a person did is said above
				fmt.Fprintf(a.out, "%8s%s\n", "", decisionMark(d.What)+present.Decision(d, r.Waves))
			}
		}
		fmt.Fprintf(a.out, "%8s%s\n", "", text.FgHiBlack.Sprint(tallies(step)))
	}
	fmt.Fprintf(a.out, "\n%s\n", text.Bold.Sprint("It ends "+present.RolloutState(r.State)+"."))
}

func since(d time.Duration) string {
	if d%time.Minute == 0 && d > 0 {
		return fmt.Sprintf("%d min", int(d.Minutes()))
	}
	return fmt.Sprintf("%d s", int(d.Seconds()))
}

// happened says what an event was.
func happened(h scenario.Happening) string {
	reason := func(said, by, reason string) string {
		if reason != "" {
			said += ": " + reason
		}
		if by != "" {
			return by + " " + said
		}
		return said
	}
	switch e := h.Event.(type) {
	case rollout.Start:
		return reason("starts it", e.By, "")
	case rollout.Pause:
		return reason("pauses it", e.By, e.Reason)
	case rollout.Resume:
		return reason("resumes it", e.By, e.Reason)
	case rollout.OpenNext:
		return reason("opens the next wave early", e.By, e.Reason)
	case rollout.Revert:
		if e.GiveBack {
			return reason("reverts it, giving back what it took away", e.By, e.Reason)
		}
		return reason("reverts it", e.By, e.Reason)
	}
	if len(h.Devices) == 0 {
		return "time passes"
	}
	var parts []string
	said := map[string][]string{}
	for _, d := range h.Devices {
		what := ""
		switch e := d.Make(d.Device).(type) {
		case rollout.Report:
			what = "reported " + present.Outcome(e.Outcome)
		case rollout.Present:
			what = "was online"
		case rollout.Silence:
			what = "has been silent for too long"
		case rollout.Join:
			what = "joins"
		case rollout.Leave:
			what = "leaves"
		}
		if said[what] == nil {
			parts = append(parts, what)
		}
		said[what] = append(said[what], d.Device)
	}
	for i, what := range parts {
		verb := what
		if len(said[what]) > 1 || said[what][0] == scenario.Everyone {
			verb = plurals.Replace(verb)
		}
		parts[i] = strings.Join(said[what], ", ") + " " + verb
	}
	return strings.Join(parts, "; ")
}

// plurals has a verb agree with several devices.
var plurals = strings.NewReplacer("joins", "join", "leaves", "leave", "was ", "were ", "has ", "have ")

func decisionMark(w rollout.What) string {
	switch w {
	case rollout.GateStopped, rollout.ManyJoin:
		return text.FgRed.Sprint("■ ")
	case rollout.GatePassed, rollout.Finished:
		return text.FgGreen.Sprint("✓ ")
	}
	return "▸ "
}

// outcomes in the order in which they are counted.
var outcomes = []rollout.Outcome{
	rollout.Verified, rollout.Lost, rollout.Failed, rollout.GuardRefused, rollout.Held, rollout.Working, rollout.Told,
	rollout.Late,
}

// tallies says where each open wave stands.
func tallies(step scenario.Step) string {
	var waves []string
	for i := range step.Open + 1 {
		var parts []string
		for _, o := range outcomes {
			if n := step.Tallies[i][o]; n > 0 {
				parts = append(parts, fmt.Sprintf("%d %s", n, present.Outcome(o)))
			}
		}
		if parts == nil {
			parts = []string{"no device"}
		}
		waves = append(waves, fmt.Sprintf("wave %d: %s", i+1, strings.Join(parts, ", ")))
	}
	return present.RolloutState(step.State) + ". " + strings.Join(waves, "; ")
}

// rehearsedStep is a step as it is written in JSON.
type rehearsedStep struct {
	At        int             `json:"at"` // seconds since the beginning
	Event     string          `json:"event"`
	Refused   []string        `json:"refused"`
	Decisions []decidedStep   `json:"decisions"`
	State     rollout.State   `json:"state"`
	Waves     []rollout.Tally `json:"waves"`
}

type decidedStep struct {
	What  rollout.What `json:"what"`
	Wave  int          `json:"wave"` // index, -1 where it is about no wave
	By    string       `json:"by"`   // empty for a gate
	Words string       `json:"words"`
}

type rehearsedRollout struct {
	Affected int             `json:"affected"`
	Waves    []string        `json:"waves"`
	Steps    []rehearsedStep `json:"steps"`
	State    rollout.State   `json:"state"`
	Having   []string        `json:"having"` // devices that have the change at the end
}

// rehearsed is a rehearsal as it is printed as data.
func rehearsed(r *scenario.Rehearsal) rehearsedRollout {
	out := rehearsedRollout{Affected: r.Affected, Steps: []rehearsedStep{}, State: r.State, Having: []string{}}
	for _, w := range r.Waves {
		out.Waves = append(out.Waves, w.Title)
	}
	for _, s := range r.Steps {
		step := rehearsedStep{
			At: int(s.After.Seconds()), Event: happened(s.Happening), State: s.State, Waves: s.Tallies,
			Refused: []string{}, Decisions: []decidedStep{},
		}
		for _, d := range s.Decisions {
			step.Decisions = append(step.Decisions, decidedStep{d.What, d.Wave, d.By, present.Decision(d, r.Waves)})
		}
		for _, err := range s.Refused {
			step.Refused = append(step.Refused, err.Error())
		}
		out.Steps = append(out.Steps, step)
	}
	for d := range r.Devices {
		if r.Has(d) {
			out.Having = append(out.Having, d)
		}
	}
	slices.Sort(out.Having)
	return out
}
