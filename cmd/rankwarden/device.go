package main

import (
	"cmp"
	"context"
	"time"

	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) deviceCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "device", Short: "Devices: desired and reported settings, and who decided them"}
	cmd.AddCommand(
		a.deviceList(),
		a.deviceShow(),
		a.deviceHistory(),
		a.devicePeople(),
		a.deviceSet(),
		a.deviceFacts(),
		a.deviceAdministrators(),
		a.deviceDecide(
			"accept",
			"Accept a device that waits for an owner; one that it claims to be is retired",
			"Accepted %s.\n",
		),
		a.deviceDecide("refuse", "Refuse a device that waits for an owner", "Refused %s.\n"),
		a.deviceRetire(),
		a.deviceDecide(
			"return",
			"Take a retired device back; its passwords are changed as soon as it checks in",
			"Took %s back.\n",
		),
		a.deviceHandover(),
		a.deviceVerifyHandover(),
	)
	return cmd
}

func (a *app) deviceList() *cobra.Command {
	var q client.DeviceQuery
	var most int
	cmd := &cobra.Command{
		Use: "list", Short: "List devices by name", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			q.Standing = strings.ReplaceAll(q.Standing, " ", "_")
			items, err := atMost(
				most,
				func(p client.Page) (client.List[api.Device], error) { return c.Devices(cmd.Context(), q, p) },
			)
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No device matches.",
				column[api.Device]{title: "Device", value: func(d api.Device) string { return d.Name }},
				column[api.Device]{
					title: "Standing",
					value: func(d api.Device) string { return a.standing(d.Standing) },
					paint: func(d api.Device) text.Colors { return paint(d.Standing) },
				},
				column[api.Device]{
					title: "Findings",
					right: true,
					value: func(d api.Device) string { return strconv.Itoa(d.OpenFindings) },
				},
				column[api.Device]{
					title: "Desired",
					right: true,
					value: func(d api.Device) string { return strconv.FormatInt(d.Desired, 10) },
				},
				column[api.Device]{
					title: "Reported",
					right: true,
					value: func(d api.Device) string { return strconv.FormatInt(d.Reported, 10) },
				},
				column[api.Device]{
					title: "System",
					value: func(d api.Device) string { return d.Platform + " " + d.OSVersion },
				},
				column[api.Device]{
					title: "Last contact",
					value: func(d api.Device) string { return a.whenever(d.LastContact) },
				},
				column[api.Device]{title: "Verified", value: func(d api.Device) string {
					switch {
					case d.VerifiedAt != nil:
						return a.when(*d.VerifiedAt)
					case d.Desired == d.Reported:
						return "no"
					}
					return "not yet"
				}},
			)
		},
	}
	f := cmd.Flags()
	f.StringVar(&q.Search, "search", "", "`text` in a name, serial, model, system, path, tag or primary user, or the\n"+
		"beginning of an account's name")
	f.StringVar(&q.Standing, "standing", "", "`standing`: in_step, drifted, waiting, held or silent")
	f.StringVar(&q.Group, "group", "", "only devices in this `group`")
	f.StringVar(&q.State, "state", "", "`state`: live (default), claiming, refused or retired")
	f.StringVar(&q.Unknown, "unknown-accounts", "",
		"only with accounts that no policy manages: some or `privileged`")
	f.IntVar(&most, "most", 0, "list at most this `number`; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("standing", cobra.FixedCompletions(
		[]string{"in_step", "drifted", "waiting", "held", "silent"},
		cobra.ShellCompDirectiveNoFileComp,
	))
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

