package main

import (
	"fmt"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) brakeCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "brake",
		Short: "The brake: imports, rules and changes of facts that would alter so much that they wait for a decision",
		Long: "An import, a rule of a group or a change of facts acts without a rollout. Where one would alter the\n" +
			"desired state of more devices than the service allows, nothing of it is done: it waits until\n" +
			"somebody releases or refuses it.",
	}
	cmd.AddCommand(a.brakeList(), a.brakeShow(), a.brakeDecide("release", true), a.brakeDecide("refuse", false))
	return cmd
}

func (a *app) brakeList() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use: "list", Short: "List what waits, the latest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.Held], error) {
				return c.Brakes(cmd.Context(), all, p)
			})
			if err != nil {
				return err
			}
			type row = api.Held
			return list(
				a,
				items,
				"The brake holds nothing.",
				column[row]{title: "ID", value: func(x row) string { return x.ID }},
				column[row]{title: "State", value: func(x row) string { return x.State }},
				column[row]{title: "What it would do", wrap: 1, value: func(x row) string { return x.Words }},
				column[row]{title: "Asked", value: func(x row) string { return a.sometime(&x.AskedAt, "") }},
				column[row]{title: "By", value: func(x row) string { return x.AskedBy }},
				column[row]{title: "Decided by", value: func(x row) string { return x.DecidedBy }},
			)
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "also what was decided")
	return ofList(cmd)
}

func (a *app) brakeShow() *cobra.Command {
	return &cobra.Command{
		Use: "show ID", Short: "Show what waits, and what it would do", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeBrakes,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			h, err := c.Brake(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return a.one(h, func() error {
				fmt.Fprintf(
					a.out,
					"%s\nasked by %s %s; %s",
					text.Bold.Sprint(h.Words),
					h.AskedBy,
					a.sometime(&h.AskedAt, ""),
					h.State,
				)
				if h.DecidedBy != "" {
					fmt.Fprintf(a.out, " by %s: %s", h.DecidedBy, h.Reason)
				}
				fmt.Fprintln(a.out)
				for _, why := range h.Needs {
					fmt.Fprintf(a.out, "Somebody else must release it: %s.\n", why)
				}
				if err := a.altered(h.Alters); err != nil {
					return err
				}
				if more := h.Altering - len(h.Alters); more > 0 && len(h.Alters) > 0 {
					fmt.Fprintf(a.out, "and %d more\n", more)
				}
				if len(h.Sums) > 0 || len(h.Needs) == 0 {
					a.sums(h.Sums)
				}
				return nil
			})
		},
	}
}

func (a *app) brakeDecide(use string, release bool) *cobra.Command {
	var reason string
	short := "Refuse what waits: it is never done"
	if release {
		short = "Release what waits: it is done now, for all of its devices"
	}
	cmd := &cobra.Command{
		Use: use + " ID", Short: short, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeBrakes,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			var h api.Held
			err = a.deciding(cmd.Context(), c, func(c *client.Client) (err error) {
				h, err = c.DecideBrake(cmd.Context(), args[0], release, reason)
				return err
			})
			if err != nil {
				return err
			}
			return a.did(h, "It is %s: %s.\n", h.State, h.Words)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why, in your own `words`")
	_ = cmd.MarkFlagRequired("reason")
	return a.decides(cmd)
}

func (a *app) completeBrakes(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.complete(func(c *client.Client) ([]string, error) {
		page, err := c.Brakes(cmd.Context(), false, client.Page{Limit: 100})
		return namesOf(page.Items, func(x api.Held) string { return x.ID }), err
	})
}
