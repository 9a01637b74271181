package e2e

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/kit/pgcluster"
)

// everything is a service of two processes behind one database server, and a few devices that speak with
// either, of which anything may end at any moment.
type everything struct {
	*service
	dice     *rand.Rand
	cluster  *pgcluster.Cluster
	data     string // of PostgreSQL
	relay    *relay
	replicas [2]*exec.Cmd
	address  [2]string
	fleet    []*device
	full     atomic.Bool // the disks of the devices
	accepted int         // threshold that the service said yes to last
	restored bool        // events between the backup and the restore are gone, and no gap in them is a fault
}

func newEverything(t *testing.T, seed uint64) *everything {
	e := &everything{dice: rand.New(rand.NewPCG(seed, seed)), data: filepath.Join(dataDir(t), "postgres")}
	var err error
	e.cluster, err = pgcluster.Start(t.Context(), e.data)
	require.NoError(t, err)
	t.Cleanup(func() { e.cluster.Stop() })
	e.service = startOn(t, e.cluster)
	e.publish(
		"base",
		strings.Replace(desk, "%THEN%", "nothing", 1)+"\nlockout: {threshold: 5, duration: 15m, window: 15m}",
		500,
		"everything",
	)
	e.accepted = 5
	for i := range 4 {
		e.fleet = append(e.fleet, e.enrolled(fmt.Sprintf("SKL-BRG-%03d", i+1)))
	}
	e.stop()
	e.relay = newRelay(t, fmt.Sprintf("127.0.0.1:%d", e.cluster.Port))
	direct, err := url.Parse(e.config.Database)
	require.NoError(t, err)
	direct.Host = e.relay.Addr().String()
	e.config.Database = direct.String()
	e.db.Close()
	e.reopen(t)
	for i := range e.address {
		e.address[i] = freeAddress(t)
		e.begin(i)
	}
	t.Cleanup(func() { e.kill(0); e.kill(1) })
	for _, d := range e.fleet {
		e.power(d)
	}
	e.signIn()
	return e
}

// begin starts a process of the service, and waits until it answers.
func (e *everything) begin(i int) {
	e.replicas[i] = exec.Command(
		filepath.Join(binaries, "rankwardend"),
		"serve",
		"--listen",
		e.address[i],
		"--database",
		e.config.Database,
		"--keys",
		e.config.Keys,
		"--escrow-keys",
		e.config.EscrowKeys,
		"--organisation",
		"Skerry Line",
		"--interval",
		"1s",
	)
	require.NoError(e.t, e.replicas[i].Start())
	e.until(func() bool {
		answer, err := http.Get("http://" + e.address[i] + "/readyz")
		if err == nil {
			answer.Body.Close()
		}
		return err == nil && answer.StatusCode == http.StatusOK
	})
}

func (e *everything) kill(i int) {
	if e.replicas[i] != nil {
		_ = e.replicas[i].Process.Kill()
		_ = e.replicas[i].Wait()
	}
	e.replicas[i] = nil
}

// signIn has the operator work at the first process.
func (e *everything) signIn() {
	e.owner = client.New("http://"+e.address[0], "").Look(hasLooked)
	e.until(func() bool {
		_, err := e.owner.SignIn(e.t.Context(), "asta", ownerPassword)
		return err == nil
	})
}

// RoundTrip takes a request of a device to either process.
func (e *everything) RoundTrip(r *http.Request) (*http.Response, error) {
	r = r.Clone(r.Context())
	r.URL.Host = e.address[rand.IntN(2)]
	return http.DefaultTransport.RoundTrip(r)
}

// power starts the agent of a device anew, with what it kept.
func (e *everything) power(d *device) {
	d.Workstation.CutAfter(-1)
	var err error
	d.Agent, err = agent.New(agent.Options{
		Host:    d.Workstation,
		Service: "http://either",
		Dir:     d.dir,
		HTTP:    &http.Client{Transport: e},
		Clock:   e.devices,
		Log:     slog.New(slog.DiscardHandler),
		Write: func(path string, data []byte, mode os.FileMode) error {
			if e.full.Load() {
				return syscall.ENOSPC
			}
			return atomicfile.Write(path, data, mode)
		},
	})
	require.NoError(e.t, err)
}

// load lets every device check in a few times, at once, whatever comes of it.
func (e *everything) load(times int) {
	var running sync.WaitGroup
	for _, d := range e.fleet {
		running.Go(func() {
			for range times {
				if err := d.Agent.Cycle(e.t.Context()); errors.Is(err, simulated.ErrCut) {
					e.power(d)
				}
			}
		})
	}
	running.Wait()
}

// edit changes the policy and asks for a new password, as far as anybody answers.
func (e *everything) edit() {
	ctx := e.t.Context()
	p, err := e.owner.Policy(ctx, "base")
	if err != nil {
		return
	}
	next := 3 + e.dice.IntN(40)
	body := strings.Replace(desk, "%THEN%", "nothing", 1) +
		fmt.Sprintf("\nlockout: {threshold: %d, duration: 15m, window: 15m}", next)
	if p, err = e.owner.SavePolicy(ctx, "base", document("base", body), p.Version); err != nil {
		return
	}
	if _, err = e.owner.PublishPolicy(ctx, "base", p.Version); err == nil {
		e.accepted = next
	}
	_, _ = e.owner.SendOrder(ctx, api.NewOrder{
		Kind:    "rotate",
		Subject: "account:mooring",
		Devices: []string{e.fleet[e.dice.IntN(len(e.fleet))].Machine().Facts.Name},
	})
}

