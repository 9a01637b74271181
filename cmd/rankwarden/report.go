package main

import (
	"cmp"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/present"
)

func (a *app) reportCommand() *cobra.Command {
	var q client.PostureQuery
	var times pastFlags
	cmd := &cobra.Command{
		Use: "report", Short: "Report on how a group stood over a period", Args: cobra.NoArgs,
		Long: "Report on how a group stood over a period: standings, time to verified, findings by setting, overdue\n" +
			"passwords, who viewed which passwords and why, waivers, and changes with who approved them. The\n" +
			"period is the last 30 days unless you say otherwise. As CSV it has one measure a row.",
		Example: "  rankwarden report --group ticket-desks --since 2026-11-01\n  rankwarden report --since 90d " +
			"-o csv > posture.csv",
		Annotations: map[string]string{ownOutputs: outputsOfList},
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if q.Since, q.Until, err = times.times(a.now); err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if a.output == "csv" {
				table, err := c.PostureCSV(cmd.Context(), q)
				if err != nil {
					return err
				}
				defer table.Close()
				_, err = io.Copy(a.out, table)
				return err
			}
			p, err := c.Posture(cmd.Context(), q)
			if err != nil {
				return err
			}
			return a.one(p, func() error { return a.posture(p) })
		},
	}
	cmd.Flags().StringVar(&q.Group, "group", "", "only the devices of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	times.add(cmd)
	return cmd
}

