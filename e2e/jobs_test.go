package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// jobEnded reports whether a turn of a job ended in a state.
func (s *service) jobEnded(name, state string) func() bool {
	return func() bool {
		n, err := query[int](s.t, s.config.Database,
			"select count(*) from river_job where args->>'name' = '"+name+"' and state = '"+state+"'")
		require.NoError(s.t, err)
		return n > 0
	}
}

// What the service does by itself is done on the schedule in the database, whichever replica it falls to; a turn whose
// replica is gone is another one's.
func TestJobsAreDoneByWhicheverReplica(t *testing.T) {
	s := start(t)
	for _, name := range []string{"strangers", "retention", "overdue passwords"} {
		s.until(s.jobEnded(name, "completed"))
	}
	s.stop()
	// What is too old is forgotten by a replica that has just begun.
	require.NoError(t, change(
		t,
		s.config.Database,
		"insert into sign_in_failures (subject, failures, blocked_to, last_at) values ('name gone', 1, "+
			"now() - interval '40 days', now() - interval '40 days')",
	))
	// Its turn was under way when a replica was killed, an hour ago.
	require.NoError(t, change(
		t,
		s.config.Database,
		"delete from river_job where state <> 'completed' or args->>'name' <> 'retention'",
	))
	require.NoError(t, change(t, s.config.Database, `update river_job set state = 'running', finalized_at = null,
		attempted_at = now() - interval '1 hour' where id = (select max(id) from river_job)`))
	s.run()
	s.until(func() bool {
		n, err := query[int](t, s.config.Database, "select count(*) from sign_in_failures where subject = 'name gone'")
		require.NoError(t, err)
		return n == 0
	})
	n, err := query[int](
		t,
		s.config.Database,
		"select count(*) from river_job where state in ('retryable', 'discarded') "+
			"or attempted_at < now() - interval '1 hour'",
	)
	require.NoError(t, err)
	assert.Zero(t, n)
}
