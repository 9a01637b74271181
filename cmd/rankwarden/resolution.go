package main

import (
	"fmt"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/scenario"
)

// resolution prints a settled scenario: one block for the devices that meet the same assignments,
// and one for each device that has reported or has warrants. Only one device is printed when it is named.
func (a *app) resolution(s *scenario.Result, only string) error {
	if only != "" {
		at := slices.IndexFunc(s.Devices, func(f fleet.Facts) bool { return f.Name == only })
		if at < 0 {
			return unusable{fmt.Errorf("the scenario has no device %q", only)}
		}
		a.block(s.Device(at), []string{only})
		return nil
	}
	for i, scope := range s.Scopes {
		var alone, together []int
		for _, d := range scope.Devices {
			if s.Scenario.Reports[d] != nil || len(s.Scenario.Warrants[d]) > 0 {
				alone = append(alone, d)
			} else {
				together = append(together, d)
			}
		}
		if len(together) > 0 {
			a.block(s.Device(together[0]), namesOf(together, func(d int) string { return s.Devices[d].Name }))
		}
		for _, d := range alone {
			a.block(s.Device(d), []string{s.Devices[d].Name})
		}
		if i < len(s.Scopes)-1 {
			fmt.Fprintln(a.out)
		}
	}
	c := s.Count()
	_, err := fmt.Fprintf(a.out, "\n%s, %s of assignments, %s, %d contested.\n", plural(c.Devices, "device", "devices"),
		plural(c.DistinctSets, "distinct set", "distinct sets"), plural(c.Units, "setting", "settings"), c.Contested)
	return err
}

// mostNames is how many devices of a block are named.
const mostNames = 6

func (a *app) block(d scenario.Device, names []string) {
	title := strings.Join(names[:min(len(names), mostNames)], ", ")
	if more := len(names) - mostNames; more > 0 {
		title += fmt.Sprintf(" and %d more", more)
	}
	fmt.Fprintln(a.out, text.Bold.Sprint(title))
	for _, m := range d.Assignments {
		fmt.Fprintln(a.out, a.metLine(m))
	}
	if len(d.Assignments) == 0 {
		fmt.Fprintln(a.out, "  no assignment applies")
	}
	if len(d.Enforced.Units) > 0 {
		fmt.Fprintln(a.out)
		a.lane(d.Enforced.Units, d.Enforced.Held(nil))
	}
	a.problemLines(d.Enforced.Problems)
	a.warrantLines(d.Warrants)
	if d.Findings != nil {
		a.findingLines("Findings", *d.Findings)
	}
	if d.Projected != nil {
		if changed := changedUnits(d.Enforced, *d.Projected); len(changed) > 0 {
			fmt.Fprintf(a.out, "\n  %s\n", text.Bold.Sprint("Trial: changes"))
			a.lane(changed, nil)
		} else {
			fmt.Fprintln(a.out, "\n  The trial changes nothing here.")
		}
		if d.Forecast != nil {
			a.findingLines("Trial: findings", *d.Forecast)
		}
	}
}

func (a *app) metLine(m scenario.Candidate) string {
	notes := map[assign.Outcome]string{assign.Excluded: "excluded", assign.Outside: "outside",
		assign.Undecided: "undecided: unknown fact"}[m.Reason]
	if m.Stance == assign.Trial {
		notes = strings.TrimPrefix(notes+", on trial", ", ")
	}
	line := fmt.Sprintf("  %5d  %-24s policy %s", m.Rank, m.Assignment, m.Policy)
	if notes != "" {
		line += "  (" + notes + ")"
	}
	if !m.Applies {
		return text.FgHiBlack.Sprint(line)
	}
	return line
}

// changedUnits are the units of a lane that differ from those of another.
func changedUnits(from, to resolve.Lane) []resolve.Unit {
	var changed []resolve.Unit
	for _, u := range to.Units {
		i := slices.IndexFunc(from.Units, func(x resolve.Unit) bool { return x.Unit == u.Unit })
		if i >= 0 && (u.Value == nil) == (from.Units[i].Value == nil) &&
			(u.Value == nil || u.Value.Equal(from.Units[i].Value)) {
			continue
		}
		changed = append(changed, u)
	}
	return changed
}

