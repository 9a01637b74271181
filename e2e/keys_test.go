package e2e

import (
	"bytes"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// daemon runs a command of the service on its database and keys.
func (s *service) daemon(args ...string) (stdout, stderr string, err error) {
	if args[0] == "keys" || args[0] == "restored" {
		args = append(
			args,
			"--database",
			s.config.Database,
			"--keys",
			s.config.Keys,
			"--escrow-keys",
			s.config.EscrowKeys,
			"--organisation",
			"Skerry Line",
		)
	}
	cmd := exec.CommandContext(s.t.Context(), filepath.Join(binaries, "rankwardend"), args...)
	var out, bad bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &bad
	err = cmd.Run()
	return out.String(), bad.String(), err
}

func (s *service) mustRun(args ...string) string {
	out, bad, err := s.daemon(args...)
	require.NoError(s.t, err, "%v: %s", args, bad)
	return out
}

// A key's life: made, proved by a copy, used, retired, what it held sealed to the next one.
func TestEscrowKeys(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	assert.EqualValues(t, 1, s.sealedTo())
	secret := s.current("SKL-TKT-001")

	assert.Contains(t, s.mustRun("keys", "new"), "escrow key 2 is in")
	_, says, err := s.daemon("keys", "prove", "2", "--copy", s.config.EscrowKeys)
	require.Error(t, err)
	assert.Contains(t, says, "not a copy of it")
	_, says, err = s.daemon("keys", "prove", "2", "--answer", "a guess")
	require.Error(t, err)
	assert.Contains(t, says, "waits for no proof")
	_, says, err = s.daemon("keys", "retire", "1")
	require.Error(t, err)
	assert.Contains(t, says, "the only live one")

	copied := filepath.Join(t.TempDir(), "copy.json")
	data, err := os.ReadFile(s.config.EscrowKeys)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(copied, data, 0o600))
	assert.Contains(t, s.mustRun("keys", "prove", "2", "--copy", copied), "Key 2 is live")

	// Devices use it from their next check-in, and the replica has heard of it.
	s.until(func() bool {
		s.order("rotate", "account:mooring", "SKL-TKT-001")
		require.NoError(t, d.Cycle(t.Context()))
		return s.sealedTo() == 2
	})
	assert.Contains(t, s.mustRun("keys", "retire", "1"), "Key 1 is retired")
	assert.Contains(t, s.mustRun("keys", "reseal", "1"), "are sealed to the newest key now")
	still, err := query[int64](t, s.config.Database, "select count(*) from deposits where key_number = 1")
	require.NoError(t, err)
	assert.Zero(t, still)
	first := s.deposits("SKL-TKT-001")
	shown, err := s.as("nightwatch", "support").
		Reveal(t.Context(), "SKL-TKT-001", api.RevealSpec{Reason: "old image", Former: &first[len(first)-1].DepositRef})
	require.NoError(t, err)
	assert.Equal(t, secret, shown.Candidates[0].Password, "sealed again, it is the same password")
	list := s.mustRun("keys", "list")
	assert.Regexp(t, `1\s+escrow\s+retired.*\s0\s+here`, list)
	assert.Regexp(t, `2\s+escrow\s+live.*here`, list)
}

// sealedTo is the key of the newest deposit.
func (s *service) sealedTo() int64 {
	number, err := query[int64](s.t, s.config.Database, "select key_number from deposits order by number desc limit 1")
	require.NoError(s.t, err)
	return number
}

