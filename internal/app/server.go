// Package app puts the service together: database, use cases, operators' API, device protocol and
// console, on one listening address.
package app

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"

	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/presence"
	"rankwarden.example/internal/face/deviceapi"
	"rankwarden.example/internal/face/httpapi"
	"rankwarden.example/internal/face/metrics"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/kit/jobs"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/kit/supervise"
	"rankwarden.example/internal/kit/tracing"
	"rankwarden.example/internal/kit/version"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/transport"
)

// Server is a running service.
type Server struct {
	*Rooms
	URL        string
	DeviceURL  string // where devices find it
	MetricsURL string // where machines read how all stands, empty for nowhere
	faces      []face
	metrics    *metrics.Metrics
	presence   *presence.Keeper
	devices    *deviceapi.API
	readers    *http.Server // of metrics
	api        *httpapi.API
	store      *store.Store
	log        *slog.Logger
	tracing    func(context.Context) error // sends what is left and ends, nil where nothing is traced
	stop       context.CancelFunc          // ends streams, parked requests and loops
	loops      sync.WaitGroup
	jobs       *jobs.Runner
	failed     chan error
}

// face is one listening address with what is served there.
type face struct {
	app   *fiber.App
	conns *listener
}

// Start migrates the database and starts to serve. console is the built console.
func Start(ctx context.Context, c Config, console fs.FS, log *slog.Logger) (*Server, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	keys, err := keyring.Load(c.Keys)
	if err != nil {
		return nil, err
	}
	db, err := OpenDatabase(ctx, c, log)
	if err != nil {
		return nil, err
	}
	s, err := start(ctx, c, keys, db, console, log)
	if err != nil {
		db.Close()
	}
	return s, err
}

// rooms are the options of the rooms, as far as the configuration says them.
func (c Config) rooms() RoomOptions {
	return RoomOptions{
		Now:                 c.Now,
		Organisation:        c.Organisation,
		Interval:            c.Interval,
		DirectoryConnection: c.Directory,
		OpenEscrow:          c.openEscrow,
		RevealBudget:        c.RevealBudget,
		Approvals:           c.Approvals,
		SecondPersonOpens:   c.SecondPersonOpens,
		SecondPersonWaives:  c.SecondPersonWaives,
		SecondPersonKeys:    c.SecondPersonKeys,
		WarrantMost:         c.WarrantMost,
		WarrantCaps:         c.WarrantCaps,
		Brake:               c.Brake,
		Soak:                c.Soak,
		Kept:                c.kept(),
		Patience:            c.Patience,
		Refused:             c.Refused,
		CheckpointFile:      c.CheckpointFile,
		RequireSecondFactor: c.RequireSecondFactor,
		Provider:            c.Provider,
		OnlyProvider:        c.OnlyProvider,
		PasswordMemory:      c.PasswordMemory,
		Network:             transport.Network{Permitted: c.NotifyNetworks},
	}
}

// start puts the service together, from the presence in the database to the loops. It is long because each part needs
// those before it.
func start(
	ctx context.Context, c Config, keys keyring.Ring, db *store.Store, console fs.FS, log *slog.Logger,
) (_ *Server, err error) {
	if c.Now == nil {
		c.Now = time.Now
	}
	hub := &notices.Hub{}
	s := &Server{store: db, log: log, failed: make(chan error, 2)}
	s.presence = presence.New(db, version.Number(), store.Newest(), log, time.Now,
		func(ctx context.Context, why string, epoch, latest int64) error {
			return s.Passwords.DatabaseReturned(store.ForJobs(ctx), why, epoch, latest)
		},
		func() {
			s.Forget()
			hub.Relisten()
			hub.Publish(notices.Notice{Topic: store.TopicDatabase})
		})
	bound, err := c.bind(c.Listen) // first, so that it is known where people reach the console
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			bound.Close()
		}
	}()
	s.URL = c.scheme() + "://" + bound.Addr().String()
	options := c.rooms()
	options.PublicURL = cmp.Or(strings.TrimRight(c.PublicURL, "/"), s.URL)
	options.Store, options.Keys, options.Hub, options.Log = db, keys, hub, log
	options.Present = s.presence.Since
	opened, err := OpenRooms(ctx, options)
	if err != nil {
		return nil, err
	}
	s.Rooms = opened
	if err := s.Access.KeepProviderReach(ctx); err != nil {
		return nil, err
	}
	if err := s.presence.Begin(ctx); err != nil {
		return nil, err
	}
	done, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.stop = stop
	s.devices = deviceapi.New(deviceapi.Options{
		Devices:   s.Devices,
		Passwords: s.Passwords,
		Known:     db,
		Now:       c.Now,
		Interval:  c.Interval,
		Help:      c.HelpText,
		Bytes:     budget.New(budget.DeviceBytes, time.Now),
		Epochs:    budget.New(budget.DeviceEpochs, time.Now),
		Attempts:  s.Attempts,
		Hub:       hub,
		Log:       log,
		Done:      done,
	})
	if c.Traces != "" {
		if s.tracing, err = tracing.Start(ctx, c.Traces); err != nil {
			stop()
			return nil, fmt.Errorf("%w: %w", ErrConfig, err)
		}
	}
	if err := s.measure(c); err != nil {
		stop()
		return nil, err
	}
	app := s.app(c)
	s.api = httpapi.Mount(app, httpapi.Options{
		Rooms:     opened.Rooms,
		Changed:   s.Changed,
		Name:      c.Organisation,
		Settings:  c.Settings(),
		PublicURL: c.PublicURL,
		Interval:  c.Interval,
		Now:       c.Now,
		Hub:       hub,
		Log:       log,
		Work:      budget.New(budget.Work, time.Now),
		Attempts:  s.Attempts,
		Secure:    c.TLSCert != "" || strings.HasPrefix(c.PublicURL, "https://"),
		Done:      done,
	})
	if err := s.open(c, app, bound, console); err != nil {
		stop()
		return nil, err
	}
	s.run(done, hub, c.Now)
	if s.jobs, err = jobs.Start(store.ForJobs(done), db.Jobs(), log, s.recurring(c)); err != nil {
		return nil, errors.Join(err, s.Stop())
	}
	// Lists and counts of operators begin whole.
	if err := s.View.Loaded(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("reading the fleet: %w", err), s.Stop())
	}
	return s, nil
}

