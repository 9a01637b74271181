package main

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/scenario"
	"rankwarden.example/core/unit"
)

func (a *app) previewCommand() *cobra.Command {
	var device string
	cmd := &cobra.Command{
		Use:   "preview FILE",
		Short: "Preview a change: who loses access, what becomes held, and what else it does to which devices",
		Args:  cobra.ExactArgs(1),
		Long: "Preview the change of a scenario file without a service. The file is that of \"rankwarden resolve\" with a\n" +
			"list of edits under \"change:\", each one of publish (a policy), assign (an assignment), withdraw (the name\n" +
			"of an assignment), group and drop_group. - reads standard input. --output is table (the default), json (the\n" +
			"whole preview) or csv (a line for each effect on each device).\n\n" +
			"Exit status: 0 nobody loses access; 1 a member of administrators leaves, an account is disabled, a device\n" +
			"would refuse, there is no way in, or a setting becomes held; 2 the file cannot be used.",
		Example:     "  rankwarden preview demo/scenarios/head-office-opens.yaml",
		Annotations: map[string]string{ownOutputs: "table json csv"},
		RunE: func(_ *cobra.Command, args []string) error {
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

func (a *app) preview(s *scenario.Scenario, p *preview.Preview, device string) error {
	switch {
	case a.output == "json":
		return p.WriteJSON(a.out)
	case a.output == "csv":
		return list(a, effectRows(p.Affected), "", effectColumns...)
	case device != "":
		return a.previewOf(s, p, device)
	}
	fmt.Fprintln(a.out, text.Bold.Sprint(previewTitle(len(s.Change), p.Devices, len(s.Devices))))
	a.sums(p.Sums)
	silent := 0
	for _, affected := range p.Affected {
		if !affected.Reported {
			silent++
		}
	}
	if silent > 0 {
		fmt.Fprintf(a.out, "\n%s never reported: settings change, and the effects are unknown.\n", plural(silent, "device has", "devices have"))
	}
	return nil
}

func previewTitle(edits, affected, devices int) string {
	return fmt.Sprintf("%s, %d of %s affected", plural(edits, "edit", "edits"), affected, plural(devices, "device", "devices"))
}

// sums prints what a change does, the gravest first, with the number of devices and the first of them.
func (a *app) sums(sums []effect.Sum) {
	sums = slices.Clone(sums)
	slices.SortStableFunc(sums, func(x, y effect.Sum) int {
		sx, px := present.EffectSectionOf(x.Kind)
		sy, py := present.EffectSectionOf(y.Kind)
		return cmp.Or(
			cmp.Compare(sx, sy), cmp.Compare(px, py), firstAdministrators(x, y), -cmp.Compare(x.Devices, y.Devices),
			present.Compare(x.Unit, y.Unit), cmp.Compare(x.Subject, y.Subject),
		)
	})
	width := 0
	for _, sum := range sums {
		width = max(width, len(strconv.Itoa(sum.Devices)))
	}
	last := -1
	for _, sum := range sums {
		section, _ := present.EffectSectionOf(sum.Kind)
		if section != last {
			fmt.Fprintf(a.out, "\n%s\n", sectionTitle(section))
			last = section
		}
		effect := effect.Effect{Unit: sum.Unit, Kind: sum.Kind, Subject: sum.Subject, Before: sum.Before, After: sum.After}
		say := present.Effect(effect)
		mark := "  "
		if sum.TakesAway() {
			mark = text.FgRed.Sprint("▲ ")
		}
		fmt.Fprintf(a.out, "  %s%*d  %s\n", mark, width, sum.Devices, say)
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

// firstAdministrators puts administrators before other local groups.
func firstAdministrators(x, y effect.Sum) int {
	rank := func(s effect.Sum) int {
		if s.Unit == unit.Administrators {
			return 0
		}
		return 1
	}
	return cmp.Compare(rank(x), rank(y))
}

func sectionTitle(section int) string {
	title := present.EffectSections[section].Title
	switch title {
	case "Loses access":
		return text.Colors{text.Bold, text.FgRed}.Sprint(title)
	case "Becomes held":
		return text.Colors{text.Bold, text.FgMagenta}.Sprint(title)
	}
	return text.Bold.Sprint(title)
}

// previewOf prints everything that a change does to one device.
func (a *app) previewOf(s *scenario.Scenario, p *preview.Preview, device string) error {
	at := slices.IndexFunc(p.Affected, func(x preview.Affected) bool { return x.Device == device })
	if at < 0 {
		for _, d := range s.Devices {
			if d.Name == device {
				_, err := fmt.Fprintf(a.out, "%s is not affected.\n", device)
				return err
			}
		}
		return unusable{errors.New("the scenario has no device " + strconv.Quote(device))}
	}
	affected := p.Affected[at]
	fmt.Fprintln(a.out, text.Bold.Sprint(device))
	if !affected.Reported {
		fmt.Fprintln(a.out, "  never reported, so only settings are known")
	}
	for _, change := range affected.Settings {
		note := ""
		if !change.Supported {
			note = "  (not supported on this device)"
		}
		fmt.Fprintf(a.out, "  %-40s %s → %s%s\n", present.UnitInFull(change.Unit),
			present.Value(change.Unit, change.Before), present.Value(change.Unit, change.After), note)
	}
	if len(affected.Effects) > 0 {
		fmt.Fprintf(a.out, "\n%s\n", text.Bold.Sprint("Effects"))
	}
	for _, e := range affected.Effects {
		mark := "  "
		if e.TakesAway() {
			mark = text.FgRed.Sprint("▲ ")
		}
		fmt.Fprintf(a.out, "  %s%s\n", mark, present.Effect(e))
	}
	return nil
}

// effectRow is one effect on one device, for a spreadsheet.
type effectRow struct {
	device string
	effect effect.Effect
}

func effectRows(affected []preview.Affected) (rows []effectRow) {
	for _, a := range affected {
		for _, e := range a.Effects {
			rows = append(rows, effectRow{a.Device, e})
		}
	}
	return rows
}

var effectColumns = []column[effectRow]{
	{title: "device", value: func(r effectRow) string { return r.device }},
	{title: "effect", value: func(r effectRow) string { return string(r.effect.Kind) }},
	{title: "unit", value: func(r effectRow) string { return effect.UnitName(r.effect.Unit) }},
	{title: "subject", value: func(r effectRow) string { return r.effect.Subject }},
	{title: "text", value: func(r effectRow) string { return present.Effect(r.effect) }},
}
