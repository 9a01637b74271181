package store

import (
	"context"
	"io/fs"
	"log/slog"
)

// BringUp makes migrations of a test, as [Store.Migrate] makes those of the program.
func (s *Store) BringUp(ctx context.Context, log *slog.Logger, files fs.FS) error {
	pool, err := s.migrating(ctx)
	if err != nil {
		return err
	}
	defer pool.Close()
	return bringUp(ctx, log, pool, files)
}
