package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/pgcluster"
)

// largeFleet fills a database past the service: devices, ten memberships and ten closed findings of each, and what goes
// with them.
func largeFleet(t testing.TB, url string, devices int) {
	// what is made up here breaks no foreign key
	quick := pgcluster.ForOwner(url) + "&session_replication_role=replica&work_mem=256MB&maintenance_work_mem=256MB"
	for _, statement := range []string{
		// Indexes are built at the end, in one go each: kept up to date row by row they take twice as long.
		`create table later as select i.indexrelid::regclass::text as name, replace(pg_get_indexdef(i.indexrelid),
			' ON ONLY ', ' ON ')
			as indexdef from pg_index i where i.indrelid in ('findings'::regclass, 'findings_open'::regclass,
			'device_events'::regclass,
			'members'::regclass) and i.indexrelid not in (select conindid from pg_constraint union all
			select inhrelid from pg_inherits)`,
		`insert into directory_entries (ref, kind, name, title, sid, dn, source, updated_at) values
			('user:leaver@skerryline.example', 'user', 'leaver@skerryline.example', '', 'S-1-5-21-70-80-90-9', '', 'x',
			now())`,
		`insert into directory_members values ('group:crew-1@skerryline.example', 'user:leaver@skerryline.example')`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen) select id, 'left', 'accounts.crew', 'account_left_behind', 'account:crew', '""', '""', '["base"]',
			'open', now(), now() from devices where right(name, 2) = '17'`,
		`insert into retirements select id, 'sold', '', 'asta', now(), now() + interval '90 days' from devices
			where right(name, 2) = '18'`,
		`do $$ declare i text; begin lock table findings, device_events, members; for i in select name
			from later loop execute 'drop index ' || i; end loop; end $$`,
		fmt.Sprintf(`insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state,
			public_key, key_id, token_id, enrolled_at, last_contact, open_findings,
				desired_number, reported_number, reported_epoch, desired_at, path, held, held_units)
			select lpad(i::text, 26, '0'), 'SKL-BIG-' || lpad(i::text, 6, '0'), 'skl-big-' || lpad(i::text, 6, '0'),
			'SL-' || i,
			'Box', 'windows', '10', 1, 'live',
			decode(lpad(to_hex(i), 64, '0'), 'hex'), 'k' || i, (select id from enrolment_tokens limit 1), now(), now(),
			(i %% 10
			= 0)::int, 1, 1, 1, date_trunc('day', now()) - interval '1 year', 'north/' || i %% 50,
			case when i %% 1000 = 0 then '[{"unit": "lockout", "why": "contested"}]' else '[]' end::jsonb,
			(i %% 1000 = 0)::int
			from generate_series(1, %d) i`, devices),
		`insert into groups select 'g' || i, 'group-' || i, '', 1, now(), now() from generate_series(1, 300) i`,
		fmt.Sprintf(`insert into members select 'g' || (1 + (i + k * 29) %% 300), d.id from generate_series(1, 10) k,
			generate_series(1, %d) i join devices d on d.name_key = 'skl-big-' || lpad(i::text, 6, '0')`, devices),
		`insert into groups values ('few', 'few', '', 1, now(), now())`,
		`insert into members select 'few', id from devices order by id limit 3`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen)
			select id, 'k', 'passwords.min_length', 'wrong_value', '', '12', '8', '["base"]', 'open', now(), now()
			from devices
			where open_findings = 1`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen, closed_at)
			select d.id, 'k' || k, 'passwords.history', 'wrong_value', '', '12', '8', '["base"]', 'closed', now() - k *
			interval '3 days', now(), now() - k * interval '2 days' from devices d, generate_series(1, 10) k`,
		`insert into device_events (device_id, epoch, seq, at, received_at, kind, unit, subject)
			select d.id, 1, k, now(), now() - k * interval '1 day', case k when 1 then 'member_removed'
			else 'value_set' end,
			'lockout', '' from devices d, generate_series(1, 5) k`,
		`insert into orders (device_id, number, kind, subject, state, created_by, created_at, ends_at, batch) select id,
			1,
			'check-in', '', 'queued', 'asta', now(), now() + interval '1 day', case when right(id, 1) = '7' then 'some'
			else 'b'
			|| id end from devices`,
		`insert into escrow_keys values (1, 'escrow', '\x', 'live', '', now(), now()) on conflict do nothing`,
		`insert into rotations (device_id, target, account, name, changed_at, every_minutes) select id,
			'account:mooring',
			'S-1-5-21-1-2-3-1004', 'mooring-' || right(id, 4), now(), 43200 from devices`,
		`insert into deposits (device_id, epoch, number, target, account, name_before, name_after, reason, organisation,
			key_number, sealed, digest, policy, state, deposited_at)
			select id, 1, 1, 'account:mooring', 'S-1-5-21-1-2-3-1004', 'mooring', 'mooring', 'first', 'Skerry Line', 1, '',
			'', '',
			'current', now() from devices`,
		`insert into reveals (device_id, target, operator, reason, copied, deposits, at) select id, 'account:mooring',
			'nightwatch', 'ticket', false, '[]', now() from devices where right(id, 1) = '7'`,
		`insert into desired_states (device_id, epoch, number, name, settings, digest, created_at, scope) select id, 1,
			1, name,
			'', '', desired_at, '' from devices`,
		`insert into device_reports (device_id, epoch, seq, desired_epoch, desired_number, at, received_at, digest,
			body) select id, 1, 1,
			1, 1, '2040-01-01', '2040-01-01', '', '{}' from devices`,
		`insert into audit_entries select i, now(), 'asta', '', 'operator.changed', 'x', null, null, '', 'done', '', '',
			1
			from generate_series((select max(seq) + 1 from audit_entries), 100000) i`,
		`insert into inventory_accounts (device_id, sid, name, name_key, full_name, enabled, builtin, key, privileged,
			since) select d.id, 'S-1-5-21-1-2-' || right(d.id, 6) || '-' || k, 'person-' || k, 'person-' || k, '', true,
			'', '', k < 3, now() from devices d, generate_series(1, 12) k`,
		`insert into inventory_members (device_id, group_sid, group_name, sid, name, privileged, since) select d.id,
			'S-1-5-32-' || 544 + k % 5, 'group-' || k % 5, case when k = 7 and right(d.id, 3) = '777' then
			'S-1-5-21-70-80-90-1201' else 'S-1-5-21-1-2-' || right(d.id, 6) || '-' || k end, '', k % 5 = 0, now()
			from devices d, generate_series(1, 10) k`,
		`update inventory_members set group_sid = 'S-1-5-32-544', group_name = 'administrators', privileged = true
			where sid = 'S-1-5-21-70-80-90-1201'`,
		`insert into directory_entries (ref, kind, name, title, sid, dn, source, updated_at) select 'group:crew-' || i ||
			'@skerryline.example', 'group', 'crew-' || i, '', 'S-1-5-21-70-80-90-' || 1200 + i, '', 'x', now()
			from generate_series(1, 40000) i on conflict do nothing`,
		`insert into directory_members select 'group:crew-' || i || '@skerryline.example', 'group:crew-' || i + 1 ||
			'@skerryline.example' from generate_series(1, 39999) i on conflict do nothing`,
		`do $$ declare i text; begin lock table findings, device_events, members; for i in select indexdef
			from later loop execute i; end loop; end $$`,
		`drop table later`,
		`vacuum analyze`,
		`notify rankwarden, '{"topic": "devices"}'`,
	} {
		require.NoError(t, change(t, quick, statement), statement)
	}
}

// largeTables matches the reading of one from end to end, which no interactive request may do: the tables, and the
// months of tables, that have many rows.
func largeTables(t *testing.T, url string) *regexp.Regexp {
	names, err := query[string](t, url, `select string_agg(relname, '|') from pg_class where relkind = 'r'
		and reltuples > 1000
		and relnamespace = 'public'::regnamespace`)
	require.NoError(t, err)
	for _, name := range []string{
		"devices", "members", "findings", "device_events", "orders", "rotations", "reveals", "deposits",
		"desired_states",
		"device_reports", "audit_entries", "rollout_devices",
	} {
		require.Regexp(t, `\b`+name+`(_open|_before|_later|_\d{4}_\d\d|)\b`, names)
	}
	return regexp.MustCompile(`Seq Scan on (` + names + `)\b`)
}

// largeRollouts takes changes out to 2,000 devices each: most have ended.
func largeRollouts(t *testing.T, url string) {
	for _, statement := range []string{
		`insert into changes (id, name, title, reason, state, version, created_at, created_by, updated_at, needs)
		select 'C' || i, 'went-out-' || i, '', '', 'done', 1, now(), 'asta', now(), '[]' from generate_series(1, 20) i`,
		`insert into rollouts (id, change_id, name, state, version, body, edits, touches, trouble, started_at,
			started_by, looked_at,
		ended_at, give_back) select 'R' || i, 'C' || i, 'went-out-' || i, 'done', 1,
		'{"state": "done", "waves": [{"title": "all", "tally": {"verified": 2000}}], "decisions": [{"what": "finished", "wave": -1}]}',
		'[]', '[]', '', now(), 'asta', now(), now(), false from generate_series(1, 20) i`,
		`insert into rollout_devices (rollout_id, device_id, wave, outcome, failing, units, epoch, number, since)
		select 'R' || i, d.id, 0, 'verified', '[]', '[]', 1, 1, now()
		from generate_series(1, 20) i, lateral (select id from devices order by id offset 2000 * (i - 1) limit 2000) d`,
		`analyze rollout_devices`,
	} {
		require.NoError(t, change(t, url, statement))
	}
}

// bigReport is what a workstation of eight accounts and three local groups reports.
var bigReport = func() string {
	sid := func(n int) string { return fmt.Sprintf("S-1-5-21-7-8-9-%d", n) }
	var accounts, members []map[string]any
	for i, name := range strings.Fields("quay-0 visitor mooring-01 crew-2 crew-6 old-2 mechanic harbour") {
		a := map[string]any{
			"name":             name,
			"sid":              sid(1000 + i),
			"enabled":          true,
			"full_name":        "",
			"description":      "",
			"password_expires": true,
		}
		switch i {
		case 0:
			a["builtin"] = "administrator"
		case 1:
			a["builtin"] = "guest"
		}
		accounts = append(accounts, a)
		members = append(members, map[string]any{"name": name, "sid": a["sid"]})
	}
	var groups []map[string]any
	for i, name := range []string{"administrators", "users", "guests"} {
		groups = append(
			groups,
			map[string]any{"local_group": name, "sid": fmt.Sprintf("S-1-5-32-%d", 544+i), "members": members},
		)
	}
	data, err := json.Marshal(map[string]any{
		"format": "rankwarden.report/1", "device": "SKL-BIG", "seq": 1, "at": "2031-03-04T06:00:00Z",
		"platform": "windows",
		"accounts": accounts, "local_groups": groups,
		"passwords": map[string]any{
			"min_length":   8,
			"history":      24,
			"max_age_days": 42,
			"min_age_days": 0,
			"complexity":   true,
		},
		"lockout": map[string]any{"threshold": 5, "duration_minutes": 15, "window_minutes": 15},
	})
	if err != nil {
		panic(err) // plain text and numbers
	}
	return string(data)
}()

// readFrom reads what a file holds after a number of bytes.
func readFrom(t *testing.T, path string, after int64) string {
	file, err := os.Open(path)
	require.NoError(t, err)
	defer file.Close()
	_, err = file.Seek(after, io.SeekStart)
	require.NoError(t, err)
	data, err := io.ReadAll(file)
	require.NoError(t, err)
	return string(data)
}
