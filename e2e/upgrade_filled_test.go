package e2e

import (
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// programBefore does, as the service's role, what the program before the tables of months does to them all the time.
type programBefore struct {
	conn   *pgx.Conn
	turns  atomic.Int64
	errs   []error
	ended  sync.WaitGroup
	toStop atomic.Bool
}

// turn takes a report with an event that is told twice, a desired state, and a finding that goes again, each with the
// statements of that program.
func (p *programBefore) turn(t *testing.T, n int64) error {
	ctx := t.Context()
	var id, known, found int64
	var digest, body string
	if err := p.conn.QueryRow(ctx, `with r as (insert into reports (device_id, epoch, seq, desired_epoch,
		desired_number, at, received_at, digest, body)
		select 'BEFORE', 1, $1::bigint, 1, $1::bigint, now(), now(), 'd' || $1::bigint, $2::jsonb returning id,
		device_id)
		update devices d set seq = $1, report_id = r.id, reported_at = now(), desired_number = $1, desired_at = now()
		from r
		where d.id = r.device_id returning r.id`, n, fmt.Sprintf(`{"seq": %d, "device": "SKL-BEF-001"}`, n)).
		Scan(&id); err != nil {
		return fmt.Errorf("storing a report: %w", err)
	}
	if err := p.conn.QueryRow(ctx, "select digest from reports where device_id = $1 and epoch = $2 and seq = $3",
		"BEFORE", 1, n).Scan(&digest); err != nil {
		return fmt.Errorf("finding it by its number: %w", err)
	}
	if err := p.conn.QueryRow(ctx, `SELECT id, body::text FROM "reports" WHERE id = $1 LIMIT 1`, id).
		Scan(&known, &body); err != nil {
		return fmt.Errorf("finding it: %w", err)
	}
	if known != id || digest != fmt.Sprint("d", n) || !strings.Contains(body, fmt.Sprintf(`"seq": %d`, n)) {
		return fmt.Errorf("report %d came back as %d: %s", id, known, body)
	}
	for range 2 {
		if _, err := p.conn.Exec(ctx, `INSERT INTO "device_events"
			("device_id","epoch","seq","at","received_at","kind","unit","subject","details","policy")
			VALUES ('BEFORE',1,$1,now(),now(),'value_set','lockout','','{}','') ON CONFLICT DO NOTHING RETURNING "id"`,
			n); err != nil {
			return fmt.Errorf("storing an event: %w", err)
		}
	}
	if _, err := p.conn.Exec(ctx, `insert into desired_states (device_id, epoch, number, name, settings, digest,
		created_at, scope)
		select 'BEFORE', 1, $1, 'SKL-BEF-001', '', '', now(), ''`, n); err != nil {
		return fmt.Errorf("storing a desired state: %w", err)
	}
	if err := p.conn.QueryRow(ctx, `INSERT INTO "findings" ("device_id","key","unit","kind","subject","assignments","state","first_seen","last_seen")
		VALUES ('BEFORE',$1,'lockout','wrong_value','','[]','open',now(),now()) RETURNING "id"`, fmt.Sprint("k", n)).
		Scan(&found); err != nil {
		return fmt.Errorf("opening a finding: %w", err)
	}
	closed, err := p.conn.Exec(ctx, "update findings set state = 'settled', closed_at = $2 "+
		"where id = any($1::bigint[])", []int64{found}, time.Now())
	if err != nil || closed.RowsAffected() != 1 {
		return fmt.Errorf("closing finding %d: %s %w", found, closed, err)
	}
	return nil
}

func (p *programBefore) run(t *testing.T) {
	p.ended.Go(func() {
		for n := int64(1); !p.toStop.Load(); n++ {
			if err := p.turn(t, n); err != nil {
				p.errs = append(p.errs, err)
				return
			}
			p.turns.Store(n)
		}
	})
}

// yearOfRecords fills a database of the schema before the tables of months: fifty devices, three reports a day for 400
// days, as many events, a desired state each week, and a finding each week, of which one is open.
func yearOfRecords(t *testing.T, url string) {
	for _, statement := range []string{
		`insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state, public_key,
			key_id, token_id, enrolled_at)
			select case i when 0 then 'BEFORE' else 'PAST' || i end, 'SKL-BEF-' || i, 'skl-bef-' || i, '', '',
			'windows', '10', 1, 'live',
			decode(lpad(to_hex(i), 64, '0'), 'hex'), 'k' || i, (select id from enrolment_tokens limit 1), now()
			from generate_series(0, 50) i`,
		`insert into reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body)
			select 'PAST' || i, 1, d * 10 + k, 1, 1, now(), date_trunc('day', now(),
			'UTC') - (401 - d) * interval '1 day' + k * interval '1 hour',
			'', jsonb_build_object('seq', d * 10 + k, 'device', 'SKL-BEF-' || i, 'os_build', d / 100)
			from generate_series(1, 50) i, generate_series(1, 400) d, generate_series(1, 3) k order by d, k`,
		`insert into device_events (device_id, epoch, seq, at, received_at, kind, unit, subject)
			select 'PAST' || i, 1, d, now(), now() - (401 - d) * interval '1 day', 'value_set', 'lockout', ''
			from generate_series(1, 50) i, generate_series(1, 400) d`,
		`insert into desired_states (device_id, epoch, number, name, settings, digest, created_at, scope)
			select 'PAST' || i, 1, w, '', '', '', now() - (58 - w) * interval '7 days', '' from generate_series(1,
			50) i, generate_series(1, 57) w`,
		`insert into findings (device_id, key, unit, kind, subject, assignments, state, first_seen, last_seen,
			closed_at)
			select 'PAST' || i, 'k' || w, 'lockout', 'wrong_value', '', '[]', case w when 57 then 'open'
			else 'settled' end, now(), now(),
			case w when 57 then null else now() - (57 - w) * interval '7 days' end from generate_series(1, 50) i,
			generate_series(1, 57) w`,
		// The clock was once wrong.
		`insert into reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest, body)
			values ('PAST7', 1, 5000, 1, 57, now(), '2140-01-01', '', '{"seq": 5000}')`,
		`update devices d set seq = 5000, desired_epoch = 1, desired_number = 57, reported_epoch = 1,
			reported_number = 57, report_id =
			(select max(id) from reports r where r.device_id = d.id) where id like 'PAST%'`,
	} {
		require.NoError(t, change(t, url, statement))
	}
}

// A database with a year of records is brought into tables of months while the program before goes on writing: nothing
// is lost, nothing is refused, and a transaction that stays open holds up nobody but the migration.
func TestAnUpgradeOfAFilledDatabase(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 9}", 500, "everything")
	d := s.enrolled("SKL-HQ-001")
	s.stop()
	s.db.Close()
	owner := pgcluster.ForOwner(s.config.Database)
	db, err := sql.Open("pgx", owner)
	require.NoError(t, err)
	defer db.Close()
	migrations, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("../internal/store/migrations"))
	require.NoError(t, err)
	_, err = migrations.DownTo(ctx, 29)
	require.NoError(t, err)
	yearOfRecords(t, owner)
	admin, err := store.Open(ctx, owner)
	require.NoError(t, err)
	defer admin.Close()
	require.NoError(t, admin.Grant(ctx, pgcluster.ServiceRole))
	tables := []string{"reports", "device_events", "desired_states", "findings where state = 'open'",
		"findings where state <> 'open'"}
	counted := func() (all []int64) {
		for _, what := range tables {
			n, err := query[int64](t, owner, "select count(*) from "+what)
			require.NoError(t, err)
			all = append(all, n)
		}
		return all
	}
	there := counted()

	before := &programBefore{}
	before.conn, err = pgx.Connect(ctx, s.config.Database)
	require.NoError(t, err)
	defer before.conn.Close(ctx)
	_, err = before.conn.Exec(ctx, "set lock_timeout = '20s'")
	require.NoError(t, err)
	before.run(t)
	defer before.ended.Wait()
	defer before.toStop.Store(true)
	goesOn := func() {
		n := before.turns.Load()
		s.until(func() bool { return before.turns.Load() > n+10 || len(before.errs) > 0 })
	}
	goesOn()
	letGo := holding(t, owner, "select 1 from reports limit 1", "select 1 from findings limit 1")
	var log heard
	done := make(chan error, 1)
	go func() { done <- admin.Migrate(ctx, slog.New(slog.NewTextHandler(&log, nil))) }()
	s.until(func() bool {
		return strings.Contains(log.String(), "a migration waits for a lock that a transaction holds")
	})
	goesOn()
	letGo()
	require.NoError(t, <-done)
	goesOn() // on what is new to it
	before.toStop.Store(true)
	before.ended.Wait()
	require.Empty(t, before.errs)

	turns := before.turns.Load()
	for i, n := range counted() {
		want := there[i]
		if tables[i] != "findings where state = 'open'" {
			want += turns
		}
		assert.Equal(t, want, n, tables[i])
	}
	built, err := query[int64](t, owner, `select count(*) from pg_indexes where tablename in ('device_reports_before',
		'device_events_before',
		'desired_states_before', 'findings_open')`)
	require.NoError(t, err)
	assert.EqualValues(t, 3+5+3+11, built, "no index was built on what there was")

	require.NoError(t, admin.Grant(ctx, pgcluster.ServiceRole))
	s.db, err = store.Open(ctx, s.config.Database)
	require.NoError(t, err)
	s.run()
	s.until(func() bool { require.NoError(t, d.Cycle(ctx)); return s.why("SKL-HQ-001").Device.Standing == "in_step" })
	past, err := s.db.With(ctx).ReportAt("PAST9", time.Now().AddDate(0, 0, -200))
	require.NoError(t, err)
	assert.Contains(t, past.Body, fmt.Sprintf(`"seq": %d`, past.Seq))
	states, err := s.db.With(ctx).KnownStates([]string{"PAST7", "PAST9"})
	require.NoError(t, err)
	assert.NotNil(t, states["PAST7"].State, "the report of the wrong clock is found")
	assert.Equal(t, 4, states["PAST9"].State.OSBuild)

	// Then it goes as everything goes, and what comes is in its month.
	s.later(100 * 24 * time.Hour)
	s.until(func() bool {
		require.NoError(t, s.Retention.Prune(ctx))
		gone, err := query[bool](t, owner, "select to_regclass('device_reports_before') is null")
		require.NoError(t, err)
		return gone
	})
	n, err := query[int64](t, owner, "select count(*) from daily_reports where device_id = 'PAST9'")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, n, int64(260), "the days of the last year")
	states, err = s.db.With(ctx).KnownStates([]string{"PAST7", "PAST9", "BEFORE"})
	require.NoError(t, err)
	assert.Equal(t, 4, states["PAST9"].State.OSBuild)
	assert.NotNil(t, states["PAST7"].State)
	assert.NotNil(t, states["BEFORE"].State)
	require.NoError(t, d.Join("guests", "keeper"))
	s.publish("guests", "membership: [{local_group: guests, mode: exact, members: []}]", 400, "everything")
	s.cycle(d, "SKL-HQ-001")
	require.NoError(t, d.Join("guests", "keeper"))
	s.until(func() bool {
		require.NoError(t, d.Cycle(ctx))
		in, err := query[string](t, owner, "select coalesce(max(tableoid::regclass::text), '') from findings "+
			"where state = 'corrected'")
		require.NoError(t, err)
		return strings.HasPrefix(in, "findings_20")
	})
}
