// Package cuts cuts a device at every step of changing a password, the service around every commit,
// and the link between them, in random order, and asks after each whether a password in escrow opens
// the account that the device really has.
package cuts

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/console"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

const (
	deviceName = "SKL-TKT-001"
	password   = "a lamp over the north pier"
	document   = `format: rankwarden.policy/1
name: base
accounts: [{key: mooring, name: mooring-####, formerly: [mooring], local_groups: [administrators]}]
rotation: [{target: account:mooring, every: 1h, after_use: {wait: 15m, then: end-sessions}, redraw_name: true}]
membership: [{local_group: administrators, mode: adjust, members: [account:mooring]}]
`
)

// world is one device, one service and what lies between them.
type world struct {
	ctx     context.Context
	rand    *rand.Rand
	dir     string
	cluster *pgcluster.Cluster
	db      string            // name of the database
	backup  map[string][]byte // its tables as they were, nil for none

	proxy   *proxy
	cutting atomic.Bool // commits are cut now and then
	server  *app.Server
	config  app.Config
	ahead   atomic.Int64 // of the clock, in nanoseconds

	machine  *simulated.Workstation
	power    power
	link     *link
	agentDir string
	snapshot *snapshot
	token    string
	until    time.Time // the latest end of a warrant
	restored bool      // the database is older than the device, which has not been heard since
	ring     escrow.Ring
}

// snapshot is a device as it was.
type snapshot struct {
	machine simulated.Machine
	agent   []byte
}

func (w *world) now() time.Time { return time.Now().Add(time.Duration(w.ahead.Load())) }

// clock is the device's.
type clock struct{ w *world }

func (c clock) Now() time.Time                         { return c.w.now() }
func (c clock) Elapsed() time.Duration                 { return time.Duration(c.w.now().UnixNano()) }
func (c clock) After(d time.Duration) <-chan time.Time { return time.After(d) }

var databases atomic.Int64

func newWorld(ctx context.Context, cluster *pgcluster.Cluster, dir string, seed uint64) (*world, error) {
	w := &world{
		ctx:      ctx,
		rand:     rand.New(rand.NewPCG(seed, 17)),
		dir:      dir,
		cluster:  cluster,
		db:       fmt.Sprintf("cuts_%d", databases.Add(1)),
		agentDir: filepath.Join(dir, "agent"),
	}
	address, err := cluster.CreateDatabase(ctx, w.db)
	if err != nil {
		return nil, err
	}
	parsed, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	if w.proxy, err = newProxy(parsed.Host, func(connection uint64) func() fault {
		// its own, so that the seed determines what comes, whoever is first
		chance := rand.New(rand.NewPCG(seed, 23+connection))
		return func() fault {
			if !w.cutting.Load() || chance.IntN(6) != 0 {
				return none
			}
			return fault(1 + chance.IntN(2))
		}
	}); err != nil {
		return nil, err
	}
	parsed.Host = w.proxy.address()
	w.config = app.Config{
		Listen:       "127.0.0.1:0",
		Database:     parsed.String(),
		Keys:         filepath.Join(dir, "keys.json"),
		EscrowKeys:   filepath.Join(dir, "escrow.json"),
		Organisation: "Skerry Line",
		Interval:     time.Minute,
		Now:          w.now,
	}
	if err := app.CreateKeys(ctx, w.config); err != nil {
		return nil, err
	}
	if err := w.startService(); err != nil {
		return nil, err
	}
	if err := w.prepare(); err != nil {
		return nil, err
	}
	m := simulated.Factory(
		protocol.Facts{Name: deviceName, Platform: "windows"},
		principal.MustSID("S-1-5-21-7-8-9"),
		w.now(),
	)
	w.machine = simulated.Boot(m, w.now)
	w.machine.AddAccount("mooring")
	w.machine.AddAccount(clerk)
	if err := w.machine.Join("administrators", "mooring"); err != nil {
		return nil, err
	}
	w.power.left = -1
	w.link = &link{rand: rand.New(rand.NewPCG(seed, 29)), power: &w.power}
	return w, nil
}

