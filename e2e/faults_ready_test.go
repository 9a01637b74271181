package e2e

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/wire/protocol"
)

// up is what a process tells machines of its database.
func (f *faulty) up(i int) string {
	at := regexp.MustCompile(`metrics=(\S+)`).FindStringSubmatch(f.said(i))
	require.Len(f.t, at, 2)
	answer, err := http.Get(at[1])
	require.NoError(f.t, err)
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	require.NoError(f.t, err)
	return regexp.MustCompile(`(?m)^rankwarden_database_up (\S+)$`).FindStringSubmatch(string(body))[1]
}

// setting has the database server run with another setting, and back.
func (f *faulty) setting(statement string) {
	f.t.Helper()
	require.NoError(f.t, f.cluster.Do(f.t.Context(), statement))
	require.NoError(f.t, f.cluster.Do(f.t.Context(), "select pg_reload_conf()"))
}

// The database answers, and takes no write: the service is not ready, says so to whoever asks, and comes back by
// itself.
func TestReadyMeansThatTheDatabaseTakesAWrite(t *testing.T) {
	f := newFaulty(t, 6)
	ctx := t.Context()
	for what, c := range map[string]struct{ begins, ends, says string }{
		"read only": {"alter system set default_transaction_read_only = on",
			"alter system reset default_transaction_read_only", "takes no writes now"},
		"a commit that hangs": {"alter system set synchronous_standby_names = 'nobody'",
			"alter system reset synchronous_standby_names", "Try again"},
	} {
		t.Run(what, func(t *testing.T) {
			f.setting(c.begins)
			for i := range f.replicas {
				f.until(func() bool { status, _ := f.ready(i); return status == http.StatusServiceUnavailable })
				_, after := f.ready(i)
				assert.Equal(t, "5", after)
				assert.Equal(t, "0", f.up(i))
			}
			_, err := f.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks"})
			problem(t, err, http.StatusServiceUnavailable, c.says)
			out, err := rankwardend(t.TempDir(), "check", "--database", f.config.Database, "--keys", f.config.Keys,
				"--escrow-keys",
				f.config.EscrowKeys).CombinedOutput()
			require.Error(t, err, "%s", out)
			assert.Contains(t, string(out), "takes no writes")
			f.setting(c.ends)
			for i := range f.replicas {
				f.until(func() bool { status, _ := f.ready(i); return status == http.StatusOK })
				assert.Equal(t, "1", f.up(i))
			}
			f.inStep(len(f.names)) // and nobody became silent meanwhile
		})
	}
}

// A standby is not ready, neither for the check nor for the service.
func TestAStandbyIsNotTheDatabase(t *testing.T) {
	f := newFaulty(t, 1)
	standby := f.follow()
	url := strings.Replace(pgcluster.ForOwner(f.config.Database), f.relay.Addr().
		String(), fmt.Sprintf("127.0.0.1:%d", standby.Port), 1)
	for _, args := range [][]string{{"check"}, {"serve", "--listen", "127.0.0.1:0"}} {
		out, err := rankwardend(t.TempDir(), append(args, "--database", url, "--keys", f.config.Keys, "--escrow-keys",
			f.config.EscrowKeys)...).CombinedOutput()
		require.Error(t, err, "%s", out)
		assert.Regexp(t, "it is a standby, or read only", string(out))
	}
}

