package main

import (
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/core/present"
)

func (a *app) explainCommand() *cobra.Command {
	var at string
	cmd := &cobra.Command{
		Use:   "explain DEVICE [SETTING]",
		Short: "Explain the settings of a device: desired, reported, and which assignments decided",
		Args:  cobra.RangeArgs(1, 2),
		Example: "  rankwarden explain SKL-TKT-001\n  rankwarden explain SKL-TKT-001 " +
			"membership.administrators",
		Annotations:       map[string]string{ownOutputs: outputsOfOne},
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			w, err := a.whyAt(cmd.Context(), c, args[0], at)
			if err != nil {
				return err
			}
			if len(args) == 2 {
				at := slices.IndexFunc(
					w.Units,
					func(u api.UnitWhy) bool { return u.Unit == args[1] || strings.EqualFold(u.Title, args[1]) },
				)
				if at < 0 {
					names := namesOf(w.Units, func(u api.UnitWhy) string { return u.Unit })
					return unusable{
						fmt.Errorf(
							"%q is not a setting of %s; its settings are %s",
							args[1],
							w.Device.Name,
							strings.Join(names, ", "),
						),
					}
				}
				w.Units = w.Units[at : at+1]
			}
			return a.one(w, func() error {
				a.deviceHead(w)
				a.metLines(w.Assignments)
				whole, other := splitProblems(w.Problems)
				a.deviceProblems(whole) // first: it holds everything below
				for _, u := range w.Units {
					a.explainUnit(u)
				}
				a.deviceProblems(other)
				return nil
			})
		},
	}
	cmd.Flags().StringVar(&at, "at", "", "as it was at this `time`: 3d, 2031-03-04 or 2031-03-04T06:00:00Z")
	return cmd
}

// splitProblems takes problems that hold every setting apart from the others.
func splitProblems(problems []api.DeviceProblem) (whole, other []api.DeviceProblem) {
	for _, p := range problems {
		if p.Code == "undecided_scope" {
			whole = append(whole, p)
		} else {
			other = append(other, p)
		}
	}
	return whole, other
}

// metLines prints the assignments that were considered for a device, and why each applies or does not.
func (a *app) metLines(aims []api.DeviceAim) {
	for _, m := range aims {
		notes := ""
		if m.Reason != "included" {
			notes = ", " + m.Reason
		}
		if m.Stance == "trial" {
			notes += ", on trial"
		}
		line := fmt.Sprintf("  %5d  %-24s policy %s, revision %d%s", m.Rank, m.Assignment, m.Policy, m.Revision, notes)
		if m.Reason != "included" {
			line = text.FgHiBlack.Sprint(line)
		}
		fmt.Fprintln(a.out, line)
	}
}

// explainUnit prints how one setting came to its value: who asked for what, who won, and why.
func (a *app) explainUnit(u api.UnitWhy) {
	line := func(label, value string, colour text.Color) {
		if value != "" {
			fmt.Fprintf(a.out, "  %-9s %s\n", label, colour.Sprint(a.wrapped(value, 12)))
		}
	}
	title := u.Section
	if !strings.EqualFold(u.Section, u.Title) {
		title += ": " + u.Title
	}
	fmt.Fprintf(
		a.out,
		"\n%s %s  %s\n",
		unitColour(u).Sprint(sign(u)),
		text.Bold.Sprint(title),
		text.FgHiBlack.Sprint(u.Unit),
	)
	line("desired", u.Desired, text.Reset)
	line("reported", u.Reported, text.Reset)
	for _, f := range u.Findings {
		line("differs", f.Words, text.FgRed)
	}
	won := u.DecidedBy
	if u.Rank > 0 {
		won = fmt.Sprintf("%s (rank %d)", u.DecidedBy, u.Rank)
	}
	line("decided", won, text.Reset)
	for _, l := range u.Over {
		line("lost", fmt.Sprintf("%s (rank %d): %s; %s", l.Assignment, l.Rank, l.Claim, l.Why), text.FgHiBlack)
	}
	for _, w := range u.Warrants {
		line("warrant", w.Words, text.FgBlue)
	}
	line("held", u.Held, text.FgMagenta)
	if u.RepeatedlyReverted {
		line("reverted", present.RepeatedlyReverted, text.FgYellow)
	}
	if t := u.Trial; t != nil {
		line("trial", t.Desired+"; "+t.DecidedBy, text.FgBlue)
		for _, e := range t.Effects {
			line("forecast", e.Words, text.FgBlue)
		}
	}
}

func unitColour(u api.UnitWhy) text.Colors {
	switch {
	case u.Held != "":
		return text.Colors{text.FgMagenta}
	case len(u.Findings) > 0:
		return text.Colors{text.FgRed}
	case u.InStep:
		return text.Colors{text.FgGreen}
	}
	return text.Colors{text.FgBlue}
}

func (a *app) deviceProblems(problems []api.DeviceProblem) {
	if len(problems) > 0 {
		fmt.Fprintln(a.out)
	}
	for _, p := range problems {
		sign, colour := "!", text.FgYellow
		if p.Severity == "error" {
			sign, colour = "▮▮", text.FgMagenta
		}
		fmt.Fprintf(a.out, "%s %s\n", colour.Sprint(sign), a.wrapped(problemLine(p), 3))
	}
}

// problemLine is a problem in words, with the setting it concerns where the words do not say it.
func problemLine(p api.DeviceProblem) string {
	if p.Code == "undecided_scope" {
		return p.Words
	}
	return p.Unit + ": " + p.Words
}