func (w *world) startService() (err error) {
	w.server, err = app.Start(w.ctx, w.config, console.Files(), slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err == nil {
		w.config.Listen = strings.TrimPrefix(w.server.URL, "http://")
	}
	return err
}

// prepare makes the escrow and recovery keys, a policy and an enrolment token.
func (w *world) prepare() error {
	svc, who := w.server.Passwords, uow.Console("cuts")
	for _, use := range []string{protocol.UseEscrow, protocol.UseRecovery} {
		number, err := svc.MakeEscrowKey(w.ctx, who, use, w.config.EscrowKeys)
		if err != nil {
			return err
		}
		if w.ring, err = escrow.ReadRing(w.config.EscrowKeys); err != nil {
			return err
		}
		if err := svc.ProveByCopy(w.ctx, who, number, w.ring); err != nil {
			return err
		}
	}
	if err := svc.ReloadKeys(w.ctx); err != nil {
		return err
	}
	if _, err := w.server.Access.EnsureOwner(w.ctx, "asta", password); err != nil {
		return err
	}
	c := client.New(w.server.URL, "").Look(func(context.Context, *api.Preview) (string, error) {
		return "the world begins", nil
	})
	if _, err := c.SignIn(w.ctx, "asta", password); err != nil {
		return err
	}
	p, err := c.CreatePolicy(w.ctx, document)
	if err != nil {
		return err
	}
	if _, err := c.PublishPolicy(w.ctx, "base", p.Version); err != nil {
		return err
	}
	if _, err := c.CreateAssignment(w.ctx, "base",
		api.Aim{Policy: "base", Include: []string{"everything"}, Rank: 500}); err != nil {
		return err
	}
	token, err := c.CreateEnrolmentToken(w.ctx, client.EnrolmentSpec{Note: "cuts", Uses: 1, Hours: 2000})
	w.token = token.Token
	return err
}

func (w *world) close() {
	w.cutting.Store(false)
	_ = w.server.Stop() // the run is over
	w.proxy.close()
}

// agent starts the agent with what it kept, as after the power came back.
func (w *world) agent() (*agent.Agent, error) {
	return agent.New(agent.Options{
		Host:    &workstation{w.machine, &w.power},
		Service: w.server.URL,
		Token:   w.token,
		Dir:     w.agentDir,
		HTTP:    &http.Client{Transport: w.link},
		Clock:   clock{w},
		Log:     slog.New(slog.DiscardHandler),
		Write:   w.power.write,
	})
}

// direct runs something on the service's database, past the proxy.
func (w *world) direct(do func(conn *pgx.Conn) error) error {
	parsed, err := url.Parse(w.cluster.URL())
	if err != nil {
		return err
	}
	parsed.Path = "/" + w.db
	conn, err := pgx.Connect(w.ctx, parsed.String())
	if err != nil {
		return err
	}
	return errors.Join(do(conn), conn.Close(w.ctx))
}

// escrowed gives all passwords that are in escrow, as opened with the service's key.
func (w *world) escrowed() (current string, all []string, err error) {
	err = w.direct(func(conn *pgx.Conn) error {
		found, err := conn.Query(
			w.ctx,
			`select device_id, epoch, number, target, account, name_before, name_after, organisation, key_number,
				sealed,
			recovery_number, recovery_sealed, state from deposits`,
		)
		if err != nil {
			return err
		}
		defer found.Close()
		for found.Next() {
			var d store.Deposit
			if err := found.Scan(&d.DeviceID, &d.Epoch, &d.Number, &d.Target, &d.Account, &d.NameBefore, &d.NameAfter,
				&d.Organisation, &d.KeyNumber, &d.Sealed,
				&d.RecoveryNumber, &d.RecoverySealed, &d.State); err != nil {
				return err
			}
			secret, err := w.ring.Open(d.About(d.KeyNumber), d.Sealed)
			if err != nil {
				return err
			}
			if recovered, err := w.ring.Open(d.About(*d.RecoveryNumber), d.RecoverySealed); err != nil ||
				recovered != secret {
				return fmt.Errorf(
					"the recovery key opens another password in deposit %d.%d: %w",
					d.Epoch,
					d.Number,
					err,
				)
			}
			all = append(all, secret)
			if d.State == store.DepositCurrent {
				current = secret
			}
		}
		return found.Err()
	})
	return current, all, err
}

// lost says which usable administrators of the device no password in escrow opens; the account of
// before the first contact is nobody's yet.
func (w *world) lost() (string, error) {
	_, all, err := w.escrowed()
	if err != nil {
		return "", err
	}
	m := w.machine.Machine()
	for _, a := range m.Accounts {
		managed := strings.HasPrefix(a.Name, "mooring-") && a.Enabled
		untouched := a.Password == [32]byte{} // as it was before the device came to the service
		if !managed || untouched || w.restored {
			continue
		}
		opens := false
		for _, secret := range all {
			opens = opens || w.machine.Opens(a.SID, secret)
		}
		if !opens {
			return fmt.Sprintf("none of %d passwords in escrow opens %s", len(all), a.Name), nil
		}
	}
	return "", nil
}

// order has the device change its password.
func (w *world) order() error {
	c := client.New(w.server.URL, "")
	if _, err := c.SignIn(w.ctx, "asta", password); err != nil {
		return err
	}
	_, err := c.SendOrder(w.ctx, api.NewOrder{
		Kind:    protocol.OrderRotate,
		Subject: principal.FromKey("mooring").String(),
		Devices: []string{deviceName},
	})
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusNotFound {
		return nil // it has not enrolled yet
	}
	return err
}

func (w *world) take() error {
	data, err := os.ReadFile(filepath.Join(w.agentDir, "agent.json"))
	if err != nil {
		return err
	}
	w.snapshot = &snapshot{w.machine.Machine(), data}
	return nil
}

// putBack gives the device the state of its snapshot.
func (w *world) putBack() error {
	w.machine = simulated.Boot(w.snapshot.machine, w.now)
	return os.WriteFile(filepath.Join(w.agentDir, "agent.json"), w.snapshot.agent, 0o600)
}

// mooring is the identifier of the managed account, zero where there is none that could be used.
func (w *world) mooring() principal.SID {
	for _, a := range w.machine.Machine().Accounts {
		if strings.HasPrefix(a.Name, "mooring-") && a.Enabled {
			return a.SID
		}
	}
	return principal.SID{}
}

// deviceID is what the service calls the device, empty while it has not enrolled.
func (w *world) deviceID() (id string, err error) {
	err = w.direct(func(conn *pgx.Conn) error {
		found, err := all(w.ctx, conn, "select id from devices")
		if err == nil && len(found) > 0 {
			id = found[0]
		}
		return err
	})
	return id, err
}
