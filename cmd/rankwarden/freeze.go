package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) freezeCommand() *cobra.Command {
	var rollouts, all bool
	var reason string
	cmd := &cobra.Command{
		Use:   "freeze --rollouts|--all --reason TEXT",
		Short: "Stop all rollouts, or all settling too, everywhere and at once", Args: cobra.NoArgs,
		Long: "Stop all rollouts, or all settling too, on every replica and for every device, until rankwarden\n" +
			"thaw.\n\n" +
			"With --rollouts no wave opens, and no rollout starts, resumes or ends. With --all, in addition no\n" +
			"device gets another desired state: edits are accepted, and wait. Devices keep enforcing what they\n" +
			"have, change passwords when they are due, and passwords can be viewed. Everybody is told, with the\n" +
			"reason.",
		Example: "  rankwarden freeze --rollouts --reason \"the ferry season opens tomorrow\"\n  rankwarden freeze " +
			"--all --reason \"incident 4711\"",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			what := api.NewFreeze{What: "rollouts", Reason: reason}
			if all {
				what.What = "all"
			}
			f, err := c.Freeze(cmd.Context(), what)
			if err != nil {
				return err
			}
			return a.did(f, "Frozen: %s. To go on: rankwarden thaw\n", freezeWords[f.What])
		},
	}
	f := cmd.Flags()
	f.BoolVar(&rollouts, "rollouts", false, "no wave opens, and no rollout starts, resumes or ends")
	f.BoolVar(&all, "all", false, "that, and no device gets another desired state")
	f.StringVar(&reason, "reason", "", "why, as `text` for everybody")
	cmd.MarkFlagsMutuallyExclusive("rollouts", "all")
	cmd.MarkFlagsOneRequired("rollouts", "all")
	_ = cmd.MarkFlagRequired("reason")
	return cmd
}

var freezeWords = map[string]string{"rollouts": "rollouts", "all": "settling and rollouts"}

func (a *app) thawCommand() *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use: "thaw", Short: "Let everything that is frozen go on", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.Thaw(cmd.Context(), reason); err != nil {
				return err
			}
			_, err = fmt.Fprintln(a.out, "Settling and rollouts go on.")
			return err
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why, as `text` for everybody")
	return cmd
}
