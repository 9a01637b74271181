package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"rankwarden.example/internal/kit/version"
)

//go:embed migrations/*.sql
var migrations embed.FS

// servesFrom is the schema of the oldest program that can serve while the schema is the newest.
const servesFrom = 31

// squashed is the program that brings databases of earlier ones to the first schema that this one knows.
const squashed = "0.14.0"

// Errors of [Store.CheckSchema].
var (
	// ErrNewerSchema is given where a newer program brought the schema further than this one knows.
	ErrNewerSchema = errors.New("the schema of the database is newer than this program")
	// ErrOlderSchema is given where the schema is older than the first one that this program knows.
	ErrOlderSchema = errors.New("the schema of the database is too old for this program")
)

const (
	migrationLock = 8470_1
	// lockLimit is how long a migration waits for a lock. Whatever came after it waits for as long.
	lockLimit = 2 * time.Second
	// tryMigrating is how long it waits before it tries again.
	tryMigrating = time.Second
	sayWaiting   = 10 * time.Second
)

// versions are those of the schema that migrations of this program make, in order. The first makes all of it.
func versions() []int64 {
	var known []int64
	files, _ := fs.Glob(migrations, "migrations/*.sql") // the pattern is right
	for _, file := range files {
		number, _, _ := strings.Cut(path.Base(file), "_")
		if n, err := strconv.ParseInt(number, 10, 64); err == nil {
			known = append(known, n)
		}
	}
	slices.Sort(known)
	return known
}

// Newest is the version of the schema that this program makes.
func Newest() int64 { return slices.Max(versions()) }

// migrating opens connections without limits on statements and with a short one on locks. They are apart from those of
// the service, so that one connection in its pool is enough.
func (s *Store) migrating(ctx context.Context) (*pgxpool.Pool, error) {
	config := s.jobs.Config().Copy()
	config.MaxConns = 3 // the lock, the statements, and the schedule of jobs
	for name, value := range map[string]string{
		"statement_timeout": "0", "idle_in_transaction_session_timeout": "0", "lock_timeout": milliseconds(lockLimit),
		"application_name": "rankwarden-migrating " + s.replica,
	} {
		config.ConnConfig.RuntimeParams[name] = value
	}
	return pgxpool.NewWithConfig(ctx, config)
}

// Migrate brings the schema up to date; several replicas may do so at once. It takes as long as it takes, and says what
// it waits for. A schema that is newer than this program is refused with [ErrNewerSchema].
func (s *Store) Migrate(ctx context.Context, log *slog.Logger) error {
	err := s.migrate(ctx, log)
	if err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	return nil
}

func (s *Store) migrate(ctx context.Context, log *slog.Logger) error {
	if err := s.CheckSchema(ctx); err != nil {
		return err
	}
	pool, err := s.migrating(ctx)
	if err != nil {
		return err
	}
	defer pool.Close()
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if err := waitForMigration(ctx, conn, log); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", migrationLock)
	if err := s.CheckSchema(ctx); err != nil { // another one was faster
		return err
	}
	files, err := fs.Sub(migrations, "migrations")
	if err == nil {
		err = bringUp(ctx, log, pool, files)
	}
	if err != nil {
		return err
	}
	schedules, err := rivermigrate.New(riverpgxv5.New(pool),
		&rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err == nil {
		_, err = schedules.Migrate(ctx, rivermigrate.DirectionUp, nil)
	}
	if err != nil {
		return err
	}
	_, err = pool.Exec(ctx, "insert into schema_programs (version, program, serves_from) values ($1, $2, $3) "+
		"on conflict do nothing",
		Newest(), version.Number(), servesFrom)
	return err
}

// bringUp makes the migrations of some files that the database does not have, one after the other.
func bringUp(ctx context.Context, log *slog.Logger, pool *pgxpool.Pool, files fs.FS) error {
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		return err
	}
	return patiently(ctx, log, func() error {
		for {
			done, err := provider.UpByOne(ctx)
			switch {
			case errors.Is(err, goose.ErrNoNextVersion):
				return nil
			case err != nil:
				return err
			}
			log.Info("the schema was brought further", "migration", path.Base(done.Source.Path), "took", done.Duration)
		}
	})
}

// waitForMigration takes the lock of migrations, and says who has it meanwhile.
func waitForMigration(ctx context.Context, conn *pgxpool.Conn, log *slog.Logger) error {
	said := time.Time{}
	for {
		var mine bool
		if err := conn.QueryRow(ctx, "select pg_try_advisory_lock($1)", migrationLock).Scan(&mine); err != nil || mine {
			return err
		}
		if time.Since(said) >= sayWaiting {
			said = time.Now()
			var holder, what string
			err := conn.QueryRow(ctx, `select a.application_name || ' (process ' || a.pid || ' of the database)',
				coalesce(left(b.query, 200), '')
				from pg_locks l join pg_stat_activity a on a.pid = l.pid
				left join pg_stat_activity b on b.application_name = a.application_name and b.state = 'active'
				where l.locktype = 'advisory' and l.objid = $1 and l.granted limit 1`, migrationLock).
				Scan(&holder, &what)
			if err != nil && !errors.Is(err, pgx.ErrNoRows) {
				return err
			}
			log.Warn("another replica brings the schema further; waiting for it", "replica", holder, "doing", what)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(tryMigrating):
		}
	}
}

// patiently tries again what gave up waiting for a lock.
func patiently(ctx context.Context, log *slog.Logger, do func() error) error {
	for {
		err := do()
		if FaultOf(err) != Conflict {
			return err
		}
		log.Warn("a migration waits for a lock that a transaction holds; it lets others go first and tries again",
			"error", err)
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(tryMigrating):
		}
	}
}

// CheckSchema refuses a schema that a newer program made, and names that one, and a schema that is too old to be
// brought up to date. A database without any is fine.
func (s *Store) CheckSchema(ctx context.Context) error {
	found, err := s.Schema(ctx)
	if err != nil {
		return err
	}
	if oldest := versions()[0]; found > 0 && found < oldest {
		return fmt.Errorf("%w: it is at %d, and this is version %s, which begins at %d; start version %s once, which "+
			"brings it there, then this one", ErrOlderSchema, found, version.Number(), oldest, squashed)
	}
	if found <= Newest() {
		return nil
	}
	program, err := rows[string](s.With(ctx),
		"select program from schema_programs where version <= $1 order by version desc limit 1", found)
	if err != nil {
		return err
	}
	return fmt.Errorf("%w: it is at %d, this is version %s and knows %d; start version %s or a later one",
		ErrNewerSchema, found, version.Number(), Newest(), strings.Join(program, ""))
}

// Schema is the version of the schema of the database, 0 where there is none.
func (s *Store) Schema(ctx context.Context) (int64, error) {
	there, err := rows[bool](s.With(ctx), "select to_regclass('goose_db_version') is not null")
	if err != nil || !there[0] {
		return 0, err
	}
	found, err := rows[int64](s.With(ctx), "select coalesce(max(version_id), 0) from goose_db_version where is_applied")
	if err != nil {
		return 0, err
	}
	return found[0], nil
}

// Behind is how many migrations the database lacks. It changes nothing.
func (s *Store) Behind(ctx context.Context) (int, error) {
	found, err := s.Schema(ctx)
	behind := 0
	for _, v := range versions() {
		if v > found {
			behind++
		}
	}
	return behind, err
}
