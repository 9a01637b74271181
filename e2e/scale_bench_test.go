package e2e

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/console"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/store"

	"log/slog"
)

const fleetSize = 100_000

// benched is a service with its owner signed in, as benchmarks use it.
func benched(b *testing.B) (string, *app.Server, *client.Client) {
	url, _, s, c := benchedAs(b)
	return url, s, c
}

// benchedAs is the same with what it was started with, for another replica.
func benchedAs(b *testing.B) (string, app.Config, *app.Server, *client.Client) {
	ctx := b.Context()
	url, err := cluster.CreateDatabase(ctx, fmt.Sprintf("bench_%d", databases.Add(1)))
	require.NoError(b, err)
	config := app.Config{
		Listen:       "127.0.0.1:0",
		Database:     url,
		Keys:         filepath.Join(b.TempDir(), "keys.json"),
		Organisation: "Skerry Line",
		Interval:     time.Hour,
	}
	require.NoError(b, app.CreateKeys(ctx, config))
	s, err := app.Start(ctx, config, console.Files(), slog.New(slog.DiscardHandler))
	require.NoError(b, err)
	b.Cleanup(func() { require.NoError(b, s.Stop()) })
	_, err = s.Access.EnsureOwner(ctx, "asta", ownerPassword)
	require.NoError(b, err)
	c := client.New(s.URL, "").Look(hasLooked)
	_, err = c.SignIn(ctx, "asta", ownerPassword)
	require.NoError(b, err)
	return url, config, s, c
}

// bigFleet is a service with a hundred thousand enrolled devices in twenty groups.
func bigFleet(b *testing.B) (string, *client.Client, *store.Store) {
	ctx := b.Context()
	url, _, c := benched(b)
	_, err := c.CreateEnrolmentToken(ctx, client.EnrolmentSpec{Note: "bench", Uses: 1, Hours: 1})
	require.NoError(b, err)
	db, err := store.Open(ctx, url)
	require.NoError(b, err)
	b.Cleanup(db.Close)
	for _, statement := range []string{
		fmt.Sprintf(`insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state,
			public_key, key_id, token_id, enrolled_at, last_contact)
			select lpad(i::text, 26, '0'), 'SKL-BIG-' || i, 'skl-big-' || i, '', 'Box', 'windows', '10', 1, 'live',
			decode(lpad(to_hex(i), 64, '0'), 'hex'), 'k' || i,
			(select id from enrolment_tokens limit 1), now(), now() from generate_series(1, %d) i`, fleetSize),
		`insert into groups select 'g' || i, 'group-' || i, '', 1, now(), now() from generate_series(1, 20) i`,
		fmt.Sprintf(`insert into members select 'g' || (1 + i %% 20), d.id from generate_series(1, %d) i
			join devices d on d.name_key = 'skl-big-' || i`, fleetSize),
		`analyze`,
	} {
		require.NoError(b, change(b, url, statement))
	}
	return url, c, db
}

// publishTo publishes a new minimum length to a policy's devices and gives how long it took until
// every one of them had its new desired state.
func publishTo(b *testing.B, c *client.Client, db *store.Store, policy string, minimum int) time.Duration {
	ctx := b.Context()
	p, err := c.Policy(ctx, policy)
	require.NoError(b, err)
	p, err = c.SavePolicy(ctx, policy, document(policy, fmt.Sprintf("passwords: {min_length: %d}", minimum)), p.Version)
	require.NoError(b, err)
	began := time.Now()
	_, err = c.PublishPolicy(ctx, policy, p.Version)
	require.NoError(b, err)
	waitSettled(b, db)
	return time.Since(began)
}

func waitSettled(b *testing.B, db *store.Store) {
	require.Eventually(b, func() bool {
		waiting, err := db.With(context.Background()).SettleRequests()
		return err == nil && len(waiting) == 0
	}, patience, 20*time.Millisecond)
}