// The recovery key opens exported deposits on a machine that has nothing of the service.
func TestRecoveryWithoutTheService(t *testing.T) {
	s := startTogether(t)
	offline := filepath.Join(t.TempDir(), "recovery.json")
	assert.Contains(t, s.mustRun("keys", "new", "--recovery", offline), "recovery key 2 is in")
	challenge := filepath.Join(t.TempDir(), "challenge.json")
	require.NoError(t, os.WriteFile(challenge, []byte(s.mustRun("keys", "challenge", "2")), 0o600))
	answer := strings.TrimSpace(s.mustRun("answer", challenge, "--key", offline))
	assert.Contains(t, s.mustRun("keys", "prove", "2", "--answer", answer), "Key 2 is live")
	s.restart()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")

	exported := s.mustRun("keys", "export")
	secret := s.current("SKL-TKT-001")
	assert.NotContains(t, exported, secret)
	file := filepath.Join(t.TempDir(), "deposits.jsonl")
	require.NoError(t, os.WriteFile(file, []byte(exported), 0o600))
	s.stop()
	_, says, err := s.daemon("recover", file, "--key", offline, "--device", "SKL-TKT-001")
	require.Error(t, err)
	assert.Contains(t, says, "to a terminal only")
	out := s.mustRun("recover", file, "--key", offline, "--device", "skl-tkt-001", "--print")
	assert.Contains(t, out, secret)
	assert.True(t, d.Opens(d.Find(strings.Fields(out)[2]), secret))
	_, says, err = s.daemon("recover", file, "--key", s.config.EscrowKeys, "--device", "SKL-TKT-001", "--print")
	require.Error(t, err)
	assert.Contains(t, says, "not here", "the service's own key does not open what is sealed to the recovery key")
}

// postgres runs one of PostgreSQL's own programs, which backups are made with.
func postgres(t *testing.T, program string, args ...string) {
	dir, err := pgcluster.Programs()
	require.NoError(t, err)
	out, err := exec.CommandContext(t.Context(), filepath.Join(dir, program), args...).CombinedOutput()
	require.NoError(t, err, "%s: %s", program, out)
}

// A database that comes back from a backup, made and brought back with PostgreSQL's own programs as the guide says,
// begins a new epoch: devices take it for what it is, and give again what it lacks. The trail is what it was, and still
// protected.
func TestTheServiceComesBackFromABackup(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	address, err := url.Parse(s.config.Database)
	require.NoError(t, err)
	name := strings.TrimPrefix(address.Path, "/")
	backup := filepath.Join(t.TempDir(), "rankwarden.dump")
	// while the service runs
	postgres(t, "pg_dump", "--format=custom", "--file", backup, pgcluster.ForOwner(s.config.Database))
	s.changed(t, d)
	latest := s.deposits("SKL-TKT-001")[0]
	require.Greater(t, latest.Number, int64(1))
	s.stop()

	require.NoError(t, change(t, cluster.URL(), "create database "+name+"_backup"))
	address.Path += "_backup"
	s.config.Database = address.String()
	postgres(t, "pg_restore", "--exit-on-error", "--dbname", pgcluster.ForOwner(s.config.Database), backup)
	assert.Contains(t, s.mustRun("restored"), "Epoch 2 has begun")
	s.run()
	s.reopen(t)
	require.Len(t, s.deposits("SKL-TKT-001"), 1, "what the backup has")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		list := s.deposits("SKL-TKT-001")
		return s.why("SKL-TKT-001").Device.Standing == "in_step" && len(list) == 2 &&
			list[0].Name == s.managed(d, "SKL-TKT-001").Name // what it is called was reported again too
	})
	assert.Equal(t, latest.DepositRef, s.deposits("SKL-TKT-001")[0].DepositRef)
	assert.Equal(t, "current", s.deposits("SKL-TKT-001")[0].State)
	sid := s.managed(d, "SKL-TKT-001").SID
	assert.True(t, d.Opens(d.Find(s.managed(d, "SKL-TKT-001").Name), s.current("SKL-TKT-001")), sid)

	checked, err := s.owner.CheckTrail(t.Context(), 0)
	require.NoError(t, err)
	assert.Zero(t, checked.Broken, checked.Why)
	protected, err := s.db.With(t.Context()).TrailIsProtected()
	require.NoError(t, err)
	assert.True(t, protected, "the rights of the service's role came back too")

	// Its orders are heard, though their numbers were used before the backup.
	s.changed(t, d)
}

// changed has a device change its password by an order.
func (s *service) changed(t *testing.T, d *device) {
	before := s.deposits("SKL-TKT-001")[0].DepositRef
	s.order("rotate", "account:mooring", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return s.deposits("SKL-TKT-001")[0].DepositRef != before && s.became("SKL-TKT-001")[0] == "rotate done"
	})
}

// reopen connects to the database that the service has now.
func (s *service) reopen(t *testing.T) {
	db, err := store.Open(t.Context(), s.config.Database)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	s.db = db
}
