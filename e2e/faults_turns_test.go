package e2e

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// holding takes locks in the database as somebody else would, until the test lets go of them.
func (f *faulty) holding(statements ...string) (letGo func()) {
	f.t.Helper()
	return holding(f.t, f.config.Database, statements...)
}

func holding(t *testing.T, url string, statements ...string) (letGo func()) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), pgcluster.ForOwner(url))
	require.NoError(t, err)
	tx, err := conn.Begin(t.Context())
	require.NoError(t, err)
	for _, statement := range statements {
		_, err = tx.Exec(t.Context(), statement)
		require.NoError(t, err)
	}
	done := false
	letGo = func() {
		if !done {
			done = true
			_ = conn.Close(context.Background())
		}
	}
	t.Cleanup(letGo)
	return letGo
}

// inTurn waits until a process holds a lease and is stuck in it, and says which.
func (f *faulty) inTurn(lock int, table string) (process int) {
	f.t.Helper()
	holder := ""
	f.until(func() bool {
		var err error
		holder, err = query[string](f.t, f.config.Database, fmt.Sprintf(`select coalesce((select r.host from fences x
			join replicas r on r.id = x.holder where x.lock = %d and x.ends_at > clock_timestamp()
			and exists (select from pg_stat_activity a where a.application_name = 'rankwarden-jobs ' || x.holder
			and a.wait_event_type = 'Lock')), '')`, lock))
		return err == nil && holder != ""
	})
	for i, r := range f.replicas {
		if strings.HasSuffix(holder, fmt.Sprintf("process %d", r.cmd.Process.Pid)) {
			return i
		}
	}
	require.Fail(f.t, "no process of ours", "%s, waiting for %s", holder, table)
	return 0
}

// A process is frozen in the middle of a turn, with its connections open and a transaction under way: the other one
// takes the turn, whatever the first still holds in the database.
func TestAFrozenReplicaInEveryTurn(t *testing.T) {
	f := newFaulty(t, min(agents(), 100))
	threshold := 5
	for _, turn := range []struct {
		lock  int
		table string // that the turn writes
		does  func() bool
	}{
		{store.LockSettle, "scopes", func() bool { return f.locksAt(threshold) == len(f.names) }},
		{store.LockNotify, "notified_to", func() bool {
			behind, err := query[int](t, f.config.Database,
				"select ((select max(seq) from audit_entries) - (select seq from notified_to "+
					"where what = 'trail'))::int")
			return err == nil && behind <= 1
		}},
	} {
		letGo := f.holding("lock table " + turn.table + " in exclusive mode")
		threshold++
		go f.edit(threshold)
		frozen := f.inTurn(turn.lock, turn.table)
		f.freeze(frozen)
		letGo()
		began := time.Now()
		require.Eventually(t, turn.does, 3*time.Minute, 50*time.Millisecond, turn.table)
		t.Logf("the turn that writes %s went on %s after its process was frozen", turn.table, time.Since(began).
			Round(100*time.Millisecond))
		f.thaw(frozen)
		require.Eventually(t, func() bool { return f.locksAt(threshold) == len(f.names) }, patience,
			50*time.Millisecond)
		f.inStep(len(f.names))
	}

	f.lenient = true // devices at the frozen process are silent for longer than their few seconds
	f.goesOut("watched", "30", "everything")
	letGo := f.holding("lock table rollouts in exclusive mode")
	frozen := f.inTurn(store.LockRollouts, "rollouts")
	f.freeze(frozen)
	letGo()
	require.Eventually(t, func() bool { return f.locksAt(30) == len(f.names) }, patience, 50*time.Millisecond)
	f.thaw(frozen)
	f.inStep(len(f.names))
}

// Somebody holds the row of one device for as long as they like: every other device gets what is asked, is heard, and
// changes its password.
func TestOneLockedRowStopsOneDevice(t *testing.T) {
	f := newFaulty(t, min(agents(), 100))
	stuck := f.names[0]
	letGo := f.holding("select 1 from devices where name = '" + stuck + "' for update")
	f.edit(6)
	require.Eventually(t, func() bool { return f.locksAt(6) >= len(f.names)-1 }, patience, 50*time.Millisecond)
	f.edit(7)
	require.Eventually(t, func() bool { return f.locksAt(7) >= len(f.names)-1 }, patience, 50*time.Millisecond)
	assert.NotEqual(t, 7, f.fleet.Device(stuck).Machine.Machine().Lockout.Threshold)
	// Longer than it takes to count as silent.
	assert.Never(t, func() bool {
		o, err := f.owner.Overview(t.Context())
		return err != nil || o.Standings.Silent > 1
	}, 5*faultyInterval, 200*time.Millisecond, "nobody but the one device is silent")
	letGo()
	require.Eventually(t, func() bool { return f.locksAt(7) == len(f.names) }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
}
