// Package e2e drives the real thing: the service on a real PostgreSQL through its network
// interfaces, the command line as processes, the console in a browser.
package e2e

import (
	"context"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/console"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

var (
	cluster  *pgcluster.Cluster
	binaries string // directory of the built commands
)

func TestMain(m *testing.M) {
	os.Exit(setUp(m))
}

func setUp(m *testing.M) int {
	dir, err := os.MkdirTemp("", "rankwarden-e2e-*")
	if err != nil {
		fmt.Println(err)
		return 1
	}
	defer os.RemoveAll(dir)
	if binaries = os.Getenv("BINARIES"); binaries == "" { // make test has just built them, and says where
		binaries = filepath.Join(dir, "bin")
		if out, err := exec.Command("go", "build", "-o", binaries+"/", "../cmd/...").CombinedOutput(); err != nil {
			fmt.Printf("building: %v\n%s", err, out)
			return 1
		}
	}
	var settings []string
	if flag.Parse(); flag.Lookup("test.bench").Value.String() == "" { // what is measured reaches the disk
		settings = []string{"fsync=off", "full_page_writes=off"} // only a machine that loses power would notice
	}
	if cluster, err = pgcluster.Start(context.Background(), filepath.Join(dir, "postgres"), settings...); err != nil {
		fmt.Println(err)
		return 1
	}
	defer cluster.Stop()
	defer chromium.close()
	if err = migrated(context.Background()); err != nil {
		fmt.Println(err)
		return 1
	}
	return m.Run()
}

// rankwardend is the command of the service, to be run in a directory that is also the home of whoever runs it.
func rankwardend(dir string, args ...string) *exec.Cmd {
	cmd := exec.Command(filepath.Join(binaries, "rankwardend"), args...)
	cmd.Dir, cmd.Env = dir, []string{"HOME=" + dir}
	return cmd
}

const migratedDatabase = "migrated"

// migrated makes the empty database that those of the tests are copies of: migrating each takes longer than many a
// test.
func migrated(ctx context.Context) error {
	url, err := cluster.CreateDatabase(ctx, migratedDatabase)
	if err != nil {
		return err
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := db.Migrate(ctx, slog.New(slog.DiscardHandler)); err != nil {
		return err
	}
	if err := cluster.AddServiceRole(ctx); err != nil {
		return err
	}
	return db.Grant(ctx, pgcluster.ServiceRole)
}

const ownerPassword = "a lamp over the north pier"

// service is one running service with a database of its own.
type service struct {
	*app.Server
	t      *testing.T
	config app.Config
	clock  *clock
	owner  *client.Client
	db     *store.Store
	stop   func() // once
	// devices is the clock of devices, the system's unless a test sets both forward together.
	devices agent.Clock
	log     io.Writer         // of service and agents
	way     http.RoundTripper // of devices to the service, nil for the plain one
}

var databases atomic.Int64

// start starts a service, with an owner who is signed in, for a test that runs beside others.
func start(t *testing.T) *service {
	beside(t)
	return startAlone(t)
}

var besideOthers sync.Map // names of tests

// beside has a test run beside others, however often it says so.
func beside(t *testing.T) {
	if _, already := besideOthers.LoadOrStore(t.Name(), true); !already {
		t.Cleanup(func() { besideOthers.Delete(t.Name()) })
		t.Parallel()
	}
}

// patience is how long a test waits for what comes: it ends when it came, and a busy machine has time for it.
const patience = 5 * time.Minute

// startAlone starts it for a test that measures, and runs when no other does.
func startAlone(t *testing.T) *service {
	url, err := cluster.CopyDatabase(t.Context(), migratedDatabase, fmt.Sprintf("test_%d", databases.Add(1)))
	require.NoError(t, err)
	return startWith(t, pgcluster.ForService(url)) // which may do no more than it needs
}

// startOn starts it with a database of another server.
func startOn(t *testing.T, cluster *pgcluster.Cluster) *service {
	url, err := cluster.CreateDatabase(t.Context(), fmt.Sprintf("test_%d", databases.Add(1)))
	require.NoError(t, err)
	return startWith(t, url)
}

func startWith(t *testing.T, url string) *service {
	s := configured(t, url)
	require.NoError(t, app.CreateKeys(t.Context(), s.config))
	s.run()
	_, err := s.Access.EnsureOwner(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)
	s.escrowKey()
	s.owner = s.client()
	_, err = s.owner.SignIn(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)
	s.db, err = store.Open(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(func() { s.stop(); s.db.Close() })
	return s
}

// escrowKey makes a key that passwords are sealed to, and lets it go live.
func (s *service) escrowKey() {
	ctx := s.t.Context()
	number, err := s.Passwords.MakeEscrowKey(ctx, uow.Console("test"), protocol.UseEscrow, s.config.EscrowKeys)
	require.NoError(s.t, err)
	ring, err := escrow.ReadRing(s.config.EscrowKeys)
	require.NoError(s.t, err)
	require.NoError(s.t, s.Passwords.ProveByCopy(ctx, uow.Console("test"), number, ring))
	require.NoError(s.t, s.Passwords.ReloadKeys(ctx))
}

// ring has the private escrow keys of the service.
func (s *service) ring() (escrow.Ring, error) { return escrow.ReadRing(s.config.EscrowKeys) }

func (s *service) run() {
	running, err := app.Start(
		s.t.Context(),
		s.config,
		console.Files(),
		slog.New(slog.NewTextHandler(s.log, &slog.HandlerOptions{Level: slog.LevelDebug})),
	)
	require.NoError(s.t, err)
	s.Server = running
	s.config.Listen = strings.TrimPrefix(running.URL, "http://") // a second start is at the same address
	s.stop = sync.OnceFunc(func() { require.NoError(s.t, running.Stop()) })
}

// restart stops the service and starts it again on the same data.
func (s *service) restart() {
	s.stop()
	s.run()
}

// client is one of somebody who looks at what is to be looked at, and always has a reason.
func (s *service) client() *client.Client { return client.New(s.URL, "").Look(hasLooked) }

func hasLooked(context.Context, *api.Preview) (reason string, err error) {
	return "a test wants it", nil
}

// as gives a client of a new operator.
func (s *service) as(name, role string, groups ...string) *client.Client {
	return s.person(name, api.Role{Role: role, Groups: append([]string{}, groups...)})
}

// firstPassword is one that an owner gives to somebody, who changes it at once.
const firstPassword = "the first one, of the owner"

// person adds an operator with some roles, and gives a client that is signed in as them, with a password of their own.
func (s *service) person(name string, roles ...api.Role) *client.Client {
	ctx := s.t.Context()
	_, err := s.owner.CreateOperator(ctx, name, firstPassword, roles...)
	require.NoError(s.t, err)
	c := s.client()
	_, err = c.SignIn(ctx, name, firstPassword)
	require.NoError(s.t, err)
	require.NoError(s.t, c.ChangeOwnPassword(ctx, firstPassword, "", ownerPassword))
	return c
}

// publish saves and publishes a policy of the given body, and aims it at groups.
func (s *service) publish(name, body string, rank int, groups ...string) {
	ctx := s.t.Context()
	p, err := s.owner.CreatePolicy(ctx, document(name, body))
	require.NoError(s.t, err)
	_, err = s.owner.PublishPolicy(ctx, name, p.Version)
	require.NoError(s.t, err)
	if len(groups) > 0 {
		_, err = s.owner.CreateAssignment(ctx, name, api.Aim{Policy: name, Include: groups, Rank: assign.Rank(rank)})
		require.NoError(s.t, err)
	}
}

func document(name, body string) string {
	return "format: rankwarden.policy/1\nname: " + name + "\n" + body
}

// device is a simulated workstation with its agent.
type device struct {
	*simulated.Workstation
	*agent.Agent
	service *service
	dir     string
}

// Cycle has the device check in, and waits until the lists of operators have what came of it: nobody but a
// test looks at them in the same moment.
func (d *device) Cycle(ctx context.Context) error {
	err := d.Agent.Cycle(ctx)
	d.service.Changed(ctx)
	return err
}

func (s *service) enrolmentToken(uses int) string {
	token, err := s.owner.CreateEnrolmentToken(s.t.Context(), client.EnrolmentSpec{Note: "test", Uses: uses, Hours: 1})
	require.NoError(s.t, err)
	return token.Token
}

// device makes a workstation that has not enrolled yet, with the local administrator mooring.
func (s *service) device(name, token string) *device {
	m := simulated.Factory(
		protocol.Facts{Name: name, Serial: "SL-1", Platform: "windows", OSVersion: "10.0.22631", OSBuild: 22631},
		principal.MustSID("S-1-5-21-7-8-9"),
		s.clock.now(),
	)
	d := &device{Workstation: simulated.Boot(m, s.clock.now), service: s, dir: s.t.TempDir()}
	d.AddAccount("mooring")
	require.NoError(s.t, d.Join("administrators", "mooring"))
	s.wake(d, token)
	return d
}

// wake starts the agent of a device, with what it kept.
func (s *service) wake(d *device, token string) {
	var err error
	d.Agent, err = agent.New(agent.Options{
		Host:    d.Workstation,
		Service: s.URL,
		Token:   token,
		Dir:     d.dir,
		HTTP:    &http.Client{Transport: s.way},
		Clock:   s.devices,
		Log:     slog.New(slog.NewTextHandler(s.log, &slog.HandlerOptions{Level: slog.LevelDebug})),
	})
	require.NoError(s.t, err)
}

// enrolled makes a device that has carried out and reported what is asked of it now.
func (s *service) enrolled(name string) *device {
	d := s.device(name, s.enrolmentToken(1))
	require.NoError(s.t, d.Cycle(s.t.Context()))
	s.until(func() bool { return s.why(name).Device.Desired > 0 })
	s.cycle(d, name)
	return d
}

// cycle lets a device check in until it has reported on the newest that is asked of it.
func (s *service) cycle(d *device, name string) {
	s.settled()
	s.until(func() bool {
		require.NoError(s.t, d.Cycle(s.t.Context()))
		w := s.why(name).Device
		return w.Standing != "waiting" && w.Desired == w.Reported // two epochs may have the same number
	})
}

func (s *service) why(name string) api.DeviceWhy {
	w, err := s.owner.Why(s.t.Context(), name)
	require.NoError(s.t, err)
	return w
}

// settled carries out whatever waits to be settled.
func (s *service) settled() {
	s.until(func() bool {
		require.NoError(s.t, s.Deploy.SettlePending(s.t.Context()))
		waiting, err := s.db.With(s.t.Context()).SettleRequests()
		require.NoError(s.t, err)
		return len(waiting) == 0
	})
	s.Changed(s.t.Context())
}

// until waits for something that another goroutine brings about.
func (s *service) until(holds func() bool) {
	s.t.Helper()
	require.Eventually(s.t, holds, time.Minute, 5*time.Millisecond)
}

var viewer = string(rights.Viewer)

// everywhere is an identity that may see every device.
var everywhere = rights.Identity{OperatorID: "test", Name: "test", Grants: []rights.Grant{{Role: rights.Owner}}}

func stringReader(s string) io.Reader { return strings.NewReader(s) }

// query asks the service's database one thing, past the service.
func query[T any](t testing.TB, url, statement string) (answer T, err error) {
	conn, err := pgx.Connect(t.Context(), pgcluster.ForOwner(url))
	require.NoError(t, err)
	defer conn.Close(t.Context())
	err = conn.QueryRow(t.Context(), statement).Scan(&answer)
	return answer, err
}

// exec changes the service's database past the service.
func change(t testing.TB, url, statement string) error {
	conn, err := pgx.Connect(t.Context(), pgcluster.ForOwner(url))
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), statement)
	return err
}
