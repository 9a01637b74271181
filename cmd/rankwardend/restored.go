package main

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"
)

func restoredCommand() *cobra.Command {
	return localFlags(&cobra.Command{
		Use: "restored", Short: "Say that the database came back from a backup", Args: cobra.NoArgs,
		Long: "Say that the database came back from a backup, before the service starts on it. A new epoch begins,\n" +
			"signed by the root key: devices are told anew under numbers that were never used, and give the\n" +
			"service again the sealed passwords that the backup lacks.",
		RunE: locally(func(ctx context.Context, d localAdmin, _ []string) error {
			epoch, err := d.Passwords.BeginEpoch(ctx)
			if err != nil {
				return err
			}
			fmt.Fprintf(
				d.out,
				"Epoch %d has begun. Start the service; devices give back what it lacks as they check in.\n",
				epoch,
			)
			return nil
		}),
	})
}
