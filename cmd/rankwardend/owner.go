package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/base/auth"
)

func ownerCommand() *cobra.Command {
	cmd := localFlags(
		&cobra.Command{Use: "owner", Short: "Get back in on the service's machine when no owner can sign in"},
	)
	cmd.AddCommand(ownerReset(), ownerSeal())
	return cmd
}

func ownerReset() *cobra.Command {
	var path string
	cmd := &cobra.Command{
		Use:   "reset NAME",
		Short: "Give an operator a new password and the owner's role; one that does not exist is added",
		Args:  cobra.ExactArgs(1),
		Long: "Give an operator a new password and the owner's role, and let the operator sign in again. Sessions\n" +
			"and tokens of the operator end. The password is written to --password-file, which must not exist\n" +
			"yet; it is never printed.",
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			password := auth.NewPassword()
			if err := writePassword(path, password); err != nil {
				return err
			}
			if err := d.Access.ResetOwner(ctx, d.who, args[0], password); err != nil {
				return errors.Join(err, os.Remove(path))
			}
			fmt.Fprintf(d.out, "%s is an owner, and the password is in %s.\n", args[0], path)
			return nil
		}),
	}
	cmd.Flags().StringVar(&path, "password-file", "rankwarden-owner-password", "`file` to write the new password to")
	return cmd
}

// ownerSeal makes the owner whose password lies in an envelope.
func ownerSeal() *cobra.Command {
	var path string
	cmd := &cobra.Command{
		Use:   "seal NAME",
		Short: "Make the owner for the day on which nobody else gets in; its use is an alarm",
		Args:  cobra.ExactArgs(1),
		Long: "Make an owner for the day on which nobody else gets in, such as when the identity provider is down.\n" +
			"The password is written to --password-file: put it on paper into an envelope, seal that, and delete\n" +
			"the file. Such an owner signs in without a second factor, and whenever that happens Watch says so\n" +
			"until the owner is sealed anew, which is done with the same command and gives another password.",
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			password := auth.NewPassword()
			if err := writePassword(path, password); err != nil {
				return err
			}
			if err := d.Access.SealOwner(ctx, d.who, args[0], password); err != nil {
				return errors.Join(err, os.Remove(path))
			}
			fmt.Fprintf(
				d.out,
				"%s is sealed, and the password is in %s. Put it on paper into an envelope, and delete the file.\n",
				args[0],
				path,
			)
			return nil
		}),
	}
	cmd.Flags().StringVar(&path, "password-file", "rankwarden-sealed-password", "`file` to write the password to")
	return cmd
}