// lane prints units in the order a reader expects, section by section: the value and who won, and
// below them who lost and why.
func (a *app) lane(units []resolve.Unit, held []resolve.HeldUnit) {
	sorted := slices.Clone(units)
	slices.SortFunc(sorted, func(x, y resolve.Unit) int { return present.Compare(x.Unit, y.Unit) })
	width := a.width
	if width == 0 {
		width = 120
	}
	const sign, gap = 5, 2
	name := 0
	for _, u := range sorted {
		name = max(name, text.StringWidth(present.Unit(u.Unit)))
	}
	name = min(name, 32)
	rest := max(width-sign-name-2*gap, 40)
	value := rest * 58 / 100
	section := ""
	for _, u := range sorted {
		if s := present.Section(u.Unit); s != section {
			section = s
			fmt.Fprintf(a.out, "  %s\n", text.Underline.Sprint(s))
		}
		mark, colour := "●", text.FgGreen
		says := present.Value(u.Unit, u.Value)
		isHeld := slices.ContainsFunc(held, func(h resolve.HeldUnit) bool { return h.Unit == u.Unit })
		if u.Verdict == resolve.Contested {
			says = "no value, contested"
		}
		if isHeld || u.Verdict == resolve.Contested {
			mark, colour = "▮▮", text.FgMagenta
		}
		a.columns(
			[]int{sign - 1, name, value, rest - value},
			[]string{"  " + mark, present.Unit(u.Unit), says, present.Why(u)},
			[]text.Color{colour, text.Reset, text.Reset, text.Reset},
		)
		for _, l := range u.Over {
			a.columns(
				[]int{sign - 1, name, rest},
				[]string{
					"",
					"",
					fmt.Sprintf(
						"%s %s (%d): %s; %s",
						lostMark(l.Why),
						l.Assignment,
						l.Rank,
						present.Value(u.Unit, l.Value),
						present.Lost(l),
					),
				},
				[]text.Color{text.Reset, text.Reset, text.FgHiBlack},
			)
		}
	}
}

// lostMark tells one that agrees from one that lost.
func lostMark(why resolve.Why) string {
	if why == resolve.Same {
		return "="
	}
	return "✗"
}

// columns prints cells side by side, each wrapped within its width and set in its colour.
func (a *app) columns(widths []int, cells []string, colours []text.Color) {
	lines := make([][]string, len(cells))
	most := 1
	for i, cell := range cells {
		lines[i] = strings.Split(text.WrapSoft(cell, widths[i]), "\n")
		most = max(most, len(lines[i]))
	}
	for n := range most {
		var line strings.Builder
		for i := range cells {
			part := ""
			if n < len(lines[i]) {
				part = strings.TrimRight(lines[i][n], " ")
			}
			pad := strings.Repeat(" ", max(widths[i]+2-text.StringWidth(part), 0))
			if part != "" {
				part = colours[i].Sprint(part)
			}
			line.WriteString(part + pad)
		}
		fmt.Fprintln(a.out, strings.TrimRight(line.String(), " "))
	}
}

func (a *app) problemLines(problems []resolve.Problem) {
	if len(problems) == 0 {
		return
	}
	fmt.Fprintln(a.out)
	for _, p := range problems {
		sign, colour := "!", text.FgYellow
		if p.Severity == policy.Error {
			sign, colour = "▮▮", text.FgMagenta
		}
		fmt.Fprintf(a.out, "  %s %s\n", colour.Sprint(sign), a.wrapped(p.Unit+": "+present.Problem(p), 5))
	}
}

func (a *app) warrantLines(warrants []scenario.WarrantOn) {
	if len(warrants) == 0 {
		return
	}
	fmt.Fprintf(a.out, "\n  %s\n", text.Bold.Sprint("Warrants"))
	for _, w := range warrants {
		fmt.Fprintf(a.out, "  %s %s\n", text.FgBlue.Sprint("◔"),
			a.wrapped(present.Unit(w.Unit)+": "+present.Warrant(w.Principal, w.Effect, w.Until), 4))
	}
}

func (a *app) findingLines(title string, findings []drift.Finding) {
	if len(findings) == 0 {
		return
	}
	fmt.Fprintf(a.out, "\n  %s\n", text.Bold.Sprint(title))
	for _, f := range findings {
		fmt.Fprintf(
			a.out,
			"  %s %s\n",
			text.FgRed.Sprint("◆"),
			a.wrapped(present.Unit(f.Unit)+": "+present.Finding(f), 4),
		)
	}
}

// wrapped breaks running text at the width of the terminal, with the lines after the first indented.
func (a *app) wrapped(line string, indent int) string {
	if a.width == 0 {
		return line
	}
	return strings.ReplaceAll(text.WrapSoft(line, max(a.width-indent, 40)), "\n", "\n"+strings.Repeat(" ", indent))
}
