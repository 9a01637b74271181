package store_test

import (
	"bytes"
	"log/slog"
	"path/filepath"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Run(m) }

// told is a log that tells of each line.
type told struct {
	mu    sync.Mutex
	lines chan string
}

func (l *told) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for line := range bytes.Lines(p) {
		l.lines <- string(line)
	}
	return len(p), nil
}

// A migration that needs a table which a transaction holds gives up, lets others go first, and tries again: whoever
// writes meanwhile waits no longer than it tries.
func TestAMigrationLetsOthersGoFirst(t *testing.T) {
	db, url := storetest.Open(t)
	ctx := t.Context()
	storetest.Devices(t, db, time.Now(), "SKL-TKT-001")
	open, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer open.Close(ctx)
	tx, err := open.Begin(ctx)
	require.NoError(t, err)
	_, err = tx.Exec(ctx, "update devices set path = 'here'")
	require.NoError(t, err)

	log := &told{lines: make(chan string, 100)}
	done := make(chan error, 1)
	go func() {
		done <- db.BringUp(ctx, slog.New(slog.NewTextHandler(log, nil)), fstest.MapFS{"90001_more.sql": {Data: []byte(
			"-- +goose Up\nalter table devices add column of_the_next_version text;\n")}})
	}()
	assert.Contains(t, <-log.lines, "a migration waits for a lock that a transaction holds")
	other, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer other.Close(ctx)
	_, err = other.Exec(ctx, "update groups set description = 'written meanwhile'")
	require.NoError(t, err)
	require.NoError(t, tx.Commit(ctx))
	require.NoError(t, <-done)
	_, err = other.Exec(ctx, "select of_the_next_version from devices")
	require.NoError(t, err)
}

// Only a schema that this program knows the way from is brought up to date; the others say which program to start.
func TestSchemasThatAreRefused(t *testing.T) {
	made, err := filepath.Glob("migrations/*.sql")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		statement string
		is        error
		says      string
		behind    int
	}{
		"none":    {"drop table goose_db_version", nil, "", len(made)},
		"today's": {"select 1", nil, "", 0},
		"too old": {"delete from goose_db_version where version_id > 31; update goose_db_version set version_id = 28 " +
			"where version_id = 31", store.ErrOlderSchema, "0.14.0", len(made)},
		"too new": {"insert into goose_db_version (version_id, is_applied) values (9000, true)", store.ErrNewerSchema,
			"9000", 0},
		"not there": {"delete from goose_db_version where version_id > 0", nil, "", len(made)},
	} {
		t.Run(name, func(t *testing.T) {
			db, url := storetest.Open(t)
			conn, err := pgx.Connect(t.Context(), url)
			require.NoError(t, err)
			defer conn.Close(t.Context())
			_, err = conn.Exec(t.Context(), c.statement)
			require.NoError(t, err)
			err = db.CheckSchema(t.Context())
			if c.is == nil {
				require.NoError(t, err)
			} else {
				require.ErrorIs(t, err, c.is)
				require.ErrorContains(t, err, c.says)
			}
			behind, err := db.Behind(t.Context())
			require.NoError(t, err)
			assert.Equal(t, c.behind, behind)
		})
	}
}