// posture prints a report for a reader.
func (a *app) posture(p api.Posture) error {
	const date = "2 Jan 2006 15:04"
	fmt.Fprintf(a.out, "Posture of %s, %s to %s\n", cmp.Or(p.Group, "every device in reach"), p.Since.Local().
		Format(date), p.Until.Local().Format(date))
	fmt.Fprintf(a.out, "%s now, %.1f %% of those not silent in step\n", plural(total(p.Standings), "device", "devices"),
		p.InStep)
	a.section("Standings")
	for _, d := range p.Days {
		fmt.Fprintf(a.out, "  %s  %s  %s\n", d.Day, bar(d.Standings, 30), a.counts(d.Standings))
	}
	if len(p.Days) == 0 {
		fmt.Fprintln(a.out, "  Not known for this selection of devices and this period.")
	}
	a.section("Time to verified")
	for _, v := range p.Verified {
		fmt.Fprintf(a.out, "  %s  %s; half within %s, nine of ten within %s\n", v.Day,
			plural(v.Verified, "desired state", "desired states"), seconds(v.Half), seconds(v.Most))
	}
	if len(p.Verified) == 0 {
		fmt.Fprintln(a.out, "  No new desired state was verified.")
	}
	for _, part := range []func(p api.Posture) error{
		a.postureRules, a.postureOverdue, a.postureViewed, a.postureWaived, a.postureWarranted,
		a.postureChanged,
	} {
		if err := part(p); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) postureRules(p api.Posture) error {
	a.section("Findings by setting")
	return list(a, p.Rules, "  No findings.",
		column[api.RuleFindings]{title: "Setting", wrap: 2,
			value: func(r api.RuleFindings) string {
				return present.DecidedBy(cmp.Or(r.UnitTitle, r.Unit),
					r.Assignments)
			}},
		number("Opened", func(r api.RuleFindings) int { return r.Opened }),
		number("Corrected", func(r api.RuleFindings) int { return r.Corrected }),
		number("Closed", func(r api.RuleFindings) int { return r.Closed }),
		number("Open", func(r api.RuleFindings) int { return r.Open }),
		number("Waived", func(r api.RuleFindings) int { return r.Waived }),
		number("Devices", func(r api.RuleFindings) int { return r.Devices }))
}

func (a *app) postureOverdue(p api.Posture) error {
	a.section(fmt.Sprintf("Passwords overdue: %d", p.Overdue.Total))
	return list(a, p.Overdue.Items, "  None.",
		column[api.OverduePassword]{title: "Device",
			value: func(o api.OverduePassword) string { return o.Device }},
		column[api.OverduePassword]{title: "Account",
			value: func(o api.OverduePassword) string { return o.Account }},
		column[api.OverduePassword]{title: "Due",
			value: func(o api.OverduePassword) string { return a.when(o.DueAt) }})
}

func (a *app) postureViewed(p api.Posture) error {
	a.section(fmt.Sprintf("Passwords viewed: %d", p.Reveals.Total))
	return list(a, p.Reveals.Items, "  None.",
		column[api.RevealSum]{title: "By", value: func(r api.RevealSum) string { return r.Operator }},
		column[api.RevealSum]{title: "Reason", wrap: 1,
			value: func(r api.RevealSum) string { return r.Reason }},
		number("Times", func(r api.RevealSum) int { return r.Times }),
		number("Devices", func(r api.RevealSum) int { return r.Devices }),
		column[api.RevealSum]{title: "Last", value: func(r api.RevealSum) string { return a.when(r.Last) }})
}

func (a *app) postureWaived(p api.Posture) error {
	a.section(fmt.Sprintf("Waivers: %d", p.Waivers.Total))
	return list(a, p.Waivers.Items, "  None.",
		column[api.PostureWaiver]{title: "Device", value: func(w api.PostureWaiver) string { return w.Device }},
		column[api.PostureWaiver]{title: "Finding", wrap: 2,
			value: func(w api.PostureWaiver) string { return w.UnitTitle + ": " + w.Words }},
		column[api.PostureWaiver]{title: "Reason", wrap: 2,
			value: func(w api.PostureWaiver) string { return w.Reason }},
		column[api.PostureWaiver]{title: "By", wrap: 1,
			value: func(w api.PostureWaiver) string { return withApproval(w.MadeBy, w.ApprovedBy) }},
		column[api.PostureWaiver]{title: "Until",
			value: func(w api.PostureWaiver) string { return a.when(w.Until) }})
}

func (a *app) postureWarranted(p api.Posture) error {
	a.section(fmt.Sprintf("Warrants: %d", p.Warrants.Total))
	return list(a, p.Warrants.Items, "  None.",
		column[api.PostureWarrant]{title: "Who", wrap: 1,
			value: func(w api.PostureWarrant) string { return w.Principal }},
		column[api.PostureWarrant]{title: "Local group",
			value: func(w api.PostureWarrant) string { return w.UnitTitle }},
		column[api.PostureWarrant]{title: "Reason", wrap: 2,
			value: func(w api.PostureWarrant) string { return w.Reason }},
		column[api.PostureWarrant]{title: "By", wrap: 1,
			value: func(w api.PostureWarrant) string { return withApproval(w.AskedBy, w.AgreedBy) }},
		column[api.PostureWarrant]{title: "Until",
			value: func(w api.PostureWarrant) string { return a.when(w.Until) }})
}

func (a *app) postureChanged(p api.Posture) error {
	a.section(fmt.Sprintf("Changes of the organisation: %d", p.Changes.Total))
	return list(a, p.Changes.Items, "  None.",
		column[api.PostureChange]{title: "Change", value: func(c api.PostureChange) string { return c.Name }},
		column[api.PostureChange]{title: "Title", wrap: 1,
			value: func(c api.PostureChange) string { return c.Title }},
		column[api.PostureChange]{title: "State", value: func(c api.PostureChange) string { return c.State }},
		column[api.PostureChange]{title: "By", wrap: 1,
			value: func(c api.PostureChange) string { return withApproval(c.CreatedBy, c.ApprovedBy) }},
		column[api.PostureChange]{title: "When",
			value: func(c api.PostureChange) string { return a.when(c.ClosedAt) }})
}

func (a *app) section(title string) { fmt.Fprintf(a.out, "\n%s\n", title) }

func withApproval(by, approvedBy string) string {
	if approvedBy == "" {
		return by
	}
	return by + ", approved by " + approvedBy
}

// number is a column of numbers.
func number[T any](title string, of func(T) int) column[T] {
	return column[T]{title: title, right: true, value: func(item T) string { return fmt.Sprint(of(item)) }}
}

// seconds in a short form.
func seconds(s float64) string {
	switch {
	case s < 10:
		return fmt.Sprintf("%.1f s", s)
	case s < 120:
		return fmt.Sprintf("%.0f s", s)
	case s < 7200:
		return fmt.Sprintf("%.0f min", s/60)
	}
	return fmt.Sprintf("%.0f h", s/3600)
}

// counts are the standings that devices have, in words.
func (a *app) counts(s api.Standings) string {
	var words []string
	for _, p := range partsOf(s) {
		if p.n > 0 {
			words = append(words, fmt.Sprintf("%d %s", p.n, strings.ReplaceAll(p.standing, "_", " ")))
		}
	}
	return strings.Join(words, ", ")
}
