package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
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
			'group_members'::regclass) and i.indexrelid not in (select conindid from pg_constraint union all
			select inhrelid from pg_inherits)`,
		`do $$ declare i text; begin lock table findings, device_events, group_members; for i in select name
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
		fmt.Sprintf(`insert into group_members select 'g' || (1 + (i + k * 29) %% 300), 'skl-big-' || lpad(i::text,
			6, '0') from generate_series(1, 10) k, generate_series(1, %d) i`, devices),
		`insert into groups values ('few', 'few', '', 1, now(), now())`,
		`insert into group_members select 'few', name_key from devices order by id limit 3`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen)
			select id, 'k', 'passwords.min_length', 'wrong_value', '', '12', '8', '["base"]', 'open', now(), now()
			from devices
			where open_findings = 1`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen, closed_at)
			select d.id, 'k' || k, 'passwords.history', 'wrong_value', '', '12', '8', '["base"]', 'settled', now() - k *
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
			'account:keeper',
			'S-1-5-21-1-2-3-1004', 'keeper-' || right(id, 4), now(), 43200 from devices`,
		`insert into deposits (device_id, epoch, number, target, account, name_before, name_after, reason, organisation,
			key_number, sealed, digest, policy, state, deposited_at)
			select id, 1, 1, 'account:keeper', 'S-1-5-21-1-2-3-1004', 'keeper', 'keeper', 'first', 'Skerry Line', 1, '',
			'', '',
			'current', now() from devices`,
		`insert into reveals (device_id, target, operator, reason, copied, deposits, at) select id, 'account:keeper',
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
		`do $$ declare i text; begin lock table findings, device_events, group_members; for i in select indexdef
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
		"devices", "group_members", "findings", "device_events", "orders", "rotations", "reveals", "deposits",
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