func (a *app) deviceShow() *cobra.Command {
	var group, at string
	var most int
	cmd := &cobra.Command{
		Use:               "show DEVICE",
		Short:             "Show one device: desired, reported and decided by, for every setting",
		ValidArgsFunction: a.completeDevices,
		Long: "Show one device: desired, reported and decided by, for every setting. With --group, show " +
			"the devices of a\ngroup, each with the settings that differ. With --at, show it as it was: what it was " +
			"to have, what it had\nreported by then, and which assignments decided.",
		Example: "  rankwarden device show SKL-TKT-001\n  rankwarden device show SKL-TKT-001 --at 2031-03-04",
		Args: func(cmd *cobra.Command, args []string) error {
			if group != "" {
				return cobra.NoArgs(cmd, args)
			}
			return cobra.ExactArgs(1)(cmd, args)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if group != "" {
				return a.showGroup(cmd.Context(), c, group, most)
			}
			w, err := a.whyAt(cmd.Context(), c, args[0], at)
			if err != nil {
				return err
			}
			if a.output == "csv" {
				return a.units(w)
			}
			return a.one(w, func() error { return a.device(w) })
		},
	}
	f := cmd.Flags()
	f.StringVar(&group, "group", "", "the devices of this `group`")
	f.StringVar(&at, "at", "", "as it was at this `time`: 3d, 2031-03-04 or 2031-03-04T06:00:00Z")
	f.IntVar(&most, "most", 20, "with --group: show at most this `number`; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

// whyAt explains a device, as it was at a time when one is given.
func (a *app) whyAt(ctx context.Context, c *client.Client, device, at string) (api.DeviceWhy, error) {
	then, err := pointInTime("at", at, time.Now())
	switch {
	case err != nil:
		return api.DeviceWhy{}, err
	case then.IsZero():
		return c.Why(ctx, device)
	}
	return c.WhyAt(ctx, device, then)
}

func (a *app) device(w api.DeviceWhy) error {
	a.deviceHead(w)
	if whole, _ := splitProblems(w.Problems); len(whole) > 0 {
		a.deviceProblems(whole)
		fmt.Fprintln(a.out)
	}
	return a.units(w)
}

// deviceHead prints what is known of a device before its settings: facts, standing, desired and reported numbers.
func (a *app) deviceHead(w api.DeviceWhy) {
	d := w.Device
	standing := mark(d.Standing)
	if d.OpenFindings > 0 {
		standing += ", " + plural(d.OpenFindings, "finding", "findings")
	}
	fmt.Fprintf(a.out, "%s  %s\n", text.Bold.Sprint(d.Name), paint(d.Standing).Sprint(standing))
	verified := "not reported back yet"
	switch {
	case d.VerifiedAt != nil:
		verified = "verified " + a.when(*d.VerifiedAt)
	case d.ReportedAt != nil && d.Desired == d.Reported:
		verified = "reported back " + a.when(*d.ReportedAt) + ", not verified"
	}
	system := d.Platform + " " + cmp.Or(d.OSVersion, "of an unknown version")
	if w.At != nil {
		reported := "nothing reported by then"
		if d.ReportedAt != nil {
			reported = "reported " + d.ReportedAt.Local().Format(time.DateTime)
		}
		fmt.Fprintf(
			a.out,
			"As it was at %s. Desired state %d of %s, %s.\n\n",
			w.At.Local().Format(time.DateTime),
			d.Desired,
			d.DesiredAt.Local().Format(time.DateTime),
			reported,
		)
		return
	}
	what := []string{system}
	if d.Model != "" {
		what = append([]string{d.Model}, what...)
	}
	if d.AgentVersion != "" {
		what = append(what, "agent "+d.AgentVersion)
	}
	fmt.Fprintf(
		a.out,
		"%s. Last contact %s. Desired state %d, %s.\n\n",
		strings.Join(what, ", "),
		a.whenever(d.LastContact),
		d.Desired,
		verified,
	)
	for _, note := range w.Notes {
		fmt.Fprintf(a.out, "%s\n\n", text.FgYellow.Sprint(a.wrapped("! "+note, 2)))
	}
}

// units prints asked, has and why for every unit.
func (a *app) units(w api.DeviceWhy) error {
	return list(
		a,
		w.Units,
		"No assignment applies to this device.",
		column[api.UnitWhy]{
			title: "",
			value: func(u api.UnitWhy) string { return sign(u) },
			paint: func(u api.UnitWhy) text.Colors {
				switch {
				case u.Held != "":
					return text.Colors{text.FgMagenta}
				case cannotCarry(u):
					return nil
				case len(u.Findings) > 0:
					return text.Colors{text.FgRed}
				}
				return text.Colors{text.FgGreen}
			},
		},
		column[api.UnitWhy]{title: "Setting", value: func(u api.UnitWhy) string { return u.Title }},
		column[api.UnitWhy]{title: "Desired", wrap: 3, value: func(u api.UnitWhy) string { return u.Desired }},
		column[api.UnitWhy]{title: "Reported", wrap: 4, value: func(u api.UnitWhy) string {
			if len(u.Findings) == 0 {
				return u.Reported
			}
			return strings.Join(namesOf(u.Findings, func(f api.UnitFinding) string {
				if f.Waived != nil {
					return "waived until " + f.Waived.Local().Format(time.DateOnly) + ": " + f.Words
				}
				return f.Words
			}), "; ")
		}},
		column[api.UnitWhy]{title: "Decided by", wrap: 3, value: func(u api.UnitWhy) string {
			if u.Held != "" {
				return "held: " + u.DecidedBy + "; " + u.Held
			}
			if u.Rank > 0 {
				return fmt.Sprintf("rank %d: %s", u.Rank, u.DecidedBy)
			}
			return u.DecidedBy
		}},
	)
}

// sign marks how a setting stands: held, not supported, different, in step, or not compared yet.
func sign(u api.UnitWhy) string {
	switch {
	case u.Held != "":
		return "▮▮"
	case cannotCarry(u):
		return "–"
	case len(u.Findings) > 0:
		return "◆"
	case u.InStep:
		return "✓"
	}
	return "◔"
}

func (a *app) deviceDecide(decision, short, said string) *cobra.Command {
	return &cobra.Command{
		Use: decision + " DEVICE", Short: short, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.Decide(cmd.Context(), args[0], decision); err != nil {
				return err
			}
			return a.did(done{decision, args[0]}, said, args[0])
		},
	}
}

func (a *app) completeDevices(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Devices(cmd.Context(), client.DeviceQuery{Search: typed}, client.Page{Limit: 100})
		return namesOf(page.Items, func(d api.Device) string { return d.Name }), err
	})
}

// cannotCarry reports whether nothing is wrong with a unit but what the platform cannot carry, somebody accepted, or
// only is ahead.
func cannotCarry(u api.UnitWhy) bool {
	return len(u.Findings) > 0 &&
		!slices.ContainsFunc(
			u.Findings,
			func(f api.UnitFinding) bool { return f.Drifts && f.Waived == nil },
		)
}
