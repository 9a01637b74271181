package e2e

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"rankwarden.example/api"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

// reporting is one of the devices that report at once.
type reporting struct {
	id      string
	seq     int64
	desired drift.Stamp
}

const (
	reporters       = 256 // as many as the service lets in at once
	reportsEach     = 20
	bareConnections = 12 // more are no quicker
)

// BenchmarkReports shows how many reports a second the service takes, compared and durable, and the
// share that is of the rate at which PostgreSQL alone takes an update of the device and an insert of
// the same bytes in one transaction, for as many devices at once in the same run. The reading of a
// signed request is not in it.
func BenchmarkReports(b *testing.B) {
	ctx := b.Context()
	url, service, c := benched(b)
	require.NoError(b, change(b, url, fmt.Sprintf(
		`insert into enrolment_tokens values ('t', '', '', 1, '[]', '', now(), now());
		insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state, public_key,
		key_id,
		token_id, enrolled_at, last_contact)
		select 'd' || i, 'SKL-BIG-' || i, 'skl-big-' || i, '', 'Box', 'windows', '10', 1, 'live', decode(lpad(to_hex(i),
		64,
		'0'), 'hex'), 'k' || i, 't', now(), now() from generate_series(0, %d) i;
		create table bare_devices as select id, 0::bigint as seq from devices;
		alter table bare_devices add primary key (id);
		create table bare_reports (device text, seq bigint, body text, primary key (device, seq))`, reporters-1)))
	p, err := c.CreatePolicy(ctx, document("lengths", "passwords: {min_length: 14}"))
	require.NoError(b, err)
	_, err = c.PublishPolicy(ctx, "lengths", p.Version)
	require.NoError(b, err)
	_, err = c.CreateAssignment(ctx, "lengths", api.Aim{Policy: "lengths", Include: []string{"everything"}, Rank: 100})
	require.NoError(b, err)
	config, err := pgxpool.ParseConfig(url)
	require.NoError(b, err)
	config.MaxConns = bareConnections
	pool, err := pgxpool.NewWithConfig(ctx, config)
	require.NoError(b, err)
	b.Cleanup(pool.Close)

	devices := make([]reporting, reporters)
	for i := range devices {
		devices[i].id = fmt.Sprintf("d%d", i)
		require.Eventually(b, func() bool {
			var err error
			_, devices[i].desired, err = service.Devices.SignedDesired(ctx, devices[i].id)
			return err == nil && devices[i].desired.Number > 0
		}, patience, 20*time.Millisecond)
	}
	report := func(d *reporting, length int) drift.Report {
		d.seq++
		return reportOfOrdinary(fmt.Sprintf("SKL-BIG-%s", d.id[1:]), d.seq, d.desired, length)
	}
	taken := func(length func(n int) int) float64 {
		m := rate(reporters, reportsEach, func(i, n int) error {
			r := report(&devices[i], length(n))
			return service.Devices.TakeReport(ctx, devices[i].id, r.Desired.Epoch, r, fmt.Sprintf("%064d", r.Seq))
		})
		require.NoError(b, m.err)
		return m.perSecond
	}
	bare := rateOfBareReports(b, pool, devices)
	for b.Loop() {
		b.ReportMetric(0, "ns/op")
		same := taken(func(int) int { return 14 })
		altered := taken(func(n int) int { return 8 + 6*(n%2) }) // a finding opens, and is put right by the next
		batched := rateOfBatchedReports(b, pool, devices)
		again := rateOfBareReports(b, pool, devices)
		bare = (bare + again) / 2 // before and after: the disk is not always as quick
		b.ReportMetric(bare, "bare/s")
		b.ReportMetric(same, "in-step/s")
		b.ReportMetric(same/bare, "in-step/bare")
		b.ReportMetric(altered, "opening-and-settling/s")
		b.ReportMetric(altered/bare, "opening-and-settling/bare")
		b.ReportMetric(batched, "batched/s")
		b.ReportMetric(same/batched, "in-step/batched")
		b.ReportMetric(altered/batched, "opening-and-settling/batched")
		bare = again
	}
}

