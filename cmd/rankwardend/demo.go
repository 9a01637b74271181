package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"

	"rankwarden.example/client"
	"rankwarden.example/console"
	"rankwarden.example/core/gate"
	"rankwarden.example/demo"
	"rankwarden.example/demo/fleetsim"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/kit/pgcluster"
)

func demoCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "demo", Short: "Run the demo organisation: a database, the service and simulated devices",
		Args: cobra.NoArgs,
		Long: "Run the demo organisation. It starts its own PostgreSQL on loopback, the service and simulated\n" +
			"devices that really speak the device protocol, and people who interfere with them. Everything, the\n" +
			"log too, is kept in --data, so that a second start goes on from there; --anew begins again. Ctrl-C\n" +
			"stops all of it.\n\n" +
			"Exit status with --until-reported: 0 when every online device has reported back, 1 when not.",
		RunE: runDemo,
	}
	f := cmd.Flags()
	f.String("listen", "127.0.0.1:8470", "address of the service, `HOST:PORT`")
	f.String("data", ".demo", "`directory` for everything the demo keeps")
	f.Int("devices", 240, "`number` of simulated devices")
	f.Int(
		"real",
		0,
		"`number` of workstations with a real Linux beside them, in namespaces of this machine; needs root",
	)
	f.Duration("interval", 10*time.Second, "`time` between two check-ins of a device")
	f.Bool("until-reported", false, "end as soon as every online device has reported back")
	f.Duration("within", 3*time.Minute, "with --until-reported: give up after this `time`")
	f.Bool("quiet-people", false, "let nobody interfere with the devices, or start a rollout")
	f.Bool("anew", false, "forget what is kept, and begin again")
	logFlags(f)
	if err := f.Set("log-level", "warn"); err != nil {
		panic(err) // the flag was made two lines above
	}
	hands := []*cobra.Command{mistypeCommand(), useCommand()}
	for _, h := range hands {
		h.Flags().String("data", ".demo", "`directory` of the running demo")
	}
	cmd.AddCommand(hands...)
	return cmd
}

// logFile holds what the service and the devices log, in the demo's directory.
const logFile = "log"

// realDir holds the disks of workstations with a real Linux.
const realDir = "real"

// demoRun is a running demo.
type demoRun struct {
	options *koanf.Koanf
	dir     string
	log     *slog.Logger
	out     io.Writer
	server  *app.Server
	client  *client.Client
}

// runDemo runs the demo organisation until it is interrupted.
func runDemo(cmd *cobra.Command, _ []string) (err error) {
	k, err := options(cmd.Flags())
	if err != nil {
		return err
	}
	if n := k.Int("real"); n < 0 || n > 20 {
		return fmt.Errorf("--real %d must be from 0 to 20", n)
	}
	if n := k.Int("devices"); n < 1 || n > 5000 {
		return fmt.Errorf("--devices %d must be from 1 to 5000", n)
	}
	dir, err := filepath.Abs(k.String("data"))
	if err != nil {
		return fmt.Errorf("--data: %w", err)
	}
	unlock, err := claim(dir)
	if err != nil {
		return err
	}
	defer unlock()
	if k.Bool("anew") {
		if err := forget(dir); err != nil {
			return err
		}
	}
	file, err := os.OpenFile(filepath.Join(dir, logFile), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("--data: %w", err)
	}
	defer file.Close()
	log, err := logger(k, file)
	if err != nil {
		return err
	}
	d := &demoRun{options: k, dir: dir, log: log, out: cmd.OutOrStdout()}
	ctx := cmd.Context()
	fmt.Fprintln(d.out, "Starting PostgreSQL on loopback ...")
	cluster, err := pgcluster.Start(ctx, filepath.Join(dir, "postgres"))
	if err != nil {
		return err
	}
	defer cluster.Stop()
	if err := cluster.AddServiceRole(ctx); err != nil {
		return err
	}
	config := app.Config{
		Listen: k.String("listen"),
		// The service's role can add to the trail, and change nothing on it.
		Database:        pgcluster.ForService(cluster.URL()),
		MigrateDatabase: cluster.URL(),
		CheckpointFile:  filepath.Join(dir, "checkpoints.jsonl"),
		Keys:            filepath.Join(dir, "keys.json"),
		EscrowKeys:      filepath.Join(dir, escrowFile),
		Organisation:    demo.Organisation,
		Interval:        k.Duration("interval"),
		RevealBudget:    app.DefaultBudget,
		Approvals:       gate.Approvals{AddedAdministrators: true, RemovedAdministrators: 100},
		Soak:            20 * time.Second,
		Brake:           gate.DefaultBrake,
		NotifyNetworks:  loopback,
	}
	if _, err := os.Stat(config.Keys); errors.Is(err, os.ErrNotExist) {
		if err := app.CreateKeys(ctx, config); err != nil {
			return err
		}
	}
	var stopProvider func() error
	if config.Provider, stopProvider, err = standInProvider(config.Listen); err != nil {
		return fmt.Errorf("the stand-in for an identity provider: %w", err)
	}
	defer func() { err = errors.Join(err, stopProvider()) }()
	d.server, err = app.Start(ctx, config, console.Files(), log)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, d.server.Stop()) }()
	return d.run(ctx)
}

// claim keeps two demos from using one directory.
func claim(dir string) (release func(), err error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("--data: %w", err)
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("--data: %w", err)
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf(
			"another demo is running in %s; stop it first, or choose another directory with --data",
			dir,
		)
	}
	return func() { lock.Close() }, nil
}

