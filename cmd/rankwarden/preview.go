package main

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/present"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/scenario"
)

func (a *app) previewCommand() *cobra.Command {
	var device string
	cmd := &cobra.Command{
		Use:   "preview (CHANGE|FILE)",
		Short: "Preview a change: who loses access, what becomes held, and what else it does to which devices",
		Args:  cobra.ExactArgs(1),
		Long: "Preview a change of the service by its name, or that of a scenario file without a service. The file\n" +
			"is that of \"rankwarden resolve\" with a list of edits under \"change:\", each one of publish (a\n" +
			"policy), assign (an assignment), withdraw (the name of an assignment), group and drop_group. - reads\n" +
			"standard input. --output is table (the default), json (the whole preview) or csv (a line for each\n" +
			"effect on each device).\n\n" +
			"Exit status: 0 nobody loses access; 1 a member of administrators leaves, an account is disabled, a\n" +
			"device would refuse, there is no way in, or a setting becomes held; 2 the file cannot be used.",
		Example: "  rankwarden preview longer-passwords\n  rankwarden preview " +
			"demo/scenarios/head-office-opens.yaml",
		Annotations:       map[string]string{ownOutputs: "table json csv"},
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			if isChange(args[0]) {
				return a.previewOfService(cmd, args[0], device)
			}
			s, err := readScenario(args[0])
			if err != nil {
				return err
			}
			for _, w := range s.Warnings {
				a.notice("Warning: %s\n", w)
			}
			p, err := s.Preview(atOnce)
			if err != nil {
				return unusable{fmt.Errorf("%s: %w", args[0], err)}
			}
			if err := a.preview(s, p, device); err != nil {
				return err
			}
			if p.TakesAway() {
				return errNo
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&device, "device", "", "print every effect on this `device`")
	return cmd
}

// preview prints that of a scenario.
func (a *app) preview(s *scenario.Scenario, p *preview.Preview, device string) error {
	if a.output == "json" {
		return p.WriteJSON(a.out)
	}
	shown := api.Preview{Fleet: len(s.Devices), Devices: p.Devices}
	shown.Sums, shown.TakesAway = api.EffectSums(p.Sums)
	devices := make([]api.AffectedDevice, len(p.Affected))
	for i, x := range p.Affected {
		devices[i] = api.Affected(x, "")
		if !x.Reported {
			shown.NotReported++
		}
	}
	switch {
	case a.output == "csv":
		return list(a, effectRows(devices), "", effectColumns...)
	case device != "":
		return a.previewOf(devices, device, func() error {
			if slices.ContainsFunc(s.Devices, func(d fleet.Facts) bool { return d.Name == device }) {
				return nil
			}
			return unusable{fmt.Errorf("the scenario has no device %q", device)}
		})
	}
	a.previewed(plural(len(s.Change), "edit", "edits"), shown)
	return nil
}

// previewed prints what something would do.
func (a *app) previewed(what string, p api.Preview) {
	fmt.Fprintln(
		a.out,
		text.Bold.Sprintf("%s, %d of %s affected", what, p.Devices, plural(p.Fleet, "device", "devices")),
	)
	a.sums(p.Sums)
	if groups := byGroup(p.Groups, p.MoreGroups); groups != "" {
		fmt.Fprintf(a.out, "\nBy group: %s.\n", groups)
	}
	if p.NotReported > 0 {
		fmt.Fprintf(a.out, "\n%s never reported: settings change, and the effects are unknown.\n",
			plural(p.NotReported, "device has", "devices have"))
	}
	for _, w := range p.Ways {
		if w.Anyone {
			fmt.Fprintf(a.out, "\nOn whichever device comes: %s.\n", w.Words)
		}
	}
	for _, why := range p.Needs {
		fmt.Fprintf(a.out, "\nA second person must approve it: %s.\n", why)
	}
	switch {
	case p.Part:
		fmt.Fprintln(a.out, "\nThis is a part of what it does: it reaches devices beyond your role, or could, so "+
			"you can\nneither apply nor approve it.")
	case p.Digest != "":
		fmt.Fprintf(a.out, "\nTo do exactly this and nothing else: --expect %s\n", p.Digest)
	}
}

// byGroup says in how many devices of which groups, the first ones.
func byGroup(groups []api.GroupCount, untold int) string {
	const shown = 6
	parts := make([]string, 0, shown+1)
	for _, g := range groups[:min(shown, len(groups))] {
		parts = append(parts, fmt.Sprintf("%s %d", g.Group, g.Devices))
	}
	if more := max(0, len(groups)-shown) + untold; more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(parts, ", ")
}

// sums prints what a change does, the gravest first, with the number of devices and the first of them.
func (a *app) sums(sums []api.EffectSum) {
	width := 0
	for _, sum := range sums {
		width = max(width, len(strconv.Itoa(sum.Devices)))
	}
	last := ""
	for _, sum := range sums {
		if sum.Section != last {
			fmt.Fprintf(a.out, "\n%s\n", sectionTitle(sum.Section))
			last = sum.Section
		}
		fmt.Fprintf(a.out, "  %s%*d  %s\n", warnMark(sum.TakesAway), width, sum.Devices, sum.Words)
		names := strings.Join(sum.First, ", ")
		if more := sum.Devices - len(sum.First); more > 0 {
			names += fmt.Sprintf(" and %d more", more)
		}
		fmt.Fprintf(a.out, "  %*s    %s\n", width, "", text.FgHiBlack.Sprint(names))
	}
	if len(sums) == 0 {
		fmt.Fprintln(a.out, "\nNo effects.")
	}
}

// warnMark stands before what somebody should look at.
func warnMark(takesAway bool) string {
	if takesAway {
		return text.FgRed.Sprint("▲ ")
	}
	return "  "
}

func sectionTitle(title string) string {
	switch title {
	case present.LosesAccess:
		return text.Colors{text.Bold, text.FgRed}.Sprint(title)
	case present.BecomesHeld:
		return text.Colors{text.Bold, text.FgMagenta}.Sprint(title)
	}
	return text.Bold.Sprint(title)
}

// previewOf prints everything that a change does to one device; exists says whether there is such a device.
func (a *app) previewOf(devices []api.AffectedDevice, name string, exists func() error) error {
	at := slices.IndexFunc(devices, func(d api.AffectedDevice) bool { return d.Device == name })
	if at < 0 {
		if err := exists(); err != nil {
			return err
		}
		_, err := fmt.Fprintf(a.out, "%s is not affected.\n", name)
		return err
	}
	d := devices[at]
	fmt.Fprintln(a.out, text.Bold.Sprint(d.Device))
	if !d.Reported {
		fmt.Fprintln(a.out, "  never reported, so only settings are known")
	}
	for _, s := range d.Settings {
		note := ""
		if !s.Supported {
			note = "  (not supported on this device)"
		}
		fmt.Fprintf(a.out, "  %-40s %s → %s%s\n", s.Title, s.BeforeWords, s.AfterWords, note)
	}
	if len(d.Effects) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", text.Bold.Sprint("Effects"))
	}
	for _, e := range d.Effects {
		fmt.Fprintf(a.out, "  %s%s\n", warnMark(e.TakesAway), e.Words)
	}
	return nil
}

// effectRow is one effect on one device, for a spreadsheet.
type effectRow struct {
	device string
	effect api.Effect
}

func effectRows(devices []api.AffectedDevice) (rows []effectRow) {
	for _, d := range devices {
		for _, e := range d.Effects {
			rows = append(rows, effectRow{d.Device, e})
		}
	}
	return rows
}

var effectColumns = []column[effectRow]{
	{title: "device", value: func(r effectRow) string { return r.device }},
	{title: "effect", value: func(r effectRow) string { return r.effect.Effect }},
	{title: "unit", value: func(r effectRow) string { return r.effect.Unit }},
	{title: "subject", value: func(r effectRow) string { return r.effect.Subject }},
	{title: "text", value: func(r effectRow) string { return r.effect.Words }},
}
