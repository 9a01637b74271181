package e2e

import (
	"compress/gzip"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// formerVersion is what a service of version 0.14 left behind: its database, as pg_dump wrote it, its keys, and the
// password of its owner. Three devices of the demo were enrolled, rotated passwords and were in step.
const formerVersion = "testdata/version-0.14"

// restored is a database with the dump of the former version, whose address it gives as the service's role.
func restored(t *testing.T) string {
	url, err := cluster.CreateDatabase(t.Context(), fmt.Sprintf("test_%d", databases.Add(1)))
	require.NoError(t, err)
	file, err := os.Open(filepath.Join(formerVersion, "database.sql.gz"))
	require.NoError(t, err)
	defer file.Close()
	unpacked, err := gzip.NewReader(file)
	require.NoError(t, err)
	dump, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), string(dump))
	require.NoError(t, err)
	return url
}

// A service of today starts over what one of the former version left: nobody and nothing is lost, nothing is settled
// otherwise, the trail of then is still proved, and the passwords of then open.
func TestAnUpgradeOfTheFormerVersion(t *testing.T) {
	beside(t)
	url := restored(t)
	admin, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer admin.Close()
	schema, err := admin.Schema(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 31, schema)
	numbers := func() (n []int64) {
		for _, table := range []string{"devices", "policies", "assignments", "groups", "group_members", "deposits",
			"change_edits", "device_events", "directory_entries"} {
			count, err := query[int64](t, url, "select count(*) from "+table)
			require.NoError(t, err)
			n = append(n, count)
		}
		return n
	}
	before := numbers()
	s := configured(t, pgcluster.ForService(url))
	s.config.MigrateDatabase = url
	for path, name := range map[string]string{s.config.Keys: "keys.json", s.config.EscrowKeys: "escrow-keys.json"} {
		data, err := os.ReadFile(filepath.Join(formerVersion, name))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path, data, 0o600))
	}
	s.run()
	t.Cleanup(func() { s.stop() })
	assert.Equal(t, before, numbers())
	ctx := t.Context()
	password, err := os.ReadFile(filepath.Join(formerVersion, "password"))
	require.NoError(t, err)
	s.owner = client.New(s.URL, "").Look(hasLooked)
	_, err = s.owner.SignIn(ctx, "harbourmaster", strings.TrimSpace(string(password)))
	require.NoError(t, err)

	for _, name := range []string{"SKL-BRG-001", "SKL-TKT-001", "SKL-TKT-002"} {
		w := s.why(name)
		assert.EqualValues(t, 1, w.Device.Desired, "%s: nothing is settled otherwise", name)
		assert.Empty(t, w.Problems, name)
	}
	seen, err := s.owner.Reveal(ctx, "SKL-BRG-001", api.RevealSpec{Account: "account:keeper", Reason: "the upgrade"})
	require.NoError(t, err)
	assert.NotEmpty(t, seen.Candidates)
	checked, err := s.owner.CheckTrail(ctx, 0)
	require.NoError(t, err)
	assert.Zero(t, checked.Broken, checked.Why)
	kept, err := s.owner.Change(ctx, "desks-and-northwick")
	require.NoError(t, err)
	require.Len(t, kept.Edits, 2)
	assert.False(t, kept.Edits[0].Conflict)
	preview, err := s.owner.PreviewChange(ctx, "desks-and-northwick")
	require.NoError(t, err)
	done, err := s.owner.ApplyChange(ctx, "desks-and-northwick", preview.Digest)
	require.NoError(t, err)
	assert.Equal(t, "done", done.State)
	s.until(func() bool { return s.why("SKL-TKT-001").Device.Desired == 2 })
}

// What the program before writes while the schema is ahead of it is stored in the words of today, and what it wrote
// before is too.
func TestFindingsOfTheFormerVersionAreClosed(t *testing.T) {
	beside(t)
	url := restored(t)
	closing := `insert into findings (device_id, key, unit, kind, subject, assignments, state, first_seen, last_seen,
		closed_at, told) select id, 'k', 'lockout', 'wrong_value', '', '[]', 'settled', now(), now(), now(), 'settled'
		from devices limit 1`
	require.NoError(t, change(t, url, closing))
	db, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.Migrate(t.Context(), slog.New(slog.DiscardHandler)))
	require.NoError(t, change(t, url, closing))
	states, err := query[string](t, url, "select string_agg(state || ' ' || told, ', ' order by id) from findings")
	require.NoError(t, err)
	assert.Equal(t, "closed closed, closed settled", states)
}

// What the program before writes of members by name, while the schema is ahead of it, is the same by device, and the
// reverse.
func TestMembersByNameOfTheFormerVersion(t *testing.T) {
	beside(t)
	url := restored(t)
	db, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, db.Migrate(t.Context(), slog.New(slog.DiscardHandler)))
	do := func(statement string) { require.NoError(t, change(t, url, statement)) }
	says := func(names, members, expected string) {
		t.Helper()
		for from, want := range map[string]string{
			"device as n from group_members":                                  names,
			"d.name as n from members m join devices d on d.id = m.device_id": members,
			"name_key as n from expected_names":                               expected,
		} {
			got, err := query[string](t, url, "select coalesce(string_agg(n, ' ' order by n), '') from (select "+from+
				" where group_id = 'g') x")
			require.NoError(t, err)
			assert.Equal(t, want, got, from)
		}
	}
	do("insert into groups (id, name, description, version, created_at, updated_at) " +
		"values ('g', 'g', '', 1, now(), now())")
	do("insert into group_members (group_id, device) values ('g', 'skl-tkt-001'), ('g', 'nobody')")
	says("nobody skl-tkt-001", "SKL-TKT-001", "nobody")
	do("update devices set name = 'SKL-TKT-003', name_key = 'skl-tkt-003' where name_key = 'skl-tkt-001'")
	says("nobody skl-tkt-003", "SKL-TKT-003", "nobody")
	do("update devices set name = 'NOBODY', name_key = 'nobody' where name_key = 'skl-tkt-002'")
	says("nobody skl-tkt-003", "NOBODY SKL-TKT-003", "")
	do("delete from group_members where group_id = 'g' and device = 'nobody'")
	says("skl-tkt-003", "SKL-TKT-003", "")

	do("insert into members (group_id, device_id) select 'g', id from devices where name_key = 'skl-brg-001'")
	do("insert into expected_names values ('g', 'skl-brg-009')")
	says("skl-brg-001 skl-brg-009 skl-tkt-003", "SKL-BRG-001 SKL-TKT-003", "skl-brg-009")
	do("delete from members where group_id = 'g'")
	do("delete from expected_names where group_id = 'g'")
	says("", "", "")
}
