package main

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"path/filepath"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/protocol"
)

// Hosts that the agent can keep.
const (
	hostThis      = "this"
	hostSimulated = "simulated"
)

// machine is the workstation that the agent keeps.
type machine struct {
	host  host.Host
	bench func(second func() error) *hosttest.Bench // the host with somebody's hands
	close func() error
}

// open takes over the workstation; a second agent of it is refused. To look at it without changing anything it need not
// be alone.
func open(ctx context.Context, f flags, look bool) (m machine, err error) {
	if f.host != hostThis && f.host != hostSimulated {
		return m, fmt.Errorf("there is no host %q; write --host %s or --host %s", f.host, hostThis, hostSimulated)
	}
	if err := stateDir(f.state, f.host == hostThis); err != nil {
		return m, err
	}
	release := func() {}
	if !look {
		if release, err = alone(f); err != nil {
			return m, err
		}
	}
	if f.host == hostSimulated {
		m, err = openSimulated(f)
	} else {
		m, err = openThis(ctx, f.state, look)
	}
	if err != nil {
		release()
		return m, err
	}
	end := m.close
	m.close = func() error {
		defer release()
		return end()
	}
	return m, nil
}

// alone sees that no other agent works with the state directory, nor, on a real workstation, on the machine.
func alone(f flags) (release func(), err error) {
	ofDirectory, err := agent.Alone(f.state)
	path := machineLock()
	if err != nil || f.host != hostThis || path == "" {
		return ofDirectory, err
	}
	ofMachine, err := agent.AloneAt(path)
	if err != nil {
		ofDirectory()
		return nil, err
	}
	return func() { ofMachine(); ofDirectory() }, nil
}

// openSimulated starts the simulated workstation, as it was left or new from the factory.
func openSimulated(f flags) (machine, error) {
	path := filepath.Join(f.state, "machine.json")
	kept, err := simulated.ReadDisk(path)
	if err != nil {
		return machine{}, err
	}
	clock := &movable{}
	var w *simulated.Workstation
	if kept != nil {
		w = simulated.Boot(*kept, clock.now)
	} else if w, err = fromFactory(f.name, clock); err != nil {
		return machine{}, err
	}
	bench := func(second func() error) *hosttest.Bench {
		b := simulated.Bench(w, second)
		b.Later = func(d time.Duration) error { clock.ahead += d; return nil }
		return b
	}
	return machine{w, bench, func() error { return w.WriteDisk(path) }}, nil
}

// movable is the clock of a simulated workstation.
type movable struct{ ahead time.Duration }

func (c *movable) now() time.Time { return time.Now().Add(c.ahead) }

// fromFactory is a new workstation, with somebody who set it up.
func fromFactory(name string, clock *movable) (*simulated.Workstation, error) {
	sum := sha256.Sum256([]byte(name))
	domain, err := principal.ParseSID(
		fmt.Sprintf("S-1-5-21-7000-%d-%d", binary.BigEndian.Uint32(sum[:]), binary.BigEndian.Uint32(sum[4:])),
	)
	if err != nil {
		return nil, err
	}
	facts := protocol.Facts{
		Name: name, Model: "Simulated workstation", Platform: host.PlatformWindows, OSVersion: "10.0.22631",
		OSBuild: 22631,
	}
	w := simulated.Boot(simulated.Factory(facts, domain, clock.now()), clock.now)
	w.AddAccount("mooring")
	return w, w.Join("administrators", "mooring")
}
