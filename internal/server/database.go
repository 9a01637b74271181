package server

import (
	"context"

	"rankwarden.example/internal/store"
)

// Migrate brings the schema up to date. Where another role owns it than the one that the service runs as, that one is
// given its rights, which do not reach to changing what is on the trail.
func Migrate(ctx context.Context, c Config) error {
	url := c.Database
	if c.MigrateDatabase != "" {
		url = c.MigrateDatabase
	}
	owner, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer owner.Close()
	if err := owner.Migrate(ctx); err != nil {
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
func OpenDatabase(ctx context.Context, c Config) (*store.Store, error) {
	if c.MigrateDatabase != "" {
		if err := Migrate(ctx, c); err != nil {
			return nil, err
		}
	}
	db, err := store.Open(ctx, c.Database)
	if err != nil || c.MigrateDatabase != "" {
		return db, err
	}
	if err := db.Migrate(ctx); err != nil { // finds nothing to do where another role did it
		db.Close()
		return nil, err
	}
	return db, nil
}
