package main

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) waiverCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "waiver",
		Short: "Waivers: findings that are accepted for a reason until a day",
		Long: "A waiver accepts a difference of one device until a day. The device leaves the thing alone until\n" +
			"then, and it is no drift. A waiver ends by itself, and the finding is open again if it is still\n" +
			"there.",
	}
	cmd.AddCommand(
		a.waiverList(),
		a.waiverMake(),
		a.waiverDo("end ID", "End a waiver before its day", "It has ended; the device acts on the thing again.\n",
			func(cmd *cobra.Command, c *client.Client, id string) error { return c.EndWaiver(cmd.Context(), id) }),
		a.decides(a.waiverDo("agree ID", "Agree to a waiver that somebody else asked for", "It is in effect.\n",
			func(cmd *cobra.Command, c *client.Client, id string) error {
				return a.deciding(cmd.Context(),
					c, func(c *client.Client) error { return c.DecideWaiver(cmd.Context(), id, true) })
			})),
		a.decides(a.waiverDo("refuse ID", "Refuse a waiver that waits", "It is refused.\n",
			func(cmd *cobra.Command, c *client.Client, id string) error {
				return a.deciding(cmd.Context(),
					c, func(c *client.Client) error { return c.DecideWaiver(cmd.Context(), id, false) })
			})),
	)
	return cmd
}

func (a *app) waiverList() *cobra.Command {
	var q client.WaiverQuery
	var all bool
	cmd := &cobra.Command{
		Use: "list", Short: "List waivers, the latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.Waiver], error) {
				return c.Waivers(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			if !all && q.State == "" {
				items = unended(items)
			}
			type row = api.Waiver
			return list(
				a,
				items,
				"No waivers.",
				column[row]{title: "ID", value: func(x row) string { return x.ID }},
				column[row]{title: "Device", value: func(x row) string { return x.Device }},
				column[row]{title: "Setting", value: func(x row) string { return x.UnitTitle }},
				column[row]{title: "What is accepted", wrap: 1, value: func(x row) string { return x.Words }},
				column[row]{title: "State", value: func(x row) string { return x.State }},
				column[row]{
					title: "Until",
					value: func(x row) string { return x.Until.Local().Format("2006-01-02 15:04") },
				},
				column[row]{title: "By", value: func(x row) string { return x.MadeBy }},
				column[row]{title: "Reason", wrap: 1, value: func(x row) string { return x.Reason }},
			)
		},
	}
	cmd.Flags().StringVar(&q.State, "state", "", "only those in this `state`: waiting, active or ended")
	cmd.Flags().StringVar(&q.Device, "device", "", "only those of this `device`")
	cmd.Flags().BoolVar(&q.Ending, "ending", false, "only those that end within a week")
	cmd.Flags().BoolVar(&all, "all", false, "also those that have ended")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return ofList(cmd)
}

func unended(items []api.Waiver) (left []api.Waiver) {
	for _, x := range items {
		if x.State != "ended" {
			left = append(left, x)
		}
	}
	return left
}

func (a *app) waiverMake() *cobra.Command {
	var q client.FindingQuery
	var reason, until string
	cmd := &cobra.Command{
		Use:   "make",
		Short: "Waive open findings: those of a device, a setting or a kind",
		Args:  cobra.NoArgs,
		Long: "Waive the open findings that the flags choose, at most 500. --until is a day such as 2031-05-01, or\n" +
			"a time from now such as 30d. Where a second person must agree to waivers of administrators, those\n" +
			"wait.",
		Example: `  rankwarden waiver make --device SKL-HBR-002 --setting lockout --until 30d --reason "guarded elsewhere"`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if q.Device == "" && q.Unit == "" && q.Kind == "" {
				return unusable{fmt.Errorf("say which findings: --device, --setting or --kind")}
			}
			at, err := endOf(until, a.now)
			if err != nil {
				return unusable{err}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			q.State = "open"
			items, err := client.All(501, func(p client.Page) (client.List[api.Finding], error) {
				return c.Findings(cmd.Context(), q, p)
			})
			if err != nil {
				return err
			}
			if len(items) == 0 {
				return a.did([]api.Waiver{}, "No open finding is like that; nothing was waived.\n")
			}
			ids := make([]int64, len(items))
			for i, f := range items {
				ids[i] = f.ID
			}
			made, err := c.Waive(cmd.Context(), ids, at, reason)
			if err != nil {
				return err
			}
			return a.one(made, func() error {
				for _, x := range made {
					fmt.Fprintf(
						a.out,
						"%s  %s: %s, until %s, %s\n",
						x.ID,
						x.Device,
						x.Words,
						x.Until.Local().Format("2006-01-02 15:04"),
						map[string]string{"waiting": "waits for a second person", "active": "in effect"}[x.State],
					)
				}
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.Device, "device", "", "findings of this `device`")
	f.StringVar(&q.Unit, "setting", "", "findings of this `setting`, as it is shown or written")
	f.StringVar(&q.Kind, "kind", "", "findings of this `kind`, such as member_extra")
	f.StringVar(&q.Group, "group", "", "only on devices of this `group`")
	f.StringVar(&until, "until", "", "the `day` on which it ends, or a time from now such as 30d")
	f.StringVar(&reason, "reason", "", "why it is accepted, in your own `words`")
	_ = cmd.MarkFlagRequired("until")
	_ = cmd.MarkFlagRequired("reason")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

// endOf reads a day, or a time from now in days or hours.
func endOf(s string, now time.Time) (time.Time, error) {
	if days, found := strings.CutSuffix(s, "d"); found {
		if n, err := strconv.Atoi(days); err == nil && n > 0 {
			return now.AddDate(0, 0, n), nil
		}
	}
	if d, err := time.ParseDuration(s); err == nil && d > 0 {
		return now.Add(d), nil
	}
	day, err := time.ParseInLocation(time.DateOnly, s, time.Local)
	if err != nil {
		return day, fmt.Errorf(
			"--until %q is neither a day such as 2031-05-01 nor a time from now such as 30d or 12h",
			s,
		)
	}
	return day.AddDate(0, 0, 1), nil // the whole of that day
}

func (a *app) waiverDo(
	use, short, said string, do func(cmd *cobra.Command, c *client.Client, id string) error,
) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := do(cmd, c, args[0]); err != nil {
				return err
			}
			return a.did(done{Done: strings.Fields(use)[0], Name: args[0]}, "%s", said)
		},
	}
}
