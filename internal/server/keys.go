package server

import (
	"context"
	"fmt"
	"log/slog"

	"rankwarden.example/internal/keyring"
	"rankwarden.example/internal/store"
)

// CreateKeys makes the keys of a new service. It refuses when the database is already used with keys, or
// when the file is there.
func CreateKeys(ctx context.Context, c Config) error {
	db, err := OpenDatabase(ctx, c, slog.Default())
	if err != nil {
		return err
	}
	defer db.Close()
	return db.InTx(ctx, func(tx store.Tx) error {
		state, err := tx.LockServiceState(c.Organisation)
		if err != nil {
			return err
		}
		if state.RootFingerprint != "" || state.KeyList != "" {
			return fmt.Errorf(
				"this database is used with the root key %s already, and no second one is made; give the file with that key as "+
					"--keys",
				state.RootFingerprint,
			)
		}
		keys, err := keyring.Create(c.Keys)
		if err != nil {
			return err
		}
		state.RootFingerprint = keys.Root.ID
		return tx.SetServiceState(state)
	})
}
