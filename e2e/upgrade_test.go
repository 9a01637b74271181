package e2e

import (
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"fmt"
	"os"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/wire/audit"
)

// firstVersion is a database as the first version left it: an owner and a viewer, a group, a policy in force, an
// assignment, and a device, with what the trail said of it, in the form of the hash that was then.
func firstVersion(t *testing.T, url string) {
	db, err := sql.Open("pgx", url)
	require.NoError(t, err)
	defer db.Close()
	migrations, err := goose.NewProvider(goose.DialectPostgres, db, os.DirFS("../internal/store/migrations"))
	require.NoError(t, err)
	_, err = migrations.UpTo(t.Context(), 1)
	require.NoError(t, err)
	hash, err := auth.NewHashing(64).Hash(ownerPassword)
	require.NoError(t, err)
	source := document("base", "passwords: {min_length: 9}")
	for _, statement := range []struct {
		text string
		args []any
	}{
		{"insert into operators (id, name, role, password_hash, created_at) values ('01A', 'asta', 'owner', $1, " +
			"now()), ('01B', 'bjorn', 'viewer', $1, now())", []any{hash}},
		{"insert into groups values ('01G', 'desks', 'Desks', 1, now(), now())", nil},
		{"insert into group_members values ('01G', 'skl-tkt-001')", nil},
		{"insert into policies values ('01P', 'base', 'Base', $1, 1, 1, now(), now(), 'asta')", []any{source}},
		{"insert into policy_revisions values ('01P', 1, $1, now(), 'asta')", []any{source}},
		{`insert into assignments values ('01S', 'desks-base', '01P', 1, '["desks"]', '[]', 500, 1, now(), now())`,
			nil},
		{`insert into enrolment_tokens values ('01T', '', '\x00', 0, '[]', 'asta', now(), now(), null)`, nil},
		{`insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state, public_key,
			key_id, token_id,
			enrolled_at) values ('01D', 'SKL-TKT-001', 'skl-tkt-001', 'S1', 'Pier Desk', 'windows', '10', 22631, 'live',
			'\x01', 'k', '01T', now())`, nil},
	} {
		_, err := db.ExecContext(t.Context(), statement.text, statement.args...)
		require.NoError(t, err, statement.text)
	}
	prev := []byte{}
	for i, object := range []string{"base", "desks"} {
		at := time.Date(2026, 2, 1, 8, i, 0, 0, time.UTC)
		hashed := fmt.Sprintf(`{"seq":%d,"at":%q,"actor":"asta","address":"","action":"policy.saved","object":%q,"before":null,`+
			`"after":{"a":1,"name":"x"},"reason":"","outcome":"done","prev":%q}`, i+1, at.Format(time.RFC3339), object,
			base64.StdEncoding.EncodeToString(prev))
		sum := sha256.Sum256([]byte(hashed))
		_, err := db.ExecContext(t.Context(),
			`insert into audit_entries (seq, at, actor, address, action, object, before, after, reason, outcome,
			prev, hash) values ($1, $2, 'asta', '', 'policy.saved', $3, null, '{"name": "x", "a": 1}', '', 'done', $4,
			$5)`,
			i+1, at, object, prev, sum[:])
		require.NoError(t, err)
		prev = sum[:]
	}
}

// A service of today starts over a database of the first version: nobody is lost, nothing is settled otherwise, and the
// trail of then is still proved.
func TestAnUpgradeOverTheFirstVersion(t *testing.T) {
	beside(t)
	url, err := cluster.CreateDatabase(t.Context(), fmt.Sprintf("test_%d", databases.Add(1)))
	require.NoError(t, err)
	firstVersion(t, url)
	s := startWith(t, url) // which brings it up to date
	ctx := t.Context()
	me, err := s.owner.Me(ctx)
	require.NoError(t, err)
	assert.Equal(t, "owner", me.Roles[0].Role)
	require.NoError(t, s.enters("bjorn", ownerPassword, ""))
	s.settled()
	w := s.why("SKL-TKT-001")
	require.Len(t, w.Units, 1)
	assert.Equal(t, "9 characters", w.Units[0].Desired)
	groups, err := s.owner.Groups(ctx, "", client.Page{})
	require.NoError(t, err)
	assert.Equal(t, "desks", groups.Items[0].Name)
	last, err := audit.Verify(s.db.With(ctx).Trail())
	require.NoError(t, err)
	assert.Greater(t, last, int64(2))
	_, err = s.owner.MakeCheckpoint(ctx)
	require.NoError(t, err)
	checked, err := s.owner.CheckTrail(ctx, 0)
	require.NoError(t, err)
	assert.Zero(t, checked.Broken, checked.Why)
	s.publish("screens", "lockout: {threshold: 5}", 400, "everything")
	s.settled()
	assert.Len(t, s.why("SKL-TKT-001").Units, 2)
}