// A newer program brings the schema further: those that run go on beside it, an old one that starts refuses and says
// which it wants, and one that can no longer serve says that it is not ready.
func TestASchemaThatIsNewer(t *testing.T) {
	f := newFaulty(t, 4)
	newer := func(from int) {
		require.NoError(t, change(t, f.config.Database,
			fmt.Sprintf(`insert into goose_db_version (version_id, is_applied) values (9%d, true);
			insert into schema_programs (version, program, serves_from) values (9%d, '9.9.9', %d)`, from, from, from)))
	}
	require.NoError(t, change(t, f.config.Database, "alter table devices add column of_the_next_version text"))
	newer(28)
	f.edit(6)
	require.Eventually(t, func() bool { return f.locksAt(6) == len(f.names) }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
	for _, args := range [][]string{{"check"}, {"serve", "--listen", "127.0.0.1:0"}, {"migrate"}} {
		if args[0] != "migrate" {
			args = append(args, "--keys", f.config.Keys, "--escrow-keys", f.config.EscrowKeys)
		}
		out, err := rankwardend(t.TempDir(), append(args, "--database", f.config.Database)...).CombinedOutput()
		require.Error(t, err, "%s", out)
		assert.Contains(t, string(out), "start version 9.9.9 or a later one")
	}
	newer(900)
	f.until(func() bool { status, _ := f.ready(0); return status == http.StatusServiceUnavailable })
}

// A service starts with one connection in its pool, and waits for a migration of another one, which it names.
func TestAMigrationIsWaitedFor(t *testing.T) {
	s := start(t)
	s.stop()
	conn := s.config.Database + "&pool_max_conns=1"
	lock, err := pgcluster.Connect(t.Context(), pgcluster.ForOwner(s.config.Database))
	require.NoError(t, err)
	defer lock.Close(t.Context())
	_, err = lock.Exec(t.Context(), "set application_name = 'rankwarden-migrating somewhere'; "+
		"select pg_advisory_lock(84701)")
	require.NoError(t, err)
	address, log := freeAddress(t), filepath.Join(t.TempDir(), "log")
	to, err := os.Create(log)
	require.NoError(t, err)
	cmd := exec.Command(filepath.Join(binaries, "rankwardend"), "serve", "--listen", address, "--database", conn,
		"--keys", s.config.Keys,
		"--escrow-keys", s.config.EscrowKeys)
	cmd.Stdout, cmd.Stderr = to, to
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	s.until(func() bool {
		said, err := os.ReadFile(log)
		require.NoError(t, err)
		return strings.Contains(string(said), "another replica brings the schema further") &&
			strings.Contains(string(said), "rankwarden-migrating somewhere")
	})
	_, err = lock.Exec(t.Context(), "select pg_advisory_unlock(84701)")
	require.NoError(t, err)
	s.until(func() bool {
		answer, err := http.Get("http://" + address + "/readyz")
		if err != nil {
			return false
		}
		answer.Body.Close()
		return answer.StatusCode == http.StatusOK
	})
	owner := client.New("http://"+address, "").Look(hasLooked)
	_, err = owner.SignIn(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)
	_, err = owner.CreateGroup(t.Context(), client.GroupSpec{Name: "desks"})
	require.NoError(t, err)
}

// A pooler that hands each transaction to another session is refused with the reason; one that keeps sessions is not.
func TestAPoolerThatChangesSessions(t *testing.T) {
	s := start(t)
	s.stop()
	dir, err := os.MkdirTemp("", "rankwarden-pooler-*")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755)) // the pooler runs as somebody else
	at := regexp.MustCompile(`@127\.0\.0\.1:(\d+)/(\w+)`).FindStringSubmatch(s.config.Database)
	require.Len(t, at, 3)
	const known = "ignore_startup_parameters = " +
		"plan_cache_mode,synchronous_commit,statement_timeout,lock_timeout,idle_in_transaction_session_timeout," +
		"tcp_keepalives_idle,tcp_keepalives_interval,tcp_keepalives_count,tcp_user_timeout\n"
	for name, c := range map[string]struct{ config, says string }{
		"it hands on transactions": {"pool_mode = transaction\ndefault_pool_size = 20\n" + known,
			"hands each transaction to another session"},
		"it hands on transactions of one": {"pool_mode = transaction\ndefault_pool_size = 1\n" + known,
			"hands each transaction to another session"},
		"it does not know what is asked of it": {"pool_mode = session\n", "unsupported startup parameter"},
		"it keeps sessions":                    {"pool_mode = session\ndefault_pool_size = 40\n" + known, ""},
	} {
		t.Run(name, func(t *testing.T) {
			address := freeAddress(t)
			host, port, _ := strings.Cut(address, ":")
			file := filepath.Join(dir, strings.ReplaceAll(name, " ", "-")+".ini")
			require.NoError(t, os.WriteFile(file,
				[]byte(fmt.Sprintf("[databases]\n%s = host=127.0.0.1 port=%s dbname=%s\n[pgbouncer]\nlisten_addr = "+
					"%s\nlisten_port = %s\nauth_type = any\nunix_socket_dir =\n%s",
					at[2], at[1], at[2]+" user="+pgcluster.ServiceRole, host, port, c.config)), 0o644))
			pooler := exec.Command("pgbouncer", "-q", file)
			pgcluster.Unprivileged(pooler)
			require.NoError(t, pooler.Start())
			t.Cleanup(func() { _ = pooler.Process.Kill(); _ = pooler.Wait() })
			url := strings.Replace(s.config.Database, "127.0.0.1:"+at[1], address, 1)
			out := ""
			require.Eventually(t, func() bool {
				said, err := rankwardend(t.TempDir(), "check", "--database", url, "--keys", s.config.Keys,
					"--escrow-keys", s.config.EscrowKeys).CombinedOutput()
				out = string(said)
				return err == nil || !strings.Contains(out, "refused")
			}, patience, 100*time.Millisecond)
			if c.says == "" {
				assert.NotContains(t, out, "pooler")
				assert.Contains(t, out, "takes writes")
				return
			}
			assert.Contains(t, out, c.says)
			assert.Contains(t, out, "connect to PostgreSQL itself")
			said, err := rankwardend(t.TempDir(), "serve", "--listen", "127.0.0.1:0", "--database", url, "--keys",
				s.config.Keys, "--escrow-keys", s.config.EscrowKeys).CombinedOutput()
			require.Error(t, err)
			assert.Contains(t, string(said), c.says)
		})
	}
}

// A stop answers every request that is held.
func TestAStopAnswersWhatIsHeld(t *testing.T) {
	s := startAlone(t)
	held := patients(t, s.config.Database, 1000)
	s.Changed(t.Context())
	address := strings.TrimPrefix(s.URL, "http://")
	allOf(t, held, func(p *patient) error {
		var err error
		if p.conn, err = net.Dial("tcp", address); err != nil {
			return err
		}
		p.read = bufio.NewReaderSize(p.conn, 16)
		return p.send(protocol.PathWait, protocol.WaitRequest{KeyList: 1 << 40})
	})
	s.until(func() bool { return parked(t) == len(held) })
	answers := make(chan error, len(held))
	for _, p := range held {
		go func() {
			var answer map[string]any
			status, err := p.answer(&answer)
			if err == nil && status != http.StatusOK {
				err = fmt.Errorf("status %d", status)
			}
			answers <- err
		}()
	}
	s.stop()
	dropped := 0
	for range held {
		if <-answers != nil {
			dropped++
		}
	}
	assert.Zero(t, dropped, "of %d", len(held))
}
