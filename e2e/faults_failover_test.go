package e2e

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/internal/kit/pgcluster"
)

// follow starts a standby that has all that the leader has.
func (f *faulty) follow() *pgcluster.Cluster {
	standby, err := f.cluster.Standby(f.t.Context(), filepath.Join(dataDir(f.t), "standby"), "fsync=off")
	require.NoError(f.t, err)
	f.t.Cleanup(standby.Stop)
	f.caughtUp()
	return standby
}

// caughtUp waits until every standby has replayed what the leader wrote.
func (f *faulty) caughtUp() {
	f.until(func() bool {
		behind, err := query[int](f.t, f.cluster.URL(),
			"select count(*) from pg_stat_replication where replay_lsn < pg_current_wal_lsn()")
		return err == nil && behind == 0
	})
}

// rotateAll has every device change its password, and waits until all have.
func (f *faulty) rotateAll() {
	f.t.Helper()
	changed := func() int {
		n, err := query[int](f.t, f.config.Database, "select coalesce(sum(confirmed_number), 0)::int from devices")
		require.NoError(f.t, err)
		return n
	}
	before := changed()
	_, err := f.owner.SendOrder(f.t.Context(),
		api.NewOrder{Kind: "rotate", Subject: "account:mooring", Devices: f.names})
	require.NoError(f.t, err)
	require.Eventually(f.t, func() bool { return changed() >= before+len(f.names) }, patience, 50*time.Millisecond)
}

// A standby that lacks the last commits takes over without a word: passwords that were changed meanwhile are in escrow
// again, edits reach every device, and everybody is told.
func TestAFailoverThatLostCommits(t *testing.T) {
	f := newFaulty(t, agents())
	ctx := t.Context()
	standby := f.follow()
	require.NoError(t, standby.Detach(ctx))
	f.rotateAll() // none of it reaches the standby
	f.edit(6)
	require.Eventually(t, func() bool { return f.locksAt(6) == len(f.names) }, patience, 50*time.Millisecond)
	assert.Empty(t, f.wrongPasswords())

	f.cluster.Kill()
	require.NoError(t, standby.Promote(ctx))
	f.cluster = standby
	f.relay.leadTo(fmt.Sprintf("127.0.0.1:%d", standby.Port))
	began := time.Now()
	t.Logf("after the failover %d of %d passwords in escrow open nothing", len(f.wrongPasswords()), len(f.names))
	f.inStep(len(f.names))
	t.Logf("healed %s after the failover, with no hand on it", time.Since(began).Round(100*time.Millisecond))

	epoch, err := query[int](t, f.config.Database, "select epoch from service_state")
	require.NoError(t, err)
	assert.Equal(t, 2, epoch, "one, whichever replica began it")
	assert.Equal(t, len(f.names), f.locksAt(5), "the edit was lost with the leader")
	assert.Contains(t, f.said(0)+f.said(1), "a standby was promoted")
	o, err := f.owner.Overview(ctx)
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Contains(t, o.Decisions[0].Title, "The database went back")
	assert.Contains(t, f.why(f.names[0]).Notes[0], "went back")
	f.edit(7)
	require.Eventually(t, func() bool { return f.locksAt(7) == len(f.names) }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
	out, err := rankwardend(t.TempDir(), "check", "--database", f.config.Database, "--keys", f.config.Keys,
		"--escrow-keys",
		f.config.EscrowKeys).CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Contains(t, string(out), "went back")
}

// A standby that has every commit takes over: nothing is lost, and nothing is wrong for a moment.
func TestAFailoverThatLostNothing(t *testing.T) {
	f := newFaulty(t, min(agents(), 200))
	standby := f.follow()
	require.NoError(t, f.cluster.Do(t.Context(), "alter system set synchronous_standby_names = '*'"))
	require.NoError(t, f.cluster.Do(t.Context(), "select pg_reload_conf()"))
	f.rotateAll()
	f.edit(6)
	f.cluster.Kill()
	require.NoError(t, standby.Promote(t.Context()))
	f.cluster = standby
	require.NoError(t, standby.Do(t.Context(), "alter system reset synchronous_standby_names"))
	require.NoError(t, standby.Do(t.Context(), "select pg_reload_conf()"))
	f.relay.leadTo(fmt.Sprintf("127.0.0.1:%d", standby.Port))
	require.Eventually(t, func() bool { return f.locksAt(6) == len(f.names) }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
	assert.False(t, strings.Contains(f.said(0)+f.said(1), "panic"))
}