// No list, count, search or page of an operator reads a large table from end to end.
func TestNoRequestScansALargeTable(t *testing.T) {
	beside(t)
	logs := dataDir(t)
	require.NoError(t, os.Chmod(logs, 0o777))
	own, err := pgcluster.Start(
		t.Context(),
		filepath.Join(dataDir(t), "postgres"),
		"fsync=off",
		"full_page_writes=off",
		"wal_level=minimal",
		"max_wal_senders=0",
		"autovacuum=off",
		"maintenance_work_mem=256MB",
		"shared_preload_libraries=auto_explain",
		"auto_explain.log_min_duration=0",
		"logging_collector=on",
		"log_directory="+logs,
		"log_filename=plans.log",
		"log_line_prefix=%a|",
		"log_min_messages=log",
		"max_wal_size=4GB",
	)
	require.NoError(t, err)
	t.Cleanup(own.Stop)
	s := startOn(t, own)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 0)
	s.enrolmentToken(1)
	largeFleet(t, s.config.Database, 40_000) // reading any of it from end to end is never the cheaper way
	largeRollouts(t, s.config.Database)
	require.NoError(t, change(t, s.config.Database,
		`insert into audit_entries (seq, at, actor, address, action, object, reason,
		outcome, prev, hash) select i + (select max(seq) from audit_entries), now() - (50000 - i) * interval '1 minute',
		case i % 3 when 0 then 'asta' else 'device:' || i end,
		'', case i % 50 when 0 then 'policy.saved' else 'device.enrolled' end, 'thing-' || i, '', case i % 999 when 0
		then 'refused' else
		'done' end, '', '' from generate_series(1, 40000) i`))
	require.NoError(t, change(t, s.config.Database, "analyze audit_entries"))
	s.Changed(ctx)
	_, err = s.owner.CreateOperator(
		ctx,
		"nightwatch",
		ownerPassword,
		api.Role{Role: "viewer", Groups: []string{"group-7", "few"}},
	)
	require.NoError(t, err)
	plans := filepath.Join(logs, "plans.log")
	info, err := os.Stat(plans)
	require.NoError(t, err)
	for _, header := range []map[string][]string{s.session("asta"), s.session("nightwatch")} {
		for _, path := range []string{"/watch", "/watch?group=few", "/devices", "/devices?search=777",
			"/devices?search=sl-99&standing=drifted", "/devices?group=group-3", "/devices?state=retired",
			"/device-standings",
			"/device-standings?group=group-3", "/groups", "/groups/group-7/devices", "/policies", "/assignments",
			"/findings", "/findings?group=few", "/findings?group=group-7", "/findings?state=settled",
			"/findings?state=settled&unit=lockout", "/findings?state=settled&since=2031-01-01T00:00:00Z",
			"/findings?unit=administrators", "/findings?kind=member_extra", "/finding-sums",
			"/finding-sums?group=group-3", "/finding-counts?by=assignment", "/finding-counts?by=group&assignment=base",
			"/finding-counts?by=device&group=few",
			"/findings?assignment=base",
			"/finding-sums?state=settled", "/device-events", "/device-events?kind=member_removed",
			"/device-events?kind=guard_refused", "/device-events?group=few",
			"/device-events?group=group-7&since=2031-01-01T00:00:00Z",
			"/device-events?until=2020-01-01T00:00:00Z", "/orders", "/orders?group=few", "/order-progress/some",
			"/passwords", "/passwords?search=777", "/passwords?overdue=true", "/reveals", "/reveals?group=few",
			"/approvals",
			"/held-settings", "/locked-accounts", "/directory?search=nobody", "/devices/SKL-BIG-000001",
			"/devices/SKL-BIG-000001/why", "/devices/SKL-BIG-000001/why?at=2031-01-01T00:00:00Z",
			"/devices/SKL-BIG-000001/why?at=2026-01-01T00:00:00Z", "/devices/SKL-BIG-000001/passwords",
			"/devices/SKL-BIG-000001/setting-history?setting=lockout", "/tokens", "/session",
			"/changes", "/changes?search=none", "/rollouts", "/rollouts?under_way=true", "/rollouts/went-out-7",
			"/rollouts/went-out-7/devices?outcome=failed",
			"/rollout-defaults", "/brakes", "/brakes?all=true", "/waivers", "/waivers?ending=true",
			"/findings?state=waived", "/standing-history", "/standing-history?group=few", "/enrolment-tokens",
			"/trail", "/trail?actor=nobody", "/trail?actor=asta&action=policy", "/trail?action=policy.published",
			"/trail?action=operator&outcome=refused",
			"/trail?outcome=refused", "/trail?on=base", "/trail?device=SKL-BIG-000001",
			"/trail?since=2031-01-01T00:00:00Z", "/trail?until=2020-01-01T00:00:00Z",
			"/trail/entries/7", "/trail/checkpoints", "/trail/check?after=30000"} {
			status := try(t, s.URL, described{path, "GET", "/api/v1" + path}, header)
			assert.Less(t, status, 500, path)
		}
		for _, o := range []described{{"test-rule", "POST", "/api/v1/rule-trial"},
			{"check-policy", "POST", "/api/v1/policy-check"},
			{"show-ladder", "POST", "/api/v1/ladder"}, {"match-device-names", "POST", "/api/v1/device-names"}} {
			assert.Equal(t, 200, try(t, s.URL, o, header), o.id)
		}
	}
	// PostgreSQL's log is complete once it has a mark of ours.
	require.NoError(t, change(t, s.config.Database, "select 'the end of the plans'"))
	log := ""
	s.until(func() bool {
		log = readFrom(t, plans, info.Size())
		return strings.Contains(log, "the end of the plans")
	})
	found := map[string]bool{}
	asked, large := 0, largeTables(t, s.config.Database)
	for _, entry := range strings.Split(log, "\nrankwarden-")[1:] {
		if !strings.HasPrefix(entry, "operators ") {
			continue
		}
		asked++
		if scan := large.FindString(entry); scan != "" {
			query, _, _ := strings.Cut(entry, "\n\t"+"Limit")
			found[scan+"\n"+query[:min(len(query), 600)]] = true
		}
	}
	assert.Greater(t, asked, 200, "the plans were seen")
	for what := range found {
		t.Errorf("%s", what)
	}

	// Once PostgreSQL believes that nothing is open, a device's findings are still found by the device,
	// and not by going through all that were opened since.
	for _, statement := range []string{`update findings set state = 'settled', closed_at = now() where state = 'open'`,
		`vacuum analyze findings`,
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen)
			select id, 'k', 'passwords.min_length', 'wrong_value', '', '12', '8', '["base"]', 'open', now(), now() from
			devices`} {
		require.NoError(t, change(t, s.config.Database, statement))
	}
	info, err = os.Stat(plans)
	require.NoError(t, err)
	db, err := store.Open(ctx, s.config.Database)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	open, err := db.With(ctx).OpenFindings("00000000000000000000000777")
	require.NoError(t, err)
	assert.Len(t, open, 1)
	require.NoError(t, change(t, s.config.Database, "select 'the end of the trap'"))
	s.until(func() bool {
		log = readFrom(t, plans, info.Size())
		return strings.Contains(log, "the end of the trap")
	})
	assert.Contains(t, log, "Index Scan using findings_open_once on findings_open")
}

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

// BenchmarkPages shows how long lists and pages take with a hundred thousand devices.
func BenchmarkPages(b *testing.B) {
	url, c, _ := bigFleet(b)
	require.NoError(b, change(b, url, "truncate devices, group_members, groups, device_reports, device_events, "+
		"desired_states, findings cascade"))
	largeFleet(b, url, fleetSize)
	ctx := b.Context()
	require.NoError(
		b,
		change(b, url, "update device_reports set at = now(), received_at = now(), body = '"+bigReport+"'"),
	)
	require.NoError(b, change(b, url, "update devices d set report_id = r.id, reported_at = r.received_at "+
		"from device_reports r where r.device_id = d.id"))
	require.NoError(b, change(b, url, "vacuum analyze"))
	stricter := func(groups ...string) []api.ChangeEdit {
		return []api.ChangeEdit{
			{Kind: "publish", Name: "stricter", Document: document("stricter", "passwords: {min_length: 20}\n"+
				"membership: [{local_group: administrators, mode: exact, members: [sid:S-1-5-21-1-2-3-1104]}]")},
			aimAt("stricter", 1, 0, groups...),
		}
	}
	require.Eventually(b, func() bool {
		n, err := c.Standings(ctx, client.DeviceQuery{})
		return err == nil && n.InStep+n.Drifted+n.Held == fleetSize
	}, time.Minute, 50*time.Millisecond)
	for name, ask := range map[string]func() error{
		"watch":      func() error { _, err := c.Overview(ctx); return err },
		"rule-trial": func() error { _, err := c.TestRule(ctx, `device.name.contains("77")`); return err },
		"finding-sums": func() error {
			_,
				err := c.FindingSums(ctx, client.FindingQuery{Group: "group-3"})
			return err
		},
		"device-standings": func() error {
			_,
				err := c.Standings(ctx, client.DeviceQuery{Group: "group-3"})
			return err
		},
		"devices-search": func() error {
			_,
				err := c.Devices(ctx, client.DeviceQuery{Search: "777"}, client.Page{})
			return err
		},
		"devices-search-none": func() error {
			_, err := c.Devices(ctx, client.DeviceQuery{Search: "nothing like it"}, client.Page{})
			return err
		},
		"passwords-search": func() error {
			_, err := c.Passwords(ctx, client.PasswordQuery{Search: "777"}, client.Page{})
			return err
		},
		"groups": func() error { _, err := c.Groups(ctx, "", client.Page{}); return err },
		"findings-group": func() error {
			_, err := c.Findings(ctx, client.FindingQuery{Group: "group-7"}, client.Page{})
			return err
		},
		"events-few": func() error {
			_,
				err := c.Events(ctx, client.EventQuery{Group: "few"}, client.Page{})
			return err
		},
		"policies":              func() error { _, err := c.Policies(ctx, "", client.Page{}); return err },
		"preview-of-3000":       func() error { _, err := c.PreviewEdits(ctx, stricter("group-3")); return err },
		"preview-of-everything": func() error { _, err := c.PreviewEdits(ctx, stricter("everything")); return err },
		"ladder":                func() error { _, err := c.Ladder(ctx, "", "group-3"); return err },
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				require.NoError(b, ask())
			}
		})
	}
}

// bigReport is what a workstation of eight accounts and three local groups reports.
var bigReport = func() string {
	sid := func(n int) string { return fmt.Sprintf("S-1-5-21-7-8-9-%d", n) }
	var accounts, members []map[string]any
	for i, name := range strings.Fields("quay-0 visitor keeper-01 crew-2 crew-6 old-2 mechanic harbour") {
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
