package main

import (
	"github.com/spf13/cobra"
)

func (a *app) policyDelete() *cobra.Command {
	return &cobra.Command{
		Use: "delete NAME", Short: "Delete a policy that nothing uses, with its revisions", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completePolicies,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			p, err := c.Policy(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if err := c.DeletePolicy(cmd.Context(), p.Name, p.Version); err != nil {
				return err
			}
			return a.did(done{"deleted", p.Name}, "Deleted the policy %s and its revisions.\n", p.Name)
		},
	}
}
