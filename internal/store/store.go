// Package store keeps the service's records in PostgreSQL: one file an aggregate, no rules of the job. What may only
// read is handed a [Reader], which has no method that writes. Only [Store.InTx] gives a [Writer], and only units of
// work call it. Both are put together of facets, one for each part of the records: see facets.go.
//
// How records are asked for:
//
//   - One record by its columns, to find, add or alter, is GORM's: db.Where, Create, Updates.
//   - Whatever joins, counts, locks or takes whole columns is SQL of ours, through rows, one and exec. A statement that
//     is written down whole numbers its arguments ($1). Parts that are put together, such as [inReach], do not know
//     their numbers and mark them (?). No statement has both.
//   - pgx itself is used where neither can: for COPY and batches of reports and deposits, to listen, and for pulses and
//     leases, which have connections of their own.
//
// The errors of its methods match [ErrNotFound], [ErrExists], [ErrStale] or [ErrInUse] where the records say no, and
// are those of PostgreSQL and the context otherwise.
package store

import (
	"cmp"
	"context"
	"database/sql"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/oklog/ulid/v2"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Errors of the store.
var (
	ErrNotFound = errors.New("not found")
	ErrExists   = errors.New("exists already")
	ErrStale    = errors.New("was changed by somebody else meanwhile")
	ErrInUse    = errors.New("is in use")
	ErrText     = errors.New("the text holds a NUL character, which cannot be stored; take it out")
)

// Store is the service's database. Operators, devices and jobs have connections of their own, so that
// none of them waits for the others: see [ForDevices] and [ForJobs].
type Store struct {
	Reader  // for operators
	pools   [classes]*pgxpool.Pool
	sql     [classes]*sql.DB
	gorm    [classes]*gorm.DB
	jobs    *pgxpool.Pool
	devices *pgxpool.Pool
	keeping *pgxpool.Pool // for pulses and leases, which wait for nobody else
	replica string        // identifier of this process among those that share the database
	host    string        // where it runs, for people
}

// class is on whose behalf the database is asked.
type class int

const (
	operators class = iota
	devices
	jobs
	classes
	keeping = classes // has connections of its own, and no GORM
)

// limits of a class.
type limits struct {
	name        string
	connections int32         // of one replica; pool_max_conns in the URL beats it
	statement   time.Duration // after which PostgreSQL gives a statement up
	lock        time.Duration // after which it gives up waiting for a lock
}

var limitsOf = [classes + 1]limits{
	operators: {"operators", 10, 20 * time.Second, 10 * time.Second},
	devices:   {"devices", 10, 20 * time.Second, 3 * time.Second},
	jobs:      {"jobs", 8, 5 * time.Minute, time.Minute},
	keeping:   {"keeping", 3, 5 * time.Second, 2 * time.Second},
}

// idleInTransaction is how long a transaction may wait for its client: one whose host vanished holds its locks no
// longer.
const idleInTransaction = 30 * time.Second

type classKey struct{}

// ForDevices has what is done under the context use the connections for devices.
func ForDevices(ctx context.Context) context.Context {
	return context.WithValue(ctx, classKey{}, devices)
}

// ForJobs has what is done under the context use the connections for jobs.
func ForJobs(ctx context.Context) context.Context { return context.WithValue(ctx, classKey{}, jobs) }

func classOf(ctx context.Context) class {
	c, _ := ctx.Value(classKey{}).(class)
	return c
}

// Open connects to the database at a PostgreSQL URL.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, errors.New("the database URL cannot be read; write postgres://USER@HOST:PORT/NAME")
	}
	config.ConnConfig.ConnectTimeout = cmp.Or(config.ConnConfig.ConnectTimeout, 5*time.Second)
	config.ConnConfig.DialFunc = dialer.DialContext
	s := &Store{replica: NewID(time.Now()), host: processName()}
	given := strings.Contains(url, "pool_max_conns")
	for c := range classes {
		if err := s.open(ctx, c, config.Copy(), given); err != nil {
			s.Close()
			return nil, fmt.Errorf("connecting to the database: %w", err)
		}
	}
	s.Reader, s.jobs, s.devices = reading(s.gorm[operators]), s.pools[jobs], s.pools[devices]
	if s.keeping, err = s.pool(ctx, keeping, config.Copy(), false); err == nil {
		err = s.Ping(ctx)
	}
	if err != nil {
		s.Close()
		return nil, fmt.Errorf("connecting to the database: %w", recognisePooler(err))
	}
	return s, nil
}

// processName says where this process runs.
func processName() string {
	host, err := os.Hostname()
	if err != nil {
		host = "unknown host"
	}
	return fmt.Sprintf("%s, process %d", host, os.Getpid())
}

// Replica is the identifier of this process among those that share the database.
func (s *Store) Replica() string { return s.replica }

func (s *Store) pool(ctx context.Context, c class, config *pgxpool.Config, given bool) (*pgxpool.Pool, error) {
	if !given {
		config.MaxConns = limitsOf[c].connections
	}
	plans := "auto"
	if c != operators {
		// Their statements take whole batches, and tables grow under them: a plan made for a small one is not kept.
		plans = "force_custom_plan"
	}
	// What is answered is durable, whatever the database does by default.
	for name, value := range map[string]string{
		"plan_cache_mode":                     plans,
		"synchronous_commit":                  "on",
		"application_name":                    s.sessionsOf(c, s.replica),
		"statement_timeout":                   milliseconds(limitsOf[c].statement),
		"lock_timeout":                        milliseconds(limitsOf[c].lock),
		"idle_in_transaction_session_timeout": milliseconds(min(idleInTransaction, limitsOf[c].statement)),
		// The server lets go of a client that vanished without a word, with all that it held.
		"tcp_keepalives_idle":     seconds(keepAliveIdle),
		"tcp_keepalives_interval": seconds(keepAliveEvery),
		"tcp_keepalives_count":    strconv.Itoa(keepAlives),
		"tcp_user_timeout":        milliseconds(unanswered),
	} {
		if config.ConnConfig.RuntimeParams[name] == "" {
			config.ConnConfig.RuntimeParams[name] = value
		}
	}
	return pgxpool.NewWithConfig(ctx, config)
}

