package app

import (
	"context"
	"fmt"
	"log/slog"

	"rankwarden.example/internal/store"
)

// Migrate brings the schema up to date. Where another role owns it than the one that the service runs as, that one is
// given its rights, which do not reach to changing what is on the trail.
func Migrate(ctx context.Context, c Config, log *slog.Logger) error {
	url := c.Database
	if c.MigrateDatabase != "" {
		url = c.MigrateDatabase
	}
	owner, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer owner.Close()
	if err := owner.CheckSessions(ctx); err != nil {
		return err
	}
	if err := owner.Migrate(ctx, log); err != nil {
		return err
	}
	if c.MigrateDatabase == "" {
		return nil
	}
	role, err := store.RoleOf(c.Database)
	if err != nil {
		return err
	}
	return owner.Grant(ctx, role)
}

// OpenDatabase brings the schema up to date, and opens the database as the service runs.
func OpenDatabase(ctx context.Context, c Config, log *slog.Logger) (*store.Store, error) {
	if c.MigrateDatabase != "" {
		if err := Migrate(ctx, c, log); err != nil {
			return nil, err
		}
	}
	db, err := store.Open(ctx, c.Database)
	if err != nil {
		return nil, err
	}
	if err = db.CheckSessions(ctx); err == nil && c.MigrateDatabase == "" {
		err = db.Migrate(ctx, log) // finds nothing to do where another role did it
	}
	if err != nil {
		db.Close()
		if store.FaultOf(err) == store.ReadOnly {
			err = fmt.Errorf("%w: %s", store.ErrNoWrites, store.WhyNoWrites(err))
		}
		return nil, err
	}
	return db, nil
}
