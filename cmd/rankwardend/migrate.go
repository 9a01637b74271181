package main

import (
	"fmt"
	"log/slog"

	"github.com/spf13/cobra"

	"rankwarden.example/internal/app"
)

// migrateCommand brings the schema up to date without starting the service, for who owns the database.
func migrateCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "migrate", Short: "Bring the database up to date, and give the service's role its rights",
		Args: cobra.NoArgs,
		Long: "Bring the database up to date. With --migrate-database, the role that owns the schema does it, and\n" +
			"the role of --database is given what the service does and no more: it can add to the audit trail,\n" +
			"and change nothing on it.\n\n" +
			"The service does the same when it starts with --migrate-database. Without it there, the service\n" +
			"never has the right to alter the schema, and whoever owns the database runs this before each new\n" +
			"version.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			k, err := options(cmd.Flags())
			if err != nil {
				return err
			}
			if err := app.Migrate(cmd.Context(), databaseOf(k), slog.Default()); err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), "The database is up to date.")
			return err
		},
	}
	f := cmd.Flags()
	f.String("config", "", "`file` with options, in YAML")
	f.String("database", "", "PostgreSQL `URL` of the service, postgres://USER@HOST:PORT/NAME")
	f.String("migrate-database", "", "the same as the role that owns the schema, `URL`")
	return cmd
}