// sessionsOf is the name that the sessions of a replica have in the database.
func (s *Store) sessionsOf(c class, replica string) string {
	return "rankwarden-" + limitsOf[c].name + " " + replica
}

func (s *Store) open(ctx context.Context, c class, config *pgxpool.Config, given bool) error {
	pool, err := s.pool(ctx, c, config, given)
	if err != nil {
		return err
	}
	s.pools[c], s.sql[c] = pool, stdlib.OpenDBFromPool(pool)
	s.gorm[c], err = gorm.Open(postgres.New(postgres.Config{Conn: s.sql[c]}), &gorm.Config{
		Logger:                 logger.Discard, // errors are returned, and queries may hold secrets
		SkipDefaultTransaction: true,
		TranslateError:         true,
		DisableAutomaticPing:   true,
	})
	return err
}

func milliseconds(d time.Duration) string { return strconv.FormatInt(d.Milliseconds(), 10) }

func seconds(d time.Duration) string { return strconv.Itoa(int(d.Seconds())) }

// Close ends every connection.
func (s *Store) Close() {
	for c := range classes {
		if s.pools[c] != nil {
			s.sql[c].Close()
			s.pools[c].Close()
		}
	}
	if s.keeping != nil {
		s.keeping.Close()
	}
}

// Reconnect lets go of every connection once it is free, so that nothing goes on speaking with a server that does not
// lead any more.
func (s *Store) Reconnect() {
	for c := range classes {
		s.pools[c].Reset()
	}
}

// Jobs are the connections for jobs.
func (s *Store) Jobs() *pgxpool.Pool { return s.jobs }

// Ping asks whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pools[operators].Ping(ctx) }

// Clock is the time of the database.
func (t ServiceReader) Clock() (time.Time, error) {
	found, err := rows[time.Time](t, "select clock_timestamp()")
	if err != nil || len(found) == 0 {
		return time.Time{}, err
	}
	return found[0], nil
}

// InTx runs do in one transaction, which is rolled back when do returns an error. Under a context of
// [Store.Exclusively] it is refused once another replica has the lock.
func (s *Store) InTx(ctx context.Context, do func(tx Writer) error) error {
	return translate(s.gorm[classOf(ctx)].WithContext(ctx).Transaction(func(db *gorm.DB) error {
		if err := (conn{db}).fenced(ctx); err != nil {
			return err
		}
		return do(writing(db))
	}))
}

// Mark notes where the transaction is, so that it can go back there with [ServiceWriter.BackToMark].
func (t ServiceWriter) Mark() error { return translate(t.db.SavePoint("mark").Error) }

// BackToMark undoes whatever the transaction did since [ServiceWriter.Mark], also a statement that failed.
func (t ServiceWriter) BackToMark() error { return translate(t.db.RollbackTo("mark").Error) }

// InStatements runs do outside of a transaction: each statement is stored by itself.
func (s *Store) InStatements(ctx context.Context, do func(tx Writer) error) error {
	return do(writing(s.gorm[classOf(ctx)].WithContext(ctx)))
}

// InSnapshot runs do in one read-only transaction that sees the database as of one moment.
func (s *Store) InSnapshot(ctx context.Context, do func(tx Reader) error) error {
	return translate(s.gorm[classOf(ctx)].WithContext(ctx).
		Transaction(func(db *gorm.DB) error { return do(reading(db)) },
			&sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true}))
}

// With gives the store bound to a context, for reading outside of a transaction.
func (s *Store) With(ctx context.Context) Reader {
	return reading(s.gorm[classOf(ctx)].WithContext(ctx))
}

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

// array is a list that goes to PostgreSQL as one parameter. A list must never become one parameter an
// element: a statement has at most 65,535 of them.
type array[T any] []T

// Value implements [driver.Valuer], so that GORM does not take the list apart.
func (a array[T]) Value() (driver.Value, error) {
	if a == nil {
		return []T{}, nil
	}
	return []T(a), nil
}

// rows runs a query of our own SQL. Lists among the arguments are arrays: write "= any($1)".
func rows[T any](t querier, query string, args ...any) ([]T, error) {
	for i, arg := range args {
		switch list := arg.(type) {
		case []string:
			args[i] = array[string](list)
		case []int64:
			args[i] = array[int64](list)
		}
	}
	records := []T{}
	err := translate(t.session().Raw(query, args...).Scan(&records).Error)
	return records, err
}

// one is [rows] where there is one or none; then the error is [ErrNotFound].
func one[T any](t querier, query string, args ...any) (T, error) {
	found, err := rows[T](t, query, args...)
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		var none T
		return none, err
	}
	return found[0], nil
}

// addUnderWay adds what anybody may begin, once what is over was cleared away, and says how many the same address has
// under way, this one included.
func addUnderWay[T any](t conn, begun T, clear string, before time.Time, count, address string) (int, error) {
	if err := t.exec(clear, before); err != nil {
		return 0, err
	}
	if err := translate(t.db.Create(&begun).Error); err != nil {
		return 0, err
	}
	return one[int](t, count, address)
}

// exec runs a statement whose arguments may be whole columns: slices go to PostgreSQL as arrays.
func (t conn) exec(query string, args ...any) error {
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
