// Package fleetsim runs any number of simulated workstations in one process, each with its own
// agent through the real protocol, and the people who interfere with them.
package fleetsim

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
)

// Options are what a fleet is made of.
type Options struct {
	Service   string            // base URL
	Tokens    map[string]string // enrolment token of each device
	Dir       string            // a directory for each device
	Machines  []simulated.Machine
	Incidents []Incident
	Begin     <-chan struct{} // the incidents wait for it, nil for not at all
	Clock     agent.Clock
	Log       *slog.Logger
	Way       http.RoundTripper // of the devices to the service, nil for a plain one
}

// Fleet is a running fleet.
type Fleet struct {
	Options
	devices map[string]*Device
}

// Device is one simulated workstation with its agent and its link.
type Device struct {
	Name    string
	Machine *simulated.Workstation
	Link    Link
	dir     string
}

// Link is a device's way to the service.
type Link struct {
	next http.RoundTripper
	down atomic.Bool
	slow atomic.Int64 // nanoseconds that every request takes longer
	cut  atomic.Pointer[func() bool]
}

// SetDown cuts the link or mends it.
func (l *Link) SetDown(down bool) { l.down.Store(down) }

// CutWhile cuts the link whenever something holds; it is asked before every request.
func (l *Link) CutWhile(holds func() bool) { l.cut.Store(&holds) }

// SetSlow makes every request take longer.
func (l *Link) SetSlow(by time.Duration) { l.slow.Store(int64(by)) }

// ErrOutOfRange is what a device sees while its link is cut.
var ErrOutOfRange = errors.New("out of range")

// RoundTrip implements [http.RoundTripper].
func (l *Link) RoundTrip(req *http.Request) (*http.Response, error) {
	if by := time.Duration(l.slow.Load()); by > 0 {
		select {
		case <-req.Context().Done():
			return nil, req.Context().Err()
		case <-time.After(by):
		}
	}
	if holds := l.cut.Load(); l.down.Load() || holds != nil && (*holds)() {
		return nil, ErrOutOfRange
	}
	return l.next.RoundTrip(req)
}

const machineFile = "machine.json"

// New prepares a fleet; machines that were on disk already go on from where they were.
func New(o Options) (*Fleet, error) {
	f := &Fleet{Options: o, devices: map[string]*Device{}}
	way := o.Way
	if way == nil {
		way = &http.Transport{
			DialContext:         (&net.Dialer{Timeout: 10 * time.Second}).DialContext,
			MaxIdleConnsPerHost: 2 * len(o.Machines),
			IdleConnTimeout:     2 * time.Minute,
		}
	}
	for _, m := range o.Machines {
		d := &Device{Name: m.Facts.Name, dir: filepath.Join(o.Dir, m.Facts.Name)}
		d.Link.next = way
		kept, err := simulated.ReadDisk(filepath.Join(d.dir, machineFile))
		if err != nil {
			return nil, err
		}
		if kept != nil {
			m = *kept
		}
		d.Machine = simulated.Boot(m, o.Clock.Now)
		f.devices[d.Name] = d
	}
	return f, nil
}

// Device finds a device by name, nil when there is none.
func (f *Fleet) Device(name string) *Device { return f.devices[name] }

// saveEvery is how often changed machines are written to disk.
const saveEvery = 2 * time.Second

// Run runs all devices until the context ends, and writes the machines to disk.
func (f *Fleet) Run(ctx context.Context) error {
	var running sync.WaitGroup
	failed := make(chan error, len(f.devices))
	for _, d := range f.devices {
		a, err := agent.New(agent.Options{Host: d.Machine, Service: f.Service, Token: f.Tokens[d.Name], Dir: d.dir,
			HTTP: &http.Client{
				Transport: &d.Link,
				Timeout:   90 * time.Second,
			}, Clock: f.Clock, Log: f.Log.With("device", d.Name)})
		if err != nil {
			return err
		}
		running.Go(func() {
			if err := a.Run(ctx); err != nil {
				failed <- fmt.Errorf("%s: %w", d.Name, err)
			}
		})
	}
	for _, incident := range f.Incidents {
		if d := f.devices[incident.Device]; d != nil {
			running.Go(func() {
				if f.Begin != nil {
					select {
					case <-ctx.Done():
						return
					case <-f.Begin:
					}
				}
				incident.run(ctx, f.Clock, d, f.Log)
			})
		}
	}
	var errs []error
	for ended := false; !ended; {
		select {
		case <-ctx.Done():
			ended = true
		case err := <-failed:
			errs = append(errs, err)
		case <-f.Clock.After(saveEvery):
		}
		errs = append(errs, f.save())
	}
	running.Wait()
	return errors.Join(append(errs, f.save())...)
}

// save writes machines that changed.
func (f *Fleet) save() error {
	var errs []error
	for _, d := range f.devices {
		errs = append(errs, d.Machine.WriteDisk(filepath.Join(d.dir, machineFile)))
	}
	return errors.Join(errs...)
}
