package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) changeApply() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "apply NAME",
		Short: "Apply a change to all devices at once, after its preview",
		Args:  cobra.ExactArgs(1),
		Long: "Print the preview of a change, ask, and make all of its edits for all devices at once. When it would\n" +
			"do something else by then, nothing is done. Where a second person must approve, the change waits for\n" +
			"one, and is applied with the same command afterwards.",
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, p, err := a.readPreview(cmd.Context(), c, args[0])
			if err != nil {
				return err
			}
			if a.door.expect == "" && !a.door.yes {
				if err := confirm(fmt.Sprintf("Apply %s to all devices at once? [y/N] ", x.Name)); err != nil {
					return err
				}
			}
			var is api.ChangeDetail
			err = a.edited(cmd.Context(), c, func() error {
				is, err = c.ApplyChange(cmd.Context(), x.Name, cmp.Or(a.door.expect, p.Digest))
				return err
			})
			if err != nil {
				return err
			}
			if is.State == "waiting" || is.State == "draft" {
				return a.notYet(is)
			}
			return a.did(is, "Applied %s to all devices at once. See: rankwarden watch\n", is.Name)
		},
	}
	return a.atTheDoor(cmd)
}

// notYet says of a change that nothing was done yet, and why; the exit status says so as well.
func (a *app) notYet(x api.ChangeDetail) error {
	var err error
	if x.State == "draft" {
		err = a.did(
			x,
			"The approval of %s has lapsed: it would do something else by now. Run this command again.\n",
			x.Name,
		)
	} else {
		err = a.did(x, "%s waits for a second person, who looks at it with: rankwarden preview %s\nand then runs: "+
			"rankwarden change approve %s\nWhy: %s\n", x.Name, x.Name, x.Name, strings.Join(x.Needs, "; "))
	}
	return cmp.Or(err, errWaits)
}

// readPreview reads a change and its preview, and prints the preview for a reader, who is asked about it next.
func (a *app) readPreview(
	ctx context.Context, c *client.Client, name string,
) (x api.ChangeDetail, p api.Preview, err error) {
	if x, err = c.Change(ctx, name); err != nil {
		return x, p, err
	}
	if p, err = c.PreviewChange(ctx, name); err != nil {
		return x, p, err
	}
	if a.output == "table" {
		a.previewed(x.Name+": "+plural(len(x.Edits), "edit", "edits"), p)
		fmt.Fprintln(a.out)
	}
	return x, p, nil
}

// errNotConfirmed ends a command whose question was answered with no.
var errNotConfirmed = errors.New("nothing was done")

// confirm asks at the terminal; anything but y or yes is a no.
func confirm(question string) error {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return unusable{errors.New("there is no terminal to ask at; use --yes")}
	}
	answer, err := askLine(question)
	if err != nil {
		return err
	}
	if answer = strings.ToLower(strings.TrimSpace(answer)); answer != "y" && answer != "yes" {
		return errNotConfirmed
	}
	return nil
}

func (a *app) changeApprove() *cobra.Command {
	var yes bool
	var reason string
	cmd := &cobra.Command{
		Use:               "approve NAME",
		Short:             "Approve a change that somebody else wrote, after its preview",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			x, p, err := a.readPreview(cmd.Context(), c, args[0])
			if err != nil {
				return err
			}
			if !yes {
				if err := confirm(fmt.Sprintf("Approve %s, which %s asked for? [y/N] ", x.Name,
					x.AskedBy)); err != nil {
					return err
				}
			}
			var is api.ChangeDetail
			err = a.deciding(cmd.Context(), c, func(c *client.Client) (err error) {
				is, err = c.DecideChange(cmd.Context(), x.Name, true, reason, p.Digest)
				return err
			})
			if err != nil {
				return err
			}
			if is.State != "approved" {
				if err := a.did(is, "The approval of %s has lapsed: it would do something else by now.\n",
					is.Name); err != nil {
					return err
				}
				return errNo
			}
			return a.did(is, "Approved %s. It is applied with: rankwarden change apply %s\n", is.Name, is.Name)
		},
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	cmd.Flags().StringVar(&reason, "reason", "", "`reason` for it")
	return a.decides(cmd)
}

func (a *app) changeRefuse() *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use:               "refuse NAME",
		Short:             "Refuse a change that waits for approval; it is a draft again",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeChanges,
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.TrimSpace(reason) == "" {
				return unusable{errors.New("say why with --reason, for its authors")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			var is api.ChangeDetail
			err = a.deciding(cmd.Context(), c, func(c *client.Client) (err error) {
				is, err = c.DecideChange(cmd.Context(), args[0], false, reason, "")
				return err
			})
			if err != nil {
				return err
			}
			return a.did(is, "Refused %s. It is a draft again.\n", is.Name)
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "`reason`, for its authors")
	return a.decides(cmd)
}