// BenchmarkFleet shows what an operator waits for with 100,000 devices: the share of PostgreSQL's
// own bare insert rate at which desired states are written, and the time of the pages.
func BenchmarkFleet(b *testing.B) {
	url, c, db := bigFleet(b)
	ctx := b.Context()
	for i, aim := range []api.Aim{{Include: []string{"everything"}, Rank: 500},
		{Include: []string{"group-1", "group-2"}, Rank: 100}} {
		name := fmt.Sprintf("p%d", i)
		p, err := c.CreatePolicy(ctx, document(name, "passwords: {min_length: 8}"))
		require.NoError(b, err)
		_, err = c.PublishPolicy(ctx, name, p.Version)
		require.NoError(b, err)
		aim.Policy = name
		_, err = c.CreateAssignment(ctx, name, aim)
		require.NoError(b, err)
	}
	waitSettled(b, db)
	minimum := 8
	var times []float64
	for b.Loop() {
		minimum++
		all := publishTo(b, c, db, "p0", minimum)
		some := publishTo(b, c, db, "p1", minimum+20)
		b.ReportMetric(0, "ns/op")
		b.ReportMetric(all.Seconds(), "s/publish-to-all")
		b.ReportMetric(some.Seconds(), "s/publish-to-a-tenth")

		// What PostgreSQL takes by itself for the same: rows of the same bytes under the same keys, and the same
		// columns of as many devices.
		require.NoError(b, change(b, url, `create table bare_states (like desired_states including all)`))
		require.NoError(b, change(b, url, `create table bare_devices (like devices including all)`))
		require.NoError(b, change(b, url, `insert into bare_devices select * from devices`))
		// What was there before.
		require.NoError(b, change(b, url, `insert into bare_states select s.* from desired_states s join devices d
			on d.id = s.device_id and (d.desired_epoch <> s.epoch or d.desired_number <> s.number)`))
		began := time.Now()
		require.NoError(b, change(b, url, `insert into bare_states select s.* from desired_states s join devices d
			on d.id = s.device_id and d.desired_epoch = s.epoch and d.desired_number = s.number`)) // what is new
		require.NoError(b, change(b, url, `update bare_devices d set scope = s.scope, held = d.held,
			held_units = d.held_units,
			desired_epoch = s.epoch, desired_number = s.number + 1, desired_digest = s.digest,
			settings_digest = s.settings,
			desired_at = now(), verified_at = null, changed_at = now() from bare_states s
			where s.device_id = d.id and s.epoch = d.desired_epoch and s.number = d.desired_number`))
		bare := time.Since(began)
		require.NoError(b, change(b, url, `drop table bare_states, bare_devices`))
		times = append(times, all.Seconds()/bare.Seconds())
		slices.Sort(times)
		b.ReportMetric(times[len(times)/2], "times-bare") // the middle one so far

		// A group by rule over the whole fleet, which then changes for a tenth of it; and a directory.
		rule, people := fmt.Sprintf("by-rule-%d", minimum), ldifOf(20_000, minimum)
		timed := func(name string, do func() error) {
			began := time.Now()
			require.NoError(b, do())
			b.ReportMetric(time.Since(began).Seconds(), "s/"+name)
		}
		timed("rule-made", func() error {
			_, err := c.CreateGroup(
				ctx,
				client.GroupSpec{Name: rule, Rule: `device.os_build >= 1 && device.name.startsWith("SKL-")`},
			)
			return err
		})
		timed("rule-changed", func() error {
			next := `device.name.startsWith("SKL-") && !device.name.endsWith("7")`
			_, err := c.EditGroup(ctx, rule, client.GroupEdit{Rule: &next}, 1)
			return err
		})
		timed("rule-tried", func() error { _, err := c.TestRule(ctx, `device.name.contains("77")`); return err })
		timed(
			"20,000-people-imported",
			func() error { _, err := c.ImportDirectory(ctx, people, true, true); return err },
		)
		timed("groups-listed", func() error { _, err := c.Groups(ctx, "", client.Page{}); return err })
		waitSettled(b, db)

		for name, ask := range map[string]func() error{
			"directory": func() error { _, err := c.Directory(ctx, "person 777", "", client.Page{}); return err },
			"watch":     func() error { _, err := c.Overview(ctx); return err },
			"devices": func() error {
				_, err := c.Devices(ctx, client.DeviceQuery{Search: "big-777"}, client.Page{})
				return err
			},
			"drifted": func() error {
				_, err := c.Devices(ctx, client.DeviceQuery{Standing: "drifted"}, client.Page{})
				return err
			},
			"policies": func() error { _, err := c.Policies(ctx, "", client.Page{}); return err },
		} {
			began := time.Now()
			require.NoError(b, ask())
			b.ReportMetric(float64(time.Since(began).Milliseconds()), "ms/"+name)
		}
	}
}

// ldifOf is a directory of so many people; their identifiers differ from one time to the next.
func ldifOf(people, time int) []byte {
	var ldif []byte
	for i := range people {
		ldif = fmt.Appendf(
			ldif,
			"dn: cn=Person %[1]d,dc=skerryline,dc=example\nobjectClass: person\ncn: Person %[1]d\nuid: "+
				"person.%[1]d\nobjectSid: S-1-5-21-70-80-%[2]d-%[1]d\n\n",
			i,
			time,
		)
	}
	return ldif
}
