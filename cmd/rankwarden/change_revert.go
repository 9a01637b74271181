package main

import (
	"github.com/spf13/cobra"
)

func (a *app) changeRevert() *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use:   "revert NAME",
		Short: "Draft the opposite of a change that went out",
		Long: "Draft a change that takes back what another one did: the revision, the aim and the group as they " +
			"were\n" +
			"before it. It is looked at and goes out like any other. Where somebody edited the same things since, " +
			"the\n" +
			"draft is based on what they are now, so look at its preview. A rollout that is on its way is taken " +
			"back\n" +
			"with: rankwarden rollout revert NAME.",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.RevertChange(cmd.Context(), args[0], reason)
			if err != nil {
				return err
			}
			return a.did(x, "Drafted %s with %s. Look at it with: rankwarden preview %s\n", x.Name,
				plural(len(x.Edits), "edit", "edits"), x.Name)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "`reason`, for whoever approves it")
	return cmd
}
