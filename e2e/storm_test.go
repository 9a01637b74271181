package e2e

import (
	"fmt"
	"io"
	"net"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// relay stands between the service and PostgreSQL, and can cut them off from each other.
type relay struct {
	net.Listener
	to    string
	mu    sync.Mutex
	down  bool
	conns []net.Conn
}

func newRelay(t *testing.T, to string) *relay {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	r := &relay{Listener: listener, to: to}
	go func() {
		for {
			from, err := r.Accept()
			if err != nil {
				return
			}
			r.forward(from)
		}
	}()
	t.Cleanup(func() { r.cut(); r.Close() })
	return r
}

func (r *relay) forward(from net.Conn) {
	r.mu.Lock()
	defer r.mu.Unlock()
	to, err := net.Dial("tcp", r.to)
	if err != nil || r.down {
		from.Close()
		return
	}
	r.conns = append(r.conns, from, to)
	copied := func(a, b net.Conn) {
		_, _ = io.Copy(a, b) // it ends when either side is cut
		a.Close()
		b.Close()
	}
	go copied(from, to)
	go copied(to, from)
}

// leadTo has new connections go to another address.
func (r *relay) leadTo(address string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.to = address
}

// cut closes every connection, and every new one, until it is healed.
func (r *relay) cut() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.down = true
	for _, c := range r.conns {
		c.Close()
	}
	r.conns = nil
}

func (r *relay) heal() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.down = false
}

// PostgreSQL goes away under load and comes back: what was accepted is carried out, devices lose nothing,
// operators are told, and nothing has to be started again.
func TestTheDatabaseGoesAwayUnderLoad(t *testing.T) {
	beside(t)
	own, err := pgcluster.Start(t.Context(), filepath.Join(dataDir(t), "postgres"))
	require.NoError(t, err)
	t.Cleanup(own.Stop)
	s := startOn(t, own)
	s.publish("base", "lockout:\n  threshold: 5\n  duration: 15m\n  window: 15m\n", 500, "everything")
	names := []string{"SKL-HQ-001", "SKL-HQ-002", "SKL-HQ-003"}
	devices := map[string]*device{}
	for _, name := range names {
		devices[name] = s.enrolled(name)
	}
	direct := s.config.Database
	at := strings.Index(direct, "@") + 1
	end := at + strings.Index(direct[at:], "/")
	r := newRelay(t, direct[at:end])
	s.stop()
	s.config.Database = direct[:at] + r.Addr().String() + direct[end:]
	s.run()

	ctx := t.Context()
	p, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	for round := range 2 {
		p, err = s.owner.SavePolicy(
			ctx,
			"base",
			document("base", "lockout:\n  threshold: "+string(rune('6'+round))+"\n  duration: 15m\n  window: 15m\n"),
			p.Version,
		)
		require.NoError(t, err)
		_, err = s.owner.PublishPolicy(ctx, "base", p.Version)
		require.NoError(t, err)
		var load sync.WaitGroup
		for _, d := range devices {
			load.Go(func() {
				for range 2 {
					_ = d.Cycle(ctx) // it may fail while nobody can be reached
				}
			})
		}
		r.cut()
		_, err = s.owner.Policy(ctx, "base")
		var refused *client.Problem
		require.ErrorAs(t, err, &refused)
		assert.Equal(t, 503, refused.Status, refused.Detail)
		load.Wait()
		r.heal()
		s.until(func() bool { p, err = s.owner.Policy(ctx, "base"); return err == nil })
		for name, d := range devices {
			s.until(func() bool {
				_ = s.Deploy.SettlePending(ctx)
				_ = d.Cycle(ctx)
				w, err := s.owner.Why(ctx, name)
				return err == nil && w.Device.Desired >= int64(2+round) && w.Device.Desired == w.Device.Reported &&
					w.Device.OpenFindings == 0
			})
		}
	}
}

// A run that loses its connection in the middle is taken up again; nothing that was asked for is lost.
func TestSettlingIsTakenUpAgain(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.enrolled("SKL-HQ-001")
	require.NoError(t, change(t, s.config.Database, `create table killed as select 0 as times;
		create function kill_once() returns trigger language plpgsql security definer as $$ begin
			if (select pg_sequence_last_value('killings')) is null then
				perform nextval('killings'); perform pg_terminate_backend(pg_backend_pid());
			end if; return new; end $$;
		create sequence killings;
		create trigger kill_once before insert on desired_states for each row execute function kill_once()`))
	s.publish("base", "passwords:\n  min_length: 14\n", 500, "everything")
	s.until(func() bool { _ = s.Deploy.SettlePending(ctx); return s.why("SKL-HQ-001").Device.Desired == 2 })
	times, err := query[int](t, s.config.Database, "select last_value from killings")
	require.NoError(t, err)
	assert.Equal(t, 1, times, "the run was killed")
	waiting, err := s.db.With(ctx).SettleRequests()
	require.NoError(t, err)
	assert.Empty(t, waiting)
}

// Devices that cannot be settled hold up nobody else, and Watch says so until it works.
func TestOnePoisonedDeviceHoldsUpNobody(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.enrolled("SKL-HQ-001")
	s.enrolled("SKL-TKT-001")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "office", Devices: []string{"SKL-HQ-001"}})
	require.NoError(t, err)
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	require.NoError(
		t,
		change(t, s.config.Database, `create function refuse() returns trigger language plpgsql as $$ begin
			if new.device_id = (select id from devices where name_key = 'skl-hq-001')
			then raise exception 'spoilt'; end if; return new; end $$;
		create trigger refuse before insert on desired_states for each row execute function refuse()`),
	)
	s.publish("office", "passwords:\n  min_length: 14\n", 200, "office")
	s.publish("desks", "passwords:\n  min_length: 12\n", 200, "desks")
	s.until(func() bool { _ = s.Deploy.SettlePending(ctx); return s.why("SKL-TKT-001").Device.Desired == 2 })
	unsettled := func() (details []string) {
		o, err := s.owner.Overview(ctx)
		require.NoError(t, err)
		for _, d := range o.Decisions {
			if d.Kind == "unsettled" {
				details = append(details, d.Detail)
			}
		}
		return details
	}
	s.until(func() bool { return len(unsettled()) == 1 })
	assert.Contains(t, unsettled()[0], "spoilt")
	require.NoError(t, change(t, s.config.Database, "drop trigger refuse on desired_states"))
	s.until(func() bool {
		s.clock.forward(1e9)
		_ = s.Deploy.SettlePending(ctx)
		return s.why("SKL-HQ-001").Device.Desired == 2
	})
	s.until(func() bool { return len(unsettled()) == 0 })
}

// A request may name more devices than PostgreSQL takes parameters.
func TestMoreDevicesThanParameters(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.enrolled("SKL-HQ-001")
	ids := []string{s.why("SKL-HQ-001").Device.ID}
	for i := range 70_000 {
		ids = append(ids, fmt.Sprintf("%026d", i))
	}
	require.NoError(t, s.db.InTx(ctx, func(tx store.Writer) error {
		return tx.RequestSettle(store.SettleRequest{Cause: "many", Devices: ids, CreatedAt: time.Now()})
	}))
	s.settled()
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	assert.Empty(t, o.Decisions, "nothing failed")
	_, err = s.db.With(ctx).LiveDevices(nil, ids)
	require.NoError(t, err)
}
