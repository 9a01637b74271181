package main

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
)

func (a *app) driftCommand() *cobra.Command {
	var q client.FindingQuery
	var most int
	var by string
	var past pastFlags
	cmd := &cobra.Command{
		Use:   "drift",
		Short: "List findings: where devices differ from their desired state, and which assignments decided it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var err error
			if q.Since, q.Until, err = past.times(a.now); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if by != "" {
				return a.driftBy(cmd.Context(), c, by, q)
			}
			items, err := atMost(
				most,
				func(p client.Page) (client.List[api.Finding], error) { return c.Findings(cmd.Context(), q, p) },
			)
			if err != nil {
				return err
			}
			if err := a.listFindings(items); err != nil || q.Kind != "" {
				return err
			}
			return a.apart(cmd.Context(), c, q)
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.State, "state", "open", "`state`: open, waived, closed or corrected")
	f.StringVar(&q.Unit, "unit", "", "only this `setting`, as it is shown or written, such as administrators")
	f.StringVar(&q.Kind, "kind", "", "only this `kind`, such as member_extra")
	f.StringVar(&q.Group, "group", "", "only devices in this `group`")
	f.StringVar(&q.Device, "device", "", "only of this `device`")
	f.StringVar(&q.Assignment, "assignment", "", "only of settings that this `assignment` decided; open findings only")
	f.StringVar(&by, "by", "", "count open findings by this `kind` instead of listing them: setting, assignment, "+
		"group or device")
	_ = cmd.RegisterFlagCompletionFunc("by", cobra.FixedCompletions(driftSides, cobra.ShellCompDirectiveNoFileComp))
	past.add(cmd)
	f.IntVar(&most, "most", 200, "list at most this `number`; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc(
		"state",
		cobra.FixedCompletions([]string{"open", "waived", "closed", "corrected"}, cobra.ShellCompDirectiveNoFileComp),
	)
	kinds := make([]string, len(drift.Kinds))
	for i, k := range drift.Kinds {
		kinds[i] = string(k)
	}
	_ = cmd.RegisterFlagCompletionFunc("kind", cobra.FixedCompletions(kinds, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

func (a *app) listFindings(items []api.Finding) error {
	return list(
		a,
		items,
		"No finding matches.",
		column[api.Finding]{title: "Device", value: func(f api.Finding) string { return f.Device }},
		column[api.Finding]{title: "Setting", value: func(f api.Finding) string { return f.UnitTitle }},
		column[api.Finding]{
			title: "Finding",
			wrap:  1,
			value: func(f api.Finding) string { return f.Words },
			paint: func(f api.Finding) text.Colors {
				if f.State == "open" && f.Kind != string(drift.UnitUnsupported) {
					return text.Colors{text.FgRed}
				}
				return nil
			},
		},
		column[api.Finding]{
			title: "Decided by",
			value: func(f api.Finding) string { return strings.Join(f.Assignments, ", ") },
		},
		column[api.Finding]{
			title: "State",
			value: func(f api.Finding) string {
				if f.CameBack > 0 {
					return fmt.Sprintf("%s, came back (%d before)", f.State, f.CameBack)
				}
				return f.State
			},
		},
		column[api.Finding]{title: "First seen", value: func(f api.Finding) string { return a.when(f.FirstSeen) }},
	)
}

// driftSides are what findings are counted by.
var driftSides = []string{"setting", "assignment", "group", "device"}

// driftBy counts findings instead of listing them.
func (a *app) driftBy(ctx context.Context, c *client.Client, by string, q client.FindingQuery) error {
	if !slices.Contains(driftSides, by) {
		return unusable{fmt.Errorf("--by %q is not one of %s", by, strings.Join(driftSides, ", "))}
	}
	if by == "setting" {
		sums, err := c.FindingSums(ctx, q)
		if err != nil {
			return err
		}
		return list(
			a,
			sums,
			"No finding matches.",
			column[api.FindingSum]{title: "Setting", value: func(s api.FindingSum) string { return s.UnitTitle }},
			column[api.FindingSum]{title: "Kind", value: func(s api.FindingSum) string { return s.Kind }},
			column[api.FindingSum]{
				title: "Devices",
				right: true,
				value: func(s api.FindingSum) string { return strconv.Itoa(s.Devices) },
			},
			column[api.FindingSum]{
				title: "Findings",
				right: true,
				value: func(s api.FindingSum) string { return strconv.Itoa(s.Findings) },
			},
			column[api.FindingSum]{title: "Oldest", value: func(s api.FindingSum) string { return a.when(s.Oldest) }},
		)
	}
	counts, err := c.FindingCounts(ctx, by, q)
	if err != nil {
		return err
	}
	if counts.More > 0 {
		a.notice("And %d more, with fewer devices each.\n", counts.More)
	}
	return list(
		a,
		counts.Items,
		"No finding matches.",
		column[api.FindingCount]{
			title: strings.ToUpper(by[:1]) + by[1:],
			value: func(x api.FindingCount) string { return x.Name },
		},
		column[api.FindingCount]{
			title: "Devices",
			right: true,
			value: func(x api.FindingCount) string { return strconv.Itoa(x.Devices) },
		},
		column[api.FindingCount]{
			title: "Findings",
			right: true,
			value: func(x api.FindingCount) string { return strconv.Itoa(x.Findings) },
		},
		column[api.FindingCount]{title: "Oldest", value: func(x api.FindingCount) string { return a.when(x.Oldest) }},
	)
}

// apart says what platforms do not support, which is no drift that anybody could correct.
func (a *app) apart(ctx context.Context, c *client.Client, q client.FindingQuery) error {
	if q.Device != "" || q.State != "open" {
		return nil // sums are not told by device
	}
	q.Kind = string(drift.UnitUnsupported)
	sums, err := c.FindingSums(ctx, q)
	if err != nil || len(sums) == 0 {
		return err
	}
	named := make([]string, len(sums))
	for i, s := range sums {
		named[i] = fmt.Sprintf("%s (%s)", s.UnitTitle, plural(s.Devices, "device", "devices"))
	}
	a.notice(
		"\nNot supported by the platform: %s.\nList them: rankwarden drift --kind %s\n",
		strings.Join(named, ", "),
		q.Kind,
	)
	return nil
}
