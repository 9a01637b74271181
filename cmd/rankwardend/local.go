package main

import (
	"context"
	"io"
	"log/slog"
	"os/user"
	"time"

	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
)

// desk is the service's database and keys in the hands of who works on its machine.
type localAdmin struct {
	*app.Rooms
	who    rights.Identity
	escrow string // file of the private escrow keys
	out    io.Writer
	err    io.Writer
}

// locally runs do with the database and keys that the options name.
func locally(do func(ctx context.Context, d localAdmin, args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		k, err := options(cmd.Flags())
		if err != nil {
			return err
		}
		keys, err := keyring.Load(k.String("keys"))
		if err != nil {
			return err
		}
		db, err := app.OpenDatabase(cmd.Context(), databaseOf(k), app.Warnings)
		if err != nil {
			return err
		}
		defer db.Close()
		path := k.String("escrow-keys")
		opened, err := app.OpenRooms(
			cmd.Context(),
			app.RoomOptions{Store: db, Keys: keys, Hub: &notices.Hub{}, Log: slog.New(slog.DiscardHandler),
				Now: time.Now,
				Organisation: k.String(
					"organisation",
				), OpenEscrow: func() (escrow.Opener, error) { return escrow.ReadRing(path) }},
		)
		if err != nil {
			return err
		}
		name := "unknown"
		if u, err := user.Current(); err == nil {
			name = u.Username
		}
		return do(cmd.Context(), localAdmin{opened, uow.Console(name), path, cmd.OutOrStdout(), cmd.ErrOrStderr()},
			args)
	}
}

// databaseOf names the database, as the service runs and as the role that owns its schema.
func databaseOf(k *koanf.Koanf) app.Config {
	return app.Config{Database: k.String("database"), MigrateDatabase: k.String("migrate-database")}
}

func localFlags(cmd *cobra.Command) *cobra.Command {
	f := cmd.PersistentFlags()
	f.String("config", "", "`file` with options, in YAML")
	f.String("database", "", "PostgreSQL `URL`, postgres://USER@HOST:PORT/NAME")
	f.String("migrate-database", "", "the same as the role that owns the schema, `URL`")
	f.String("keys", "rankwarden-keys.json", "`file` of the service's private keys, mode 0600")
	f.String("escrow-keys", "rankwarden-escrow-keys.json", "`file` of the private escrow keys, mode 0600")
	f.String("organisation", "My organisation", "`name` that operators see")
	return cmd
}
