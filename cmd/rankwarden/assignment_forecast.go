package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
)

func (a *app) assignmentForecast() *cobra.Command {
	return &cobra.Command{
		Use: "forecast NAME", Short: "Show what an assignment on trial would do if it were enforced",
		Args: cobra.ExactArgs(1),
		Long: "Show what an assignment on trial would do over the fleet if it were enforced, in the words of a\n" +
			"preview. To make it real: rankwarden assignment set NAME --stance enforce --change CHANGE\n\n" +
			"Exit status: 0 nobody would lose access; 1 somebody would, or a setting would become held.",
		Example: "  rankwarden assignment forecast lockout-trial",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Assignment(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if x.Stance != "trial" {
				return unusable{
					fmt.Errorf("the assignment %s is enforced already; only one on trial has a forecast", x.Name),
				}
			}
			aim := aimOf(x)
			aim.Stance = "enforce"
			p, err := c.PreviewEdits(cmd.Context(), []api.ChangeEdit{
				{Kind: "assign", Name: x.Name, BasedOn: x.Version, Assignment: &aim},
			})
			if err != nil {
				return err
			}
			err = a.one(p, func() error { a.previewed("If "+x.Name+" were enforced", p); return nil })
			if err == nil && p.TakesAway {
				err = errNo
			}
			return err
		},
	}
}
