package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// RoleOf is the database role in a PostgreSQL URL.
func RoleOf(url string) (string, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil || config.ConnConfig.User == "" {
		return "", errors.New("the database URL names no role; write postgres://USER@HOST:PORT/NAME")
	}
	return config.ConnConfig.User, nil
}

// appendOnly are the tables that the service adds to, and never changes.
var appendOnly = []string{"audit_entries", "checkpoints"}

// Grant gives a role what the service does with the schema, and no more: it can neither alter the schema nor change or
// delete what is on the trail. The store must be open as the role that owns the schema.
func (s *Store) Grant(ctx context.Context, role string) error {
	name := pgx.Identifier{role}.Sanitize()
	statements := []string{
		"grant usage on schema public to " + name,
		"grant select, insert, update, delete on all tables in schema public to " + name,
		"grant usage, select on all sequences in schema public to " + name,
		"grant execute on all functions in schema public to " + name,
		"revoke insert, update, delete on goose_db_version, river_migration from " + name,
	}
	for _, table := range appendOnly {
		statements = append(statements, "revoke update, delete, truncate on "+table+" from "+name)
	}
	for _, statement := range statements {
		if _, err := s.jobs.Exec(ctx, statement); err != nil {
			return fmt.Errorf("giving the database role %s its rights: %w", role, err)
		}
	}
	return nil
}
