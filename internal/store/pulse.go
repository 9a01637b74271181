package store

import (
	"context"
	"errors"
	"fmt"
	"time"
)

// Pulse is what a replica finds when it writes that it is there: that the database takes a write, and which database it
// is.
type Pulse struct {
	At time.Time // by the clock of the database
	// Since is since when the service was there without a gap, whichever replica it was.
	Since    time.Time
	Database Database
	Schema   int64 // version
	// ServesFrom is the schema of the oldest program that can serve with this one.
	ServesFrom int64
	Epoch      int64 // of the service, as the database says
	// Noted is the database that the records say they are in; it has no system where they say nothing yet.
	Noted Database
	// Returned says that an epoch began within the last hour.
	Returned bool
	// Mismatched counts live devices that hold what the service never gave them, and Devices all live ones, roughly.
	Mismatched, Devices int64
}

// Database names a database, and how far it has come. What is remembered of one says nothing of another.
type Database struct {
	System   string // identifier that is made with the cluster
	Timeline int64  // another one follows each promotion, and each recovery to a time
	Written  int64  // position up to which its log is on disk, in bytes; it grows on one timeline
}

// Same reports whether two are one database that did not go back.
func (d Database) Same(later Database) bool {
	return d.System == later.System && d.Timeline == later.Timeline && later.Written >= d.Written
}

const databaseColumns = `(select system_identifier::text from pg_control_system()),
	('x' || substr(pg_walfile_name(pg_current_wal_flush_lsn()), 1, 8))::bit(32)::int::bigint,
	pg_current_wal_flush_lsn() - '0/0'::pg_lsn`

// Pulse writes that this replica is there, in a row of its own. A gap is how long nobody may have written that for the
// service to count as there all the time.
func (s *Store) Pulse(ctx context.Context, program string, gap time.Duration) (p Pulse, err error) {
	var written float64
	err = s.keeping.QueryRow(ctx, `with me as (insert into replicas (id, program, host, started_at, at, since)
			values ($1, $2, $4, clock_timestamp(), clock_timestamp(), `+presentSince+`)
			on conflict (id) do update set at = clock_timestamp(), since = `+presentSince+` returning at, since)
		select me.at, (select min(since) from (select since from me union all
				select r.since from replicas r where r.at > clock_timestamp() - $3::interval) s), `+databaseColumns+`,
			(select max(version_id) from goose_db_version), coalesce((select max(serves_from) from schema_programs), 0),
			coalesce((select epoch from service_state), 0), coalesce((select system_identifier from service_state), ''),
			coalesce((select timeline from service_state), 0), (select count(*) from devices where mismatched
			and state = 'live'),
			greatest(0, (select reltuples from pg_class where oid = 'devices'::regclass))::bigint,
			exists (select from database_returns where database_returns.at > clock_timestamp() - interval '1 hour')
			from me`, s.replica, program, gap, s.host).
		Scan(&p.At, &p.Since, &p.Database.System, &p.Database.Timeline, &written, &p.Schema, &p.ServesFrom, &p.Epoch,
			&p.Noted.System, &p.Noted.Timeline, &p.Mismatched, &p.Devices, &p.Returned)
	if err != nil {
		return p, fmt.Errorf("writing to the database: %w", err)
	}
	p.Database.Written = int64(written)
	return p, nil
}

// Replica is a program that shares the database.
type Replica struct {
	ID      string
	Host    string // with the number of the process there
	Program string // version
	At      time.Time
}

// Replicas are those that wrote that they are there since a time by the clock of the database, by identifier.
func (t ServiceReader) Replicas(within time.Duration) ([]Replica, error) {
	return rows[Replica](t, "select id, host, program, at from replicas where at > clock_timestamp() - $1::interval "+
		"order by id",
		fmt.Sprintf("%d milliseconds", within.Milliseconds()))
}

// presentSince is since when the service is there without a gap.
const presentSince = `coalesce((select min(r.since) from replicas r where r.at > clock_timestamp() - $3::interval),
	clock_timestamp())`

// ErrNoWrites is given for a database that takes no writes: a standby, one that is read only, or has no room.
var ErrNoWrites = errors.New("the database takes no writes")

// TryWrite writes something in a row of its own, and takes it back.
func (s *Store) TryWrite(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, limitsOf[keeping].statement)
	defer cancel()
	_, err := s.keeping.Exec(ctx, "insert into replicas (id, host, program, started_at, at, since) values ($1, '', "+
		"'', now(), '-infinity', now())", s.replica)
	if err == nil {
		_, err = s.keeping.Exec(ctx, "delete from replicas where id = $1", s.replica)
	}
	if err == nil {
		return nil
	}
	return fmt.Errorf("%w: %s", ErrNoWrites, WhyNoWrites(err))
}

// ThisDatabase names the database of a transaction.
func (t ServiceReader) ThisDatabase() (Database, error) {
	type row struct {
		System   string
		Timeline int64
		Written  float64
	}
	found, err := one[row](t, "select x.system, x.timeline, x.written from (select "+databaseColumns+
		") as x(system, timeline, written)")
	return Database{found.System, found.Timeline, int64(found.Written)}, err
}
