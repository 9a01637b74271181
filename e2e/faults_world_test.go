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

	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/demo/fleetsim"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

// agents is how many workstations a fault meets; AGENTS=500 is for make storm.
func agents() int {
	if n, err := strconv.Atoi(os.Getenv("AGENTS")); err == nil {
		return n
	}
	return 20
}

// faultyAtOnce bounds how many of these run at a time: each has a PostgreSQL, two services and a fleet of its own.
var faultyAtOnce = make(chan struct{}, 2)

// faulty is a service of two processes over one database that a relay leads to, and a fleet of real agents that run by
// themselves and are sent to whichever process says that it is ready.
type faulty struct {
	*service
	cluster  *pgcluster.Cluster
	relay    *relay
	replicas [2]*replicaProcess
	fleet    *fleetsim.Fleet
	names    []string
	lenient  bool // gates of rollouts let pass whoever a fault kept from speaking
}

// replicaProcess is one process of the service.
type replicaProcess struct {
	cmd     *exec.Cmd
	address string
	ready   atomic.Bool
	mu      sync.Mutex
	serving context.Context // ends when it is not ready any more
	end     context.CancelFunc
	log     *os.File
}

const (
	faultyPolicy   = "lockout: {threshold: 5, duration: 15m, window: 15m}\n"
	faultyInterval = 2 * time.Second
)

func newFaulty(t *testing.T, devices int, settings ...string) *faulty {
	beside(t)
	faultyAtOnce <- struct{}{}
	t.Cleanup(func() { <-faultyAtOnce })
	own, err := pgcluster.Start(t.Context(), filepath.Join(dataDir(t), "postgres"),
		append(settings, "fsync=off", "wal_level=replica")...)
	require.NoError(t, err)
	f := &faulty{cluster: own}
	t.Cleanup(func() { f.cluster.Stop() })
	f.service = startOn(t, own)
	f.publish("base", mooringOnly+"\n"+faultyPolicy, 500, "everything")
	token := f.enrolmentToken(devices)
	f.stop()
	f.relay = newRelay(t, fmt.Sprintf("127.0.0.1:%d", own.Port))
	direct, err := url.Parse(f.config.Database)
	require.NoError(t, err)
	direct.Host = f.relay.Addr().String()
	f.config.Database = direct.String()
	f.db.Close()
	f.reopen(t)
	for i := range f.replicas {
		f.replicas[i] = &replicaProcess{address: freeAddress(t)}
		f.begin(i)
		t.Cleanup(func() { f.kill(i) })
	}
	go f.watchReplicas(t.Context())
	f.URL = "http://" + f.replicas[0].address
	f.owner = client.New(f.URL, "").Look(hasLooked)
	f.until(func() bool {
		_, err := f.owner.SignIn(t.Context(), "asta", ownerPassword)
		return err == nil
	})
	f.workstations(token, devices)
	return f
}

// begin starts a process, and waits until it is ready.
func (f *faulty) begin(i int) {
	r := f.replicas[i]
	r.cmd = exec.Command(filepath.Join(binaries, "rankwardend"), "serve", "--listen", r.address, "--database",
		f.config.Database,
		"--keys", f.config.Keys, "--escrow-keys", f.config.EscrowKeys, "--organisation", "Skerry Line", "--interval",
		faultyInterval.String(), "--metrics-listen", "127.0.0.1:0", "--log-level", "info")
	log, err := os.OpenFile(filepath.Join(f.t.TempDir(), fmt.Sprintf("replica-%d", i)),
		os.O_CREATE|os.O_APPEND|os.O_RDWR, 0o600)
	require.NoError(f.t, err)
	r.log = log
	r.cmd.Stdout, r.cmd.Stderr = log, log
	require.NoError(f.t, r.cmd.Start())
	f.until(func() bool { status, _ := f.ready(i); return status == http.StatusOK })
}

// said is what a process has logged.
func (f *faulty) said(i int) string {
	said, err := os.ReadFile(f.replicas[i].log.Name())
	require.NoError(f.t, err)
	return string(said)
}

// ready asks a process whether it is ready.
func (f *faulty) ready(i int) (status int, retryAfter string) {
	answer, err := (&http.Client{Timeout: 2 * time.Second}).Get("http://" + f.replicas[i].address + "/readyz")
	if err != nil {
		return 0, ""
	}
	answer.Body.Close()
	return answer.StatusCode, answer.Header.Get("Retry-After")
}

func (f *faulty) kill(i int) {
	if r := f.replicas[i]; r.cmd != nil && r.cmd.ProcessState == nil {
		_ = r.cmd.Process.Kill()
		_ = r.cmd.Wait()
	}
}

// freeze stops a process where it is; its connections stay open.
func (f *faulty) freeze(i int) {
	require.NoError(f.t, f.replicas[i].cmd.Process.Signal(syscall.SIGSTOP))
}

func (f *faulty) thaw(i int) { require.NoError(f.t, f.replicas[i].cmd.Process.Signal(syscall.SIGCONT)) }

// watchReplicas does what a proxy does: it asks whether processes are ready, and lets go of those that are not.
func (f *faulty) watchReplicas(ctx context.Context) {
	for ctx.Err() == nil {
		for i, r := range f.replicas {
			status, _ := f.ready(i)
			r.mu.Lock()
			switch is := status == http.StatusOK; {
			case is && !r.ready.Load():
				r.serving, r.end = context.WithCancel(context.Background())
				r.ready.Store(true)
			case !is && r.ready.Load():
				r.ready.Store(false)
				r.end()
			}
			r.mu.Unlock()
		}
		select {
		case <-ctx.Done():
		case <-time.After(200 * time.Millisecond):
		}
	}
}

