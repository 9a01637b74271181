package app

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"time"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/keyring"
)

// Warnings is the log of commands, which say by themselves how they go.
var Warnings = slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))

// newKeys is what creating keys needs of the records.
type newKeys interface {
	uow.Records
	LockServiceState(organisation string) (store.ServiceState, error)
	SetServiceState(s store.ServiceState) error
}

// CreateKeys makes the keys of a new service. It refuses when the database is already used with keys, or
// when the file is there.
func CreateKeys(ctx context.Context, c Config) error {
	db, err := OpenDatabase(ctx, c, Warnings)
	if err != nil {
		return err
	}
	defer db.Close()
	room := uow.NewRoom(
		store.For(db, func(store.Reader) any { return nil }, func(w store.Writer) newKeys { return w }),
		uow.Env{Log: Warnings, Now: time.Now},
	)
	return room.Do(ctx, uow.Upkeep(), func(tx newKeys, _ *uow.Work) error {
		state, err := tx.LockServiceState(c.Organisation)
		if err != nil {
			return err
		}
		if state.RootFingerprint != "" || state.KeyList != "" {
			return fmt.Errorf(
				"this database is used with the root key %s already, and no second one is made; give the file with "+
					"that key as --keys",
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
