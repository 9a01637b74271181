// Package store keeps the service's records in PostgreSQL: one file an aggregate, no rules of the
// job. A [Tx] is one transaction; the store itself reads outside of one.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/oklog/ulid/v2"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Errors of the store.
var (
	ErrNotFound = errors.New("not found")
	ErrExists   = errors.New("exists already")
	ErrStale    = errors.New("was changed by somebody else meanwhile")
	ErrInUse    = errors.New("is in use")
	ErrText     = errors.New("the text holds a NUL character, which cannot be stored; take it out")
)

// Store is the service's database.
type Store struct {
	Tx
	pool *pgxpool.Pool
	sql  *sql.DB
}

// Tx is one transaction, or the store outside of one.
type Tx struct{ db *gorm.DB }

// poolSize is the most connections of one replica; pool_max_conns in the URL beats it.
const poolSize = 16

// Open connects to the database at a PostgreSQL URL.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database URL cannot be read; write postgres://USER@HOST:PORT/NAME")
	}
	// Settling holds one connection for long; unless the URL says otherwise, there are enough beside it.
	if !strings.Contains(url, "pool_max_conns") {
		config.MaxConns = poolSize
	}
	// What is answered is durable, whatever the database does by default.
	config.ConnConfig.RuntimeParams["synchronous_commit"] = "on"
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	db := stdlib.OpenDBFromPool(pool)
	gdb, err := gorm.Open(postgres.New(postgres.Config{Conn: db}), &gorm.Config{
		Logger:                 logger.Discard, // errors are returned, and queries may hold secrets
		SkipDefaultTransaction: true,
		TranslateError:         true,
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	return &Store{Tx: Tx{gdb}, pool: pool, sql: db}, nil
}

// Close ends every connection.
func (s *Store) Close() {
	s.sql.Close()
	s.pool.Close()
}

// Ping asks whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// Migrate brings the schema up to date; several replicas may do so at once.
func (s *Store) Migrate(ctx context.Context) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	const migrationLock = 8470_1
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "select pg_advisory_lock($1)", migrationLock); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	defer conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", migrationLock)
	provider, err := goose.NewProvider(goose.DialectPostgres, s.sql, files)
	if err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	return nil
}

// InTx runs do in one transaction, which is rolled back when do returns an error.
func (s *Store) InTx(ctx context.Context, do func(tx Tx) error) error {
	return translate(s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error { return do(Tx{db}) }))
}

// InSnapshot runs do in one read-only transaction that sees the database as of one moment.
func (s *Store) InSnapshot(ctx context.Context, do func(tx Tx) error) error {
	return translate(s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error { return do(Tx{db}) },
		&sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true}))
}

// With gives the store bound to a context, for reading outside of a transaction.
func (s *Store) With(ctx context.Context) Tx { return Tx{s.db.WithContext(ctx)} }

// NewID gives a new identifier that sorts by the time of its making.
func NewID(at time.Time) string {
	return ulid.MustNew(ulid.Timestamp(at), ulid.DefaultEntropy()).String()
}

func translate(err error) error {
	var pg *pgconn.PgError
	switch {
	case errors.Is(err, gorm.ErrRecordNotFound):
		return ErrNotFound
	case errors.Is(err, gorm.ErrDuplicatedKey), errors.As(err, &pg) && pg.Code == "23505":
		return ErrExists
	case errors.Is(err, gorm.ErrForeignKeyViolated), errors.As(err, &pg) && pg.Code == "23503":
		return ErrInUse
	case errors.As(err, &pg) && (pg.Code == "22021" || pg.Code == "22P05"):
		return ErrText
	}
	return err
}

// first reads one record.
func first[T any](q *gorm.DB) (T, error) {
	var record T
	err := translate(q.Take(&record).Error)
	return record, err
}

func all[T any](q *gorm.DB) ([]T, error) {
	records := []T{}
	err := translate(q.Find(&records).Error)
	return records, err
}

// rows runs a query of our own SQL.
func rows[T any](t Tx, query string, args ...any) ([]T, error) {
	records := []T{}
	err := translate(t.db.Raw(query, args...).Scan(&records).Error)
	return records, err
}

// exec runs a statement whose arguments may be whole columns: slices go to PostgreSQL as arrays.
func (t Tx) exec(query string, args ...any) error {
	_, err := t.db.Statement.ConnPool.ExecContext(t.db.Statement.Context, query, args...)
	return translate(err)
}

// must turns "no row changed" into an error.
func must(q *gorm.DB, otherwise error) error {
	if q.Error != nil {
		return translate(q.Error)
	}
	if q.RowsAffected == 0 {
		return otherwise
	}
	return nil
}

func toJSON(value any) string {
	data, err := json.Marshal(value)
	if err != nil {
		return "null" // only plain records of ours are given
	}
	return string(data)
}