// open adds the device protocol and the console to the routes, and opens the other listening address.
func (s *Server) open(c Config, app *fiber.App, bound net.Listener, console fs.FS) error {
	deviceApp := app
	if c.DeviceListen != "" {
		deviceApp = s.app(c)
	}
	s.devices.Mount(deviceApp)
	err := mountConsole(app, console)
	s.faces = append(s.faces, face{app, remember(bound)})
	if err == nil {
		s.DeviceURL = s.URL
		if c.DeviceListen != "" {
			s.DeviceURL, err = s.listen(c, c.DeviceListen, deviceApp)
		}
	}
	if err != nil {
		for _, f := range s.faces {
			f.conns.Close()
		}
		return err
	}
	return nil
}

// run starts the loops, which end with done, and the listeners.
func (s *Server) run(done context.Context, hub *notices.Hub, now func() time.Time) {
	loops := map[string]func(context.Context){
		"presence": s.presence.Run,
		"devices":  s.devices.Run, "settling": s.Deploy.SettleLoop, "rollouts": s.Deploy.RolloutLoop,
		"keys": s.Passwords.KeysLoop, "notifications": s.Notify.AnnounceLoop, "deliveries": s.Notify.DeliverLoop,
		"notices": func(ctx context.Context) { hub.Run(ctx, s.store, store.Topics, s.log) },
		"lists":   func(ctx context.Context) { s.View.Run(ctx, s.store, hub, s.log, now) },
	}
	for name, loop := range loops {
		s.loops.Add(1)
		supervise.Go(s.log, name, func() {
			defer s.loops.Done()
			supervise.Forever(store.ForJobs(done), s.log, name, loop)
		})
	}
	for _, f := range s.faces {
		supervise.Go(
			s.log,
			"listener",
			func() { s.failed <- f.app.Listener(f.conns, fiber.ListenConfig{DisableStartupMessage: true}) },
		)
	}
}

// recurring is what the service does again and again by itself.
func (s *Server) recurring(c Config) []jobs.Job {
	list := []jobs.Job{
		{Name: "overdue passwords", Every: max(min(c.Interval, time.Minute), 5*time.Second), Do: s.Devices.FindOverdue},
		{Name: "waivers", Every: 20 * time.Second, Do: s.Devices.EndWaivers},
		{Name: "warrants", Every: 5 * time.Second, Do: s.Warrants.EndDue},
		{Name: "sealed sheets", Every: 5 * time.Second, Do: s.Passwords.VoidSheets},
		{Name: "strangers", Every: 20 * time.Second, Do: s.Strangers.Record},
		{Name: "refused attempts", Every: 20 * time.Second, Do: s.Attempts.Record},
		{Name: "checkpoints", Long: true, Every: time.Hour, Do: s.Trail.AnchorHourly},
		{Name: "resealing", Long: true, Every: 10 * time.Second, Do: s.Passwords.ResealAsked},
		{Name: "retention", Long: true, Every: time.Hour, Do: func(ctx context.Context) error {
			_, err := s.Retention.Prune(ctx)
			return err
		}},
		{Name: "standings", Every: time.Minute, Do: func(ctx context.Context) error {
			s.Changed(ctx) // the lists have what there is now
			return s.Reporting.RecordStandings(ctx)
		}},
	}
	if c.LearnPrimaryUsers {
		list = append(list, jobs.Job{Name: "primary users", Every: time.Minute, Do: s.Changes.LearnUsers})
	}
	if c.Directory != nil {
		list = append(list, jobs.Job{Name: "directory", Long: true, Every: c.DirectoryEvery,
			Do: s.Changes.KeepDirectory})
	}
	return list
}