// pgProgram runs one of PostgreSQL's own programs.
func (e *everything) pgProgram(name string, args ...string) {
	dir, err := pgcluster.Programs()
	require.NoError(e.t, err)
	out, err := exec.Command(filepath.Join(dir, name), args...).CombinedOutput()
	require.NoError(e.t, err, "%s: %s", name, out)
}

// faults are everything that may happen; whatever is broken is whole again at the end of each.
func (e *everything) faults() map[string]func() {
	return map[string]func(){
		"a process is killed in the middle of settling": func() {
			e.edit()
			e.kill(1)
			e.load(3)
			e.begin(1)
		},
		"the process that operators use is killed": func() {
			e.edit()
			e.kill(0)
			e.load(3)
			e.begin(0)
		},
		"connections are cut": func() {
			e.edit()
			e.relay.cut()
			e.load(4)
			e.edit()
			e.relay.heal()
		},
		"PostgreSQL is stopped": func() {
			e.edit()
			e.cluster.Stop()
			e.load(4)
			var err error
			e.cluster, err = pgcluster.Start(e.t.Context(), e.data)
			require.NoError(e.t, err)
			e.relay.leadTo(fmt.Sprintf("127.0.0.1:%d", e.cluster.Port))
		},
		"disks fill": func() {
			e.edit()
			e.load(1)
			e.full.Store(true)
			e.load(4)
			e.full.Store(false)
		},
		"the power of devices goes": func() {
			e.edit()
			for _, d := range e.fleet {
				d.Workstation.CutAfter(1 + e.dice.IntN(4))
			}
			e.load(4)
			for _, d := range e.fleet {
				e.power(d)
			}
		},
		"the database of an hour ago is restored": func() {
			dump := filepath.Join(e.t.TempDir(), "dump")
			e.pgProgram("pg_dump", "--format=custom", "--file="+dump, e.config.Database)
			was := e.accepted
			e.edit()
			e.load(4)
			e.kill(0)
			e.kill(1)
			e.db.Close()
			e.pgProgram("pg_restore", "--clean", "--exit-on-error", "--dbname="+e.config.Database, dump)
			require.Contains(e.t, e.mustRun("restored"), "has begun")
			e.begin(0)
			e.begin(1)
			e.reopen(e.t)
			e.signIn()
			e.accepted, e.restored = was, true
		},
	}
}

// inStep waits until nothing is left of what happened: every device has what was accepted last, has reported it,
// and is opened by what escrow has.
func (e *everything) inStep(after string) {
	ctx := e.t.Context()
	e.db.Close() // its connections may be of a server that has ended
	e.reopen(e.t)
	for _, d := range e.fleet {
		name := d.Machine().Facts.Name
		missing := ""
		assert.Eventually(e.t, func() bool {
			told := d.Agent.Cycle(ctx)
			w, err := e.owner.Why(ctx, name)
			if err != nil {
				missing = err.Error()
				return false
			}
			threshold := d.Machine().Lockout.Threshold
			missing = fmt.Sprintf(
				"standing %s, desired %d, reported %d, %d findings, threshold %d of %d, its agent says %v",
				w.Device.Standing,
				w.Device.Desired,
				w.Device.Reported,
				w.Device.OpenFindings,
				threshold,
				e.accepted,
				told,
			)
			// A database that was put back says of a device that it is in step until the device has spoken to it.
			return told == nil && w.Device.Standing == "in_step" && w.Device.Desired == w.Device.Reported &&
				threshold == e.accepted
		}, patience, 20*time.Millisecond)
		if e.t.Failed() {
			require.Fail(e.t, "not in step", "%s, after %s: %s", name, after, missing)
		}
		account := e.managed(d, name)
		assert.True(
			e.t,
			d.Opens(d.Find(account.Name), e.current(name)),
			"%s, after %s: what escrow has opens the account; it was %s, has the account %+v and deposits %+v",
			name,
			after,
			missing,
			account,
			e.deposits(name),
		)
	}
	if e.restored {
		return
	}
	gaps, err := query[int](
		e.t,
		e.config.Database,
		`select count(*) from (select device_id, epoch from device_events group by 1, 2 having count(*) <> max(seq) -
			min(seq) + 1) gaps`,
	)
	require.NoError(e.t, err)
	assert.Zero(e.t, gaps, "devices of which an event was lost, after %s", after)
}

// Processes are killed, connections cut, PostgreSQL stopped, disks full, devices without power, and the database
// comes back from an hour ago: nothing is lost, and everything is in step again. STORM_FOR, such as 10m, goes on
// for that long, in any order; otherwise each happens once.
func TestEverythingAtOnce(t *testing.T) {
	beside(t)
	seed := uint64(time.Now().UnixNano())
	if given, err := strconv.ParseUint(os.Getenv("STORM_SEED"), 10, 64); err == nil {
		seed = given
	}
	t.Logf("STORM_SEED=%d", seed)
	e := newEverything(t, seed)
	faults := e.faults()
	order := []string{
		"connections are cut",
		"a process is killed in the middle of settling",
		"PostgreSQL is stopped",
		"disks fill",
		"the process that operators use is killed",
		"the power of devices goes",
		"the database of an hour ago is restored",
	}
	for _, what := range order {
		faults[what]()
		e.inStep(what)
	}
	long, err := time.ParseDuration(os.Getenv("STORM_FOR"))
	if err != nil {
		return
	}
	ended, stop := context.WithTimeout(t.Context(), long)
	defer stop()
	rounds := 0
	for ; ended.Err() == nil; rounds++ {
		var several []string
		for range 1 + e.dice.IntN(3) {
			several = append(several, order[e.dice.IntN(len(order))])
			faults[several[len(several)-1]]()
		}
		e.inStep(strings.Join(several, ", then "))
	}
	t.Logf("%d rounds of up to three faults", rounds)
}