var errNoReplica = errors.New("no replica is ready")

// RoundTrip takes a request of a device to a process that is ready, and breaks it off when that one is not any more.
func (f *faulty) RoundTrip(req *http.Request) (*http.Response, error) {
	first := rand.IntN(len(f.replicas))
	for n := range f.replicas {
		r := f.replicas[(first+n)%len(f.replicas)]
		r.mu.Lock()
		serving, is := r.serving, r.ready.Load()
		r.mu.Unlock()
		if !is {
			continue
		}
		ctx, cancel := context.WithCancel(req.Context())
		stop := context.AfterFunc(serving, cancel)
		out := req.Clone(ctx)
		out.URL.Host = r.address
		resp, err := http.DefaultTransport.RoundTrip(out)
		if err != nil {
			stop()
			cancel()
			return nil, err
		}
		resp.Body = &ending{resp.Body, func() { stop(); cancel() }}
		return resp, nil
	}
	return nil, errNoReplica
}

// workstations enrols and runs a fleet until the test ends.
func (f *faulty) workstations(token string, n int) {
	now := time.Now()
	tokens := map[string]string{}
	var machines []simulated.Machine
	for i := range n {
		name := fmt.Sprintf("SKL-WKS-%03d", i+1)
		w := simulated.Boot(simulated.Factory(
			protocol.Facts{Name: name, Platform: "windows", OSVersion: "10.0.22631", OSBuild: 22631},
			principal.MustSID("S-1-5-21-7-8-9"), now), time.Now)
		machines = append(machines, w.Machine())
		f.names, tokens[name] = append(f.names, name), token
	}
	var err error
	f.fleet, err = fleetsim.New(fleetsim.Options{Service: "http://either", Tokens: tokens, Dir: f.t.TempDir(),
		Machines: machines,
		Clock:    agent.SystemClock{}, Log: slog.New(slog.DiscardHandler), Way: f})
	require.NoError(f.t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- f.fleet.Run(ctx) }()
	f.t.Cleanup(func() { stop(); <-ended })
	f.inStep(n)
}

// inStep waits until so many devices stand in step, with every one of their passwords opening its account.
func (f *faulty) inStep(n int) {
	f.t.Helper()
	last := ""
	defer func() {
		if f.t.Failed() {
			f.t.Log("the fleet stands: ", last)
		}
	}()
	require.Eventually(f.t, func() bool {
		o, err := f.owner.Overview(f.t.Context())
		if err != nil {
			last = err.Error()
			return false
		}
		wrong := f.wrongPasswords()
		last = fmt.Sprintf("%+v, %d of %d verified, wrong passwords: %v", o.Standings, o.Verified, o.Devices, wrong)
		return o.Devices == n && o.Standings.InStep == n && o.Verified == n && len(wrong) == 0
	}, patience, 200*time.Millisecond)
}

// wrongPasswords are the devices of which no password in escrow as the present one opens the account.
func (f *faulty) wrongPasswords() (wrong []string) {
	ring, err := f.ring()
	require.NoError(f.t, err)
	for _, name := range f.names {
		d, err := f.owner.Device(f.t.Context(), name)
		if err != nil {
			wrong = append(wrong, name)
			continue
		}
		all, err := f.db.With(f.t.Context()).DepositsOf(d.ID, "account:mooring")
		if err != nil {
			wrong = append(wrong, name)
			continue
		}
		opens := false
		machine := f.fleet.Device(name).Machine
		for _, x := range all {
			if x.State != store.DepositCurrent {
				continue
			}
			password, err := ring.Open(x.About(x.KeyNumber), x.Sealed)
			require.NoError(f.t, err)
			for _, a := range machine.Machine().Accounts {
				if strings.HasPrefix(a.Name, "mooring") && machine.Opens(a.SID, password) {
					opens = true
				}
			}
		}
		if !opens {
			wrong = append(wrong, name)
		}
	}
	return wrong
}

// edit publishes a lockout threshold.
func (f *faulty) edit(threshold int) {
	f.t.Helper()
	ctx := f.t.Context()
	f.until(func() bool {
		p, err := f.owner.Policy(ctx, "base")
		if err != nil {
			return false
		}
		p, err = f.owner.SavePolicy(ctx, "base", document("base", mooringOnly+"\n"+
			strings.Replace(faultyPolicy, "5", strconv.Itoa(threshold), 1)), p.Version)
		if err != nil {
			return false
		}
		_, err = f.owner.PublishPolicy(ctx, "base", p.Version)
		return err == nil
	})
}

// locksAt counts the devices that lock after so many wrong passwords.
func (f *faulty) locksAt(threshold int) (n int) {
	for _, name := range f.names {
		if f.fleet.Device(name).Machine.Machine().Lockout.Threshold == threshold {
			n++
		}
	}
	return n
}

// ending does something once a body is read.
type ending struct {
	body
	done func()
}

type body interface {
	Read(p []byte) (int, error)
	Close() error
}

func (e *ending) Close() error {
	defer e.done()
	return e.body.Close()
}
