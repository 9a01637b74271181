package e2e

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/demo/fleetsim"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

// replica starts a second service on the same database and keys.
func (s *service) replica() *service {
	other := &service{
		t:       s.t,
		clock:   s.clock,
		config:  s.config,
		owner:   s.owner,
		db:      s.db,
		devices: s.devices,
		log:     s.log,
	}
	other.config.Listen = "127.0.0.1:0"
	other.run()
	s.t.Cleanup(func() { other.stop() })
	return other
}

func TestAnyReplicaTellsAnyDevice(t *testing.T) {
	here := start(t)
	there := here.replica()
	here.publish("base", "passwords: {min_length: 8}", 500, "everything")
	d := there.enrolled("SKL-BRG-001")
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- d.Run(ctx) }()

	// The device holds its request at one replica, and the operator works at the other.
	here.publish("bridge", "lockout: {threshold: 0}", 100, "everything")
	here.until(func() bool { return here.why("SKL-BRG-001").Device.Reported == 2 })
	stop()
	require.NoError(t, <-ended)

	changes := make(chan api.Notice, 100)
	ctx, stop = context.WithCancel(t.Context())
	defer stop()
	program, err := here.owner.CreateToken(t.Context(), "listener", viewer, 1)
	require.NoError(t, err)
	go func() {
		_ = client.New(there.URL, program.Secret).Look(hasLooked).Notices(ctx, func(c api.Notice) { changes <- c })
	}()
	assert.Empty(t, (<-changes).Topics, "the stream is open")
	require.NoError(t, here.owner.RetireDevice(t.Context(), "SKL-BRG-001", api.Retirement{Because: "sold"}))
	change := <-changes
	assert.Equal(t, []string{"devices"}, change.Topics)
	there.until(func() bool {
		var r *protocol.Refusal
		return errors.As(d.Cycle(t.Context()), &r) && r.Code == "device_retired"
	})
}

// lossy loses requests, replies, and sometimes sends a request twice.
type lossy struct {
	next http.RoundTripper
	dice *rand.Rand
}

var errLost = errors.New("lost on the way")

func (l *lossy) RoundTrip(req *http.Request) (*http.Response, error) {
	switch l.dice.IntN(6) {
	case 0:
		return nil, errLost
	case 1:
		resp, err := l.next.RoundTrip(req)
		if err == nil {
			resp.Body.Close()
		}
		return nil, errLost
	case 2:
		body, err := req.GetBody()
		if err != nil {
			return nil, err
		}
		again := req.Clone(req.Context())
		again.Body = body
		if resp, err := l.next.RoundTrip(again); err == nil {
			resp.Body.Close()
		}
	}
	return l.next.RoundTrip(req)
}

// However many requests and replies are lost or repeated, and however often the agent starts anew,
// everything that happened is stored once.
func TestLossyLinkLosesNothingAndRepeatsNothing(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	const devices, each = 6, 2 // more often on one device, and it would hold back
	var fleet []*device
	for i := range devices {
		fleet = append(fleet, s.enrolled(fmt.Sprintf("SKL-BRG-00%d", i+1)))
	}
	for seed := range uint64(devices * each) {
		d := fleet[seed%devices]
		var err error
		d.Agent, err = agent.New(agent.Options{
			Host:    d.Workstation,
			Service: s.URL,
			Dir:     d.dir,
			Clock:   agent.SystemClock{},
			Log:     slog.New(slog.DiscardHandler),
			HTTP:    &http.Client{Transport: &lossy{http.DefaultTransport, rand.New(rand.NewPCG(seed, 7))}},
		})
		require.NoError(t, err)
		d.AddAccount("mechanic")
		require.NoError(t, d.Join("administrators", "mechanic"))
		require.Eventually(t, func() bool { return d.Cycle(t.Context()) == nil }, patience, time.Millisecond)
	}
	right, err := s.owner.Findings(t.Context(), client.FindingQuery{State: "corrected"}, client.Page{Limit: 500})
	require.NoError(t, err)
	mechanic := 0
	for _, f := range right.Items {
		if f.Subject == "local:mechanic" {
			mechanic++
		}
	}
	assert.Equal(t, devices*each, mechanic)
	assert.Len(t, s.events(client.EventQuery{Kind: "member_removed"}), devices*each, "and told once")
	for i := range fleet {
		assert.Equal(t, "in_step", standing(s, fmt.Sprintf("SKL-BRG-00%d", i+1)))
	}
}

// A fleet that is stopped and started goes on from where it was; a cut link makes a device silent.
func TestSimulatedFleet(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	dir := t.TempDir()
	now := s.clock.now()
	var machines []simulated.Machine
	for _, name := range []string{"SKL-INF-001", "SKL-INF-002"} {
		w := simulated.Boot(
			simulated.Factory(
				protocol.Facts{Name: name, Platform: "windows"},
				principal.MustSID("S-1-5-21-7-8-9"),
				now,
			),
			s.clock.now,
		)
		w.AddAccount("mooring")
		require.NoError(t, w.Join("administrators", "mooring"))
		machines = append(machines, w.Machine())
	}
	run := func(token string, incidents []fleetsim.Incident, until func(f *fleetsim.Fleet) bool) {
		f, err := fleetsim.New(fleetsim.Options{
			Service:   s.URL,
			Tokens:    map[string]string{"SKL-INF-001": token, "SKL-INF-002": token},
			Dir:       dir,
			Machines:  machines,
			Incidents: incidents,
			Clock:     agent.SystemClock{},
			Log:       slog.New(slog.DiscardHandler),
		})
		require.NoError(t, err)
		ctx, stop := context.WithCancel(t.Context())
		ended := make(chan error, 1)
		go func() { ended <- f.Run(ctx) }()
		s.until(func() bool { return until(f) })
		stop()
		require.NoError(t, <-ended)
	}
	verified := func(n int) bool {
		o, err := s.owner.Overview(t.Context())
		return err == nil && o.Devices == 2 && o.AllReported() && o.Standings.InStep == n
	}
	run(s.enrolmentToken(2), nil, func(*fleetsim.Fleet) bool { return verified(2) })

	joined := make(chan struct{})
	run(
		"",
		[]fleetsim.Incident{
			{Device: "SKL-INF-001", What: "test", Do: func(ctx context.Context, d *fleetsim.Device) error {
				defer close(joined)
				return fleetsim.AddsHimself("signage")(ctx, d)
			}},
		},
		func(f *fleetsim.Fleet) bool {
			select {
			case <-joined:
				return f.Device("SKL-INF-002") != nil
			default:
				return false
			}
		},
	)
	assert.FileExists(t, filepath.Join(dir, "SKL-INF-001", "machine.json"))
	kept, err := fleetsim.New(fleetsim.Options{Dir: dir, Machines: machines, Clock: agent.SystemClock{}})
	require.NoError(t, err)
	assert.Error(t, kept.Device("SKL-INF-001").Machine.SignIn("signage", "wrong"))
	state, err := kept.Device("SKL-INF-001").Machine.Read(t.Context())
	require.NoError(t, err)
	assert.Len(t, state.Accounts, 4, "who came is still there after a restart")

	kept.Device("SKL-INF-002").Link.SetDown(true)
	s.clock.forward(10 * time.Minute)
	counts, err := s.owner.Standings(t.Context(), client.DeviceQuery{})
	require.NoError(t, err)
	assert.Equal(t, 2, counts.Silent)
}