func forget(dir string) error {
	if err := pgcluster.Remove(filepath.Join(dir, "postgres")); err != nil {
		return fmt.Errorf("beginning again: %w", err)
	}
	for _, name := range []string{"fleet", realDir, "keys.json", "checkpoints.jsonl", "password", escrowFile,
		escrowCopy, recoveryFile, logFile} {
		if err := os.RemoveAll(filepath.Join(dir, name)); err != nil {
			return fmt.Errorf("beginning again: %w", err)
		}
	}
	return nil
}

// run starts the parts of the demo one after the other, and waits.
func (d *demoRun) run(ctx context.Context) error {
	password, err := d.signIn(ctx)
	if err != nil {
		return err
	}
	clock := agent.SystemClock{}
	fleet := demo.NewFleet(d.options.Int("devices"), clock.Now())
	fmt.Fprintf(d.out, "Loading %s ...\n", demo.Organisation)
	if err := demo.Load(ctx, d.client, fleet.Groups, password, d.as); err != nil {
		return fmt.Errorf("loading the demo organisation: %w", err)
	}
	stopReceivers, err := standInReceivers(ctx, d.client)
	if err != nil {
		return err
	}
	defer func() { d.warn(stopReceivers()) }()
	tokens, err := demo.Tokens(ctx, d.client, fleet)
	if err != nil {
		return fmt.Errorf("making enrolment tokens: %w", err)
	}
	var incidents []fleetsim.Incident
	if !d.options.Bool("quiet-people") {
		incidents = demo.Incidents(clock)
	}
	reported := make(chan struct{}) // people begin once the devices are as the policies say
	devices, err := fleetsim.New(
		fleetsim.Options{Service: d.server.URL, Tokens: tokens, Dir: filepath.Join(d.dir, "fleet"),
			Machines: fleet.Machines, Incidents: incidents, Begin: reported, Clock: clock, Log: d.log},
	)
	if err != nil {
		return err
	}
	fleetCtx, stopFleet := context.WithCancel(ctx)
	var running sync.WaitGroup
	ended := make(chan error, 1)
	running.Go(func() { ended <- devices.Run(fleetCtx) })
	running.Go(func() {
		if err := devices.ServeHands(fleetCtx, filepath.Join(d.dir, handsFile)); err != nil {
			d.log.Error("nobody can type at the devices", "error", err)
		}
	})
	defer running.Wait()
	defer stopFleet()
	stopReal, err := d.realWorkstations(ctx, d.options.Int("real"))
	if err != nil {
		return err
	}
	defer stopReal()
	d.welcome(password, len(fleet.Machines))
	if d.options.Bool("until-reported") {
		return d.untilReported(ctx, len(fleet.Machines))
	}
	fmt.Fprintf(
		d.out,
		"  Ctrl-C stops everything; what happened is kept. The log is in %s.\n\n",
		filepath.Join(d.options.String("data"), logFile),
	)
	running.Go(func() { d.standing(fleetCtx, password) })
	if !d.options.Bool("quiet-people") {
		running.Go(func() { d.people(fleetCtx, password, len(fleet.Machines), reported) })
	}
	select {
	case <-ctx.Done():
		fmt.Fprintln(d.out, "\nStopping ...")
		return nil
	case err := <-d.server.Failed():
		return err
	case err := <-ended:
		return err
	}
}

// welcome prints where to sign in.
func (d *demoRun) welcome(password string, devices int) {
	fmt.Fprintf(d.out, "\n  Console   %s\n  Sign in   %s\n  Password  %s\n            or with the button, as "+
		"somebody of the stand-in for an identity provider\n\n",
		d.server.URL, demo.Owner, password)
	fmt.Fprintf(
		d.out,
		"  %d simulated devices are enrolling. From the command line:\n    bin/rankwarden sign-in --server %s --name "+
			"%s\n\n",
		devices,
		d.server.URL,
		demo.Owner,
	)
}

// warn logs what went wrong at the end, and is of no consequence.
func (d *demoRun) warn(err error) {
	if err != nil {
		d.log.Warn("a stand-in did not stop", "error", err)
	}
}

// signIn makes the first owner, whose password is kept beside the data, and signs in.
func (d *demoRun) signIn(ctx context.Context) (password string, err error) {
	path := filepath.Join(d.dir, "password")
	data, err := os.ReadFile(path)
	switch {
	case err == nil:
		password = strings.TrimSpace(string(data))
	case errors.Is(err, os.ErrNotExist):
		password = auth.NewPassword()
		if err := os.WriteFile(path, []byte(password+"\n"), 0o600); err != nil {
			return "", fmt.Errorf("keeping the password: %w", err)
		}
	default:
		return "", fmt.Errorf("reading the password: %w", err)
	}
	if err := d.owner(ctx, password); err != nil {
		return "", err
	}
	if err := d.escrow(ctx); err != nil {
		return "", fmt.Errorf("making the escrow keys: %w", err)
	}
	d.client, err = d.as(ctx, demo.Owner, password)
	return password, err
}

// as signs somebody of the demo in.
func (d *demoRun) as(ctx context.Context, name, password string) (*client.Client, error) {
	c := client.New(d.server.URL, "").Look(looked)
	if _, err := c.SignIn(ctx, name, password); err != nil {
		return nil, fmt.Errorf("signing in as %s: %w", name, err)
	}
	return c, nil
}
