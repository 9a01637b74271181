package main

import (
	"cmp"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) warrantExtend() *cobra.Command {
	var lasts time.Duration
	var reason string
	cmd := &cobra.Command{
		Use: "extend ID", Short: "Ask for a warrant like another one, from now on", Args: cobra.ExactArgs(1),
		Long: "Ask for a warrant like another one, from now on: the same principal, local group and devices. It is " +
			"a new\n" +
			"warrant, and somebody agrees to it where somebody would to the first; where both run, the later end\n" +
			"holds.\n\n" +
			"Exit status: 0 it runs or will, 6 it waits for somebody to agree.",
		Example: `  rankwarden warrant extend 01KQ3V… --for 1h --reason "not done yet"`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			w, err := c.Warrant(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			spec := api.WarrantSpec{Principal: w.Principal, LocalGroup: strings.TrimPrefix(w.Unit, "membership."),
				Minutes: int(lasts.Minutes()), Reason: cmp.Or(reason, w.Reason), Ticket: w.Ticket, Despite: w.Despite,
				EndSessions: w.EndSessions}
			if w.Group != "" {
				spec.Group = w.Group
			} else {
				spec.Devices = w.Devices
			}
			return a.askWarrant(cmd.Context(), c, spec)
		},
	}
	cmd.Flags().DurationVar(&lasts, "for", time.Hour, "how `long` it holds from now, such as 45m or 2h")
	cmd.Flags().StringVar(&reason, "reason", "", "why, in your own `words`; that of the other one where left out")
	return cmd
}
