package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/kit/pgcluster"
)

// The database goes back to a point in time, as the guide says, and nobody tells the service: passwords that were
// changed since are in escrow again, and what operators do afterwards reaches every device.
func TestBackToAPointInTime(t *testing.T) {
	archive, err := os.MkdirTemp("", "rankwarden-archive-*")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(archive) })
	require.NoError(t, os.Chmod(archive, 0o777)) // PostgreSQL is somebody else
	f := newFaulty(t, 12, "archive_mode=on", fmt.Sprintf("archive_command=cp %%p %s/%%f", archive))
	ctx := t.Context()
	backup, err := f.cluster.Backup(ctx, filepath.Join(dataDir(t), "backup"))
	require.NoError(t, err)
	f.edit(6)
	require.Eventually(t, func() bool { return f.locksAt(6) == len(f.names) }, patience, 50*time.Millisecond)
	then, err := query[time.Time](t, f.config.Database, "select clock_timestamp()")
	require.NoError(t, err)
	f.rotateAll()
	f.edit(7)
	require.Eventually(t, func() bool { return f.locksAt(7) == len(f.names) }, patience, 50*time.Millisecond)
	require.NoError(t, f.cluster.Do(ctx, "select pg_switch_wal()"))
	f.cluster.Stop()

	back, err := pgcluster.Recover(ctx, backup, "fsync=off", fmt.Sprintf("restore_command=cp %s/%%f %%p", archive),
		"recovery_target_time="+then.UTC().Format("2006-01-02 15:04:05.999999+00"), "recovery_target_action=promote")
	require.NoError(t, err)
	f.cluster = back
	t.Cleanup(back.Stop)
	f.relay.leadTo(fmt.Sprintf("127.0.0.1:%d", back.Port))
	f.inStep(len(f.names))
	assert.Equal(t, len(f.names), f.locksAt(6), "what was known then")
	epoch, err := query[int](t, f.config.Database, "select epoch from service_state")
	require.NoError(t, err)
	assert.Equal(t, 2, epoch)
	f.edit(8)
	require.Eventually(t, func() bool { return f.locksAt(8) == len(f.names) }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
}
