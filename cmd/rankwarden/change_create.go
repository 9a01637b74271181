package main

import (
	"errors"

	"github.com/spf13/cobra"
)

func (a *app) changeCreate() *cobra.Command {
	var title, reason string
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Start an empty change", Args: cobra.ExactArgs(1),
		Example: "  rankwarden change create longer-passwords --title \"Longer passwords at the desks\" --reason " +
			"\"audit 2026-11\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.CreateChange(cmd.Context(), args[0], title, reason)
			if err != nil {
				return err
			}
			return a.did(
				x,
				"Started the change %s. Add edits with --change %s, then run: rankwarden preview %s\n",
				x.Name,
				x.Name,
				x.Name,
			)
		},
	}
	cmd.Flags().StringVar(&title, "title", "", "`title` in a few words")
	cmd.Flags().StringVar(&reason, "reason", "", "`reason`; it is recorded in the audit trail")
	return cmd
}

func (a *app) changeEdit() *cobra.Command {
	var title, reason string
	cmd := &cobra.Command{
		Use: "edit NAME", Short: "Edit the title or the reason of a change", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		Example:           "  rankwarden change edit longer-passwords --reason \"audit 2026-11, finding 7\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if !cmd.Flags().Changed("title") && !cmd.Flags().Changed("reason") {
				return errors.New("nothing to edit: give --title or --reason")
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, err := c.Change(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if !cmd.Flags().Changed("title") {
				title = x.Title
			}
			if !cmd.Flags().Changed("reason") {
				reason = x.Reason
			}
			if x, err = c.DescribeChange(cmd.Context(), args[0], title, reason, x.Version); err != nil {
				return err
			}
			return a.did(x, "Edited the change %s.\n", x.Name)
		},
	}
	cmd.Flags().StringVar(&title, "title", "", "`title` in a few words")
	cmd.Flags().StringVar(&reason, "reason", "", "`reason`; it is recorded in the audit trail")
	return cmd
}
