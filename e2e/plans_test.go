package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

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
	s.person("nightwatch", api.Role{Role: "viewer", Groups: []string{"group-7", "few"}})
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
			"/approvals", "/sheets",
			"/memberships?principal=group:crew-1@skerryline.example", "/memberships?principal=person-7&all=true",
			"/memberships?principal=group:crew-9@skerryline.example", "/account-devices?name=person-3", "/accounts",
			"/accounts?unknown=true&search=son-1&group=few", "/devices?unknown_accounts=privileged",
			"/devices/SKL-BIG-000001/administrators", "/devices/SKL-BIG-000001/inventory-changes",
			"/left-behind-accounts", "/left-behind-accounts?group=few", "/passwords?retired=true", "/handovers",
			"/handovers?group=few", "/devices/SKL-BIG-000001/handover",
			"/held-settings", "/locked-accounts", "/directory?search=nobody", "/devices/SKL-BIG-000001",
			"/devices/SKL-BIG-000001/why", "/devices/SKL-BIG-000001/why?at=2031-01-01T00:00:00Z",
			"/devices/SKL-BIG-000001/why?at=2026-01-01T00:00:00Z", "/devices/SKL-BIG-000001/passwords",
			"/devices/SKL-BIG-000001/setting-history?setting=lockout", "/tokens", "/session",
			"/changes", "/changes?search=none", "/rollouts", "/rollouts?under_way=true", "/rollouts/went-out-7",
			"/rollouts/went-out-7/devices?outcome=failed",
			"/rollout-defaults", "/brakes", "/brakes?all=true", "/waivers", "/waivers?ending=true",
			"/warrants", "/warrants?open=true",
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
	_, err = s.owner.WhatIf(ctx, api.WhatIf{Leaving: "user:leaver@skerryline.example"})
	require.NoError(t, err)
	_, err = s.owner.PreviewAccountOrder(ctx, api.AccountOrder{Do: "disable", Account: "local:person-3", Group: "few",
		Files: "keep"})
	require.NoError(t, err)
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
	for _, statement := range []string{`update findings set state = 'closed', closed_at = now() where state = 'open'`,
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

// BenchmarkPages shows how long lists and pages take with a hundred thousand devices.
func BenchmarkPages(b *testing.B) {
	_, c := bigReported(b)
	ctx := b.Context()
	stricter := func(groups ...string) []api.ChangeEdit {
		return []api.ChangeEdit{
			{Kind: "publish", Name: "stricter", Document: document("stricter", "passwords: {min_length: 20}\n"+
				"membership: [{local_group: administrators, mode: exact, members: [sid:S-1-5-21-1-2-3-1104]}]")},
			aimAt("stricter", 1, 0, groups...),
		}
	}
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
