// Command rankwardend is the service of Rank Warden.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"rankwarden.example/internal/kit/manual"
	"rankwarden.example/internal/kit/version"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/face/httpapi"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := root().ExecuteContext(ctx)
	stop()
	if err != nil {
		fmt.Fprintln(os.Stderr, "rankwardend:", err)
		os.Exit(1)
	}
}

func root() *cobra.Command {
	cmd := &cobra.Command{
		Version: version.Long(),
		Use:     "rankwardend", Short: "The service of Rank Warden: central account policies for fleets of " +
			"workstations",
		SilenceUsage: true, SilenceErrors: true,
	}
	cmd.AddCommand(
		serveCommand(),
		checkCommand(),
		migrateCommand(),
		keysCommand(),
		ownerCommand(),
		restoredCommand(),
		recoverCommand(),
		answerCommand(),
		demoCommand(),
		openapiCommand(),
	)
	manual.AddTo(cmd)
	return cmd
}

func openapiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Print the OpenAPI document of the operators' interface", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			data, err := httpapi.Description()
			if err != nil {
				return fmt.Errorf("describing the interface: %w", err)
			}
			_, err = cmd.OutOrStdout().Write(append(data, '\n'))
			return err
		},
	}
}