// listen takes an address for an app, and gives its URL.
func (s *Server) listen(c Config, address string, app *fiber.App) (string, error) {
	bound, err := c.bind(address)
	if err != nil {
		return "", err
	}
	s.faces = append(s.faces, face{app, remember(bound)})
	return c.scheme() + "://" + bound.Addr().String(), nil
}

// app is what is the same at every address: limits, headers, health.
func (s *Server) app(c Config) *fiber.App {
	app := fiber.New(fiber.Config{
		AppName: "Rank Warden", Immutable: true, BodyLimit: httpapi.MaxImport + 1,
		ErrorHandler: problem.HandleError(s.log),
		ReadTimeout:  time.Minute, IdleTimeout: 3 * time.Minute, ReduceMemoryUsage: true,
		TrustProxy: len(c.Proxies) > 0, TrustProxyConfig: fiber.TrustProxyConfig{Proxies: c.Proxies},
	})
	app.Server().KeepHijackedConns = true // a parked request's connection comes back, see deviceapi
	app.Server().HeaderReceived = func(header *fasthttp.RequestHeader) fasthttp.RequestConfig {
		return fasthttp.RequestConfig{MaxRequestBodySize: s.bodyLimit(header)}
	}
	app.Use(func(c fiber.Ctx) error {
		defer func() { // nothing panics through to the connection
			if r := recover(); r != nil {
				s.log.Error("a request panicked", "path", c.Path(), "panic", r)
				_ = problem.Send(c, problem.New(
					http.StatusInternalServerError,
					"the service failed; try again, and look into its log if it happens again",
				))
			}
		}()
		c.Set("X-Content-Type-Options", "nosniff")
		c.Set("Referrer-Policy", "no-referrer")
		c.Set(
			"Content-Security-Policy",
			"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "+
				"frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
		)
		return c.Next()
	})
	app.Use(refuseEncoded)
	proxies, _ := clientaddr.Parse(c.Proxies) // they were checked
	app.Use(proxies.Middleware)
	if s.tracing != nil {
		app.Use(tracing.Requests)
	}
	app.Use(s.metrics.Count)
	app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("alive\n") })
	app.Get("/readyz", func(c fiber.Ctx) error {
		if ready, why := s.presence.Ready(); !ready {
			return problem.Send(c, problem.New(http.StatusServiceUnavailable, "the database takes no writes: "+why).
				Later(comeBack))
		}
		return c.SendString("ready\n")
	})
	return app
}

// refuseEncoded refuses a body in a content encoding: a few bytes of one can become gigabytes, before anybody knows who
// sent them. No client of ours encodes what it sends (RFC 9110, section 15.5.16).
func refuseEncoded(c fiber.Ctx) error {
	if len(c.Request().Header.PeekAll(fiber.HeaderContentEncoding)) == 0 {
		return c.Next()
	}
	c.Set(fiber.HeaderAcceptEncoding, "identity")
	return problem.Send(c, problem.New(http.StatusUnsupportedMediaType,
		"the body comes in a content encoding, and is taken only as it is; send it without Content-Encoding"))
}

// comeBack is when whoever finds the service not ready may ask again.
const comeBack = 5 * time.Second

// Failed receives when the service cannot go on.
func (s *Server) Failed() <-chan error { return s.failed }

// Stop ends the service in order: nothing new is taken, what is under way is finished, what was
// gathered is written.
func (s *Server) Stop() error {
	s.stop()
	var errs []error
	parting, done := context.WithTimeout(context.Background(), 10*time.Second)
	defer done()
	errs = append(errs, s.devices.Leave(parting))
	for _, f := range s.faces {
		f.conns.closeUnused()
		if err := f.app.ShutdownWithTimeout(10 * time.Second); err != nil {
			errs = append(errs, fmt.Errorf("stopping: %w", err))
		}
	}
	if s.readers != nil {
		errs = append(errs, s.readers.Close())
	}
	if s.jobs != nil {
		ending, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		errs = append(errs, s.jobs.Stop(ending))
	}
	s.loops.Wait()
	if s.tracing != nil {
		ending, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := s.tracing(ending); err != nil {
			s.log.Warn("the last traces did not reach the collector", "error", err)
		}
	}
	s.store.Close()
	return errors.Join(errs...)
}

func (c Config) bind(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf(
			"%s cannot be listened on: %w; is another one running? Choose another address with --listen",
			address,
			err,
		)
	}
	if c.TLSCert == "" {
		return l, nil
	}
	pair, err := tls.LoadX509KeyPair(c.TLSCert, c.TLSKey)
	if err != nil {
		l.Close()
		return nil, fmt.Errorf("%w: reading the certificate: %w", ErrConfig, err)
	}
	return tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS13}), nil
}