// rateOfBareReports is how often a second all devices together have a report put away and nothing else done.
func rateOfBareReports(b *testing.B, pool *pgxpool.Pool, devices []reporting) float64 {
	ctx := b.Context()
	m := rate(reporters, reportsEach, func(i, _ int) error {
		d := &devices[i]
		d.seq++
		body, err := json.Marshal(reportOfOrdinary("SKL-BIG-0", d.seq, d.desired, 14))
		if err != nil {
			return err
		}
		tx, err := pool.Begin(ctx)
		if err != nil {
			return err
		}
		defer func() { _ = tx.Rollback(ctx) }() // nothing once it is committed
		if _, err := tx.Exec(ctx, "update bare_devices set seq = $1 where id = $2", d.seq, d.id); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, "insert into bare_reports values ($1, $2, $3)", d.id, d.seq, string(body))
		if err != nil {
			return err
		}
		return tx.Commit(ctx)
	})
	require.NoError(b, m.err)
	return m.perSecond
}

// How a reference that batches does: so many rows in one transaction, so many transactions at a time, as the service
// does at most.
const (
	batchedRows = 100
	batchedGoes = 2
)

// inBatches has so many things done in batches, several at a time, and gives how many a second.
func inBatches(count int, do func(from, to int) error) measured {
	var m measured
	var running errgroup.Group
	running.SetLimit(batchedGoes)
	began := time.Now()
	for from := 0; from < count; from += batchedRows {
		running.Go(func() error { return do(from, min(from+batchedRows, count)) })
	}
	m.err = running.Wait()
	m.perSecond = float64(count) / time.Since(began).Seconds()
	return m
}

// rateOfBatchedReports is how often a second all devices together have a report put away, with those of others in one
// transaction, and nothing else done.
func rateOfBatchedReports(b *testing.B, pool *pgxpool.Pool, devices []reporting) float64 {
	ctx := b.Context()
	m := inBatches(len(devices)*reportsEach, func(from, to int) error {
		ids, seqs, bodies := make([]string, 0, to-from), make([]int64, 0, to-from), make([]string, 0, to-from)
		for i := from; i < to; i++ { // no device twice in a batch, as long as there are as many devices
			d := devices[i%len(devices)]
			seq := d.seq + 1_000_000 + int64(i)
			body, err := json.Marshal(reportOfOrdinary("SKL-BIG-0", seq, d.desired, 14))
			if err != nil {
				return err
			}
			ids, seqs, bodies = append(ids, d.id), append(seqs, seq), append(bodies, string(body))
		}
		tx, err := pool.Begin(ctx)
		if err != nil {
			return err
		}
		defer func() { _ = tx.Rollback(ctx) }() // nothing once it is committed
		if _, err := tx.Exec(ctx, `update bare_devices d set seq = s.seq from (select * from unnest($1::text[],
			$2::bigint[]) as s(id, seq)
			order by id) s where d.id = s.id`, ids, seqs); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "insert into bare_reports select * from unnest($1::text[], $2::bigint[], $3::text[])",
			ids, seqs, bodies); err != nil {
			return err
		}
		return tx.Commit(ctx)
	})
	require.NoError(b, m.err)
	return m.perSecond
}

// reportOfOrdinary is what a workstation with four accounts reports, with a minimum length of passwords.
func reportOfOrdinary(name string, seq int64, desired drift.Stamp, length int) drift.Report {
	no := false
	zero := 0
	r := drift.Report{
		Format:  drift.ReportFormat,
		Device:  name,
		Seq:     seq,
		At:      time.Date(2031, 3, 4, 9, 0, 0, 0, time.UTC).Add(time.Duration(seq) * time.Minute),
		Desired: desired,
		State: drift.State{Platform: "windows", OSVersion: "10", OSBuild: 1, Passwords: &drift.Passwords{
			MinLength: &length, History: &zero, MaxAgeDays: &zero, MinAgeDays: &zero, Complexity: &no}},
	}
	for i, account := range []string{"Administrator", "Guest", "mooring", "frontdesk"} {
		r.Accounts = append(r.Accounts, drift.Account{Name: account, Enabled: i > 1,
			SID: principal.MustSID(fmt.Sprintf("S-1-5-21-7-8-9-%d", 1000+i))})
	}
	r.LocalGroups = []drift.LocalGroup{{LocalGroup: "administrators"}, {LocalGroup: "users"}}
	return r
}
