package windows

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/wire/protocol"
)

// Host is a workstation with Windows. All of its methods may be called at once; changes take turns.
type Host struct {
	system  System
	now     func() time.Time
	machine Machine
	path    string // of what the host must remember
	mu      sync.Mutex
	kept    kept
	// tellsDisabled is whether the system tells the right password of a disabled account from a wrong one; nil until it
	// was tried.
	tellsDisabled *bool
	relaxed       bool // the system takes greater minimum lengths of passwords, as it was read last
	watch         chan struct{}
}

var (
	_ host.Host      = (*Host)(nil)
	_ journal.Sealer = (*Host)(nil)
)

// ErrController is given on a domain controller, whose accounts are those of the whole domain.
var ErrController = errors.New(
	"this machine is a domain controller: its accounts are those of the domain, and the agent does not touch them",
)

// Open takes over a workstation. What the host must remember is kept in a directory.
func Open(system System, dir string, now func() time.Time) (*Host, error) {
	machine, err := system.Machine()
	if err != nil {
		return nil, fmt.Errorf("asking for this machine: %w", err)
	}
	if machine.Controller {
		return nil, ErrController
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("host state: %w", err)
	}
	h := &Host{system: system, now: now, machine: machine, path: keptPath(dir), watch: make(chan struct{}, 1)}
	if err := h.kept.read(h.path); err != nil {
		return nil, err
	}
	if err := system.Watch(eventsOf(eventSignIn, eventLocked), h.tell); err != nil {
		return nil, fmt.Errorf("watching for sign-ins: %w", err)
	}
	return h, nil
}

// change does one change, unless its context has ended.
func (h *Host) change(ctx context.Context, do func() error) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return err
	}
	return do()
}

// Facts implements [host.Host].
func (h *Host) Facts(context.Context) (protocol.Facts, error) {
	model, serial := firmware(h.machine.Firmware)
	return protocol.Facts{
		Name:      h.machine.Name,
		Platform:  host.PlatformWindows,
		OSVersion: h.machine.Version,
		OSBuild:   h.machine.Build,
		Model:     model,
		Serial:    serial,
	}, nil
}

// Limits implements [host.Host]: which local groups there are depends on the edition, and on what is installed. How
// long a minimum length may be is as the rules were read last.
func (h *Host) Limits(context.Context) ([]drift.Limit, error) {
	h.mu.Lock()
	limits := host.WindowsLimits(h.machine.Build, h.relaxed)
	h.mu.Unlock()
	for _, name := range slices.Sorted(maps.Keys(unit.KnownLocalGroups)) {
		_, err := h.system.NameOf(drift.WellKnown(name))
		switch {
		case errors.Is(err, NoneMapped):
			limits = append(
				limits,
				drift.Limit{Setting: unit.MembershipOf(name), Why: "has no local group of that kind"},
			)
		case err != nil:
			return nil, fmt.Errorf("looking for the local group %s: %w", name, err)
		}
	}
	return limits, nil
}

// Read implements [host.Host].
func (h *Host) Read(ctx context.Context) (drift.State, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return drift.State{}, err
	}
	state := drift.State{Platform: host.PlatformWindows, OSVersion: h.machine.Version, OSBuild: h.machine.Build}
	passwords, err := h.passwords()
	if err != nil {
		return drift.State{}, err
	}
	lockout, err := h.lockout()
	if err != nil {
		return drift.State{}, err
	}
	state.Passwords, state.Lockout = &passwords, &lockout
	if state.Accounts, err = h.accounts(lockout); err != nil {
		return drift.State{}, err
	}
	state.LocalGroups, err = h.groups()
	return state, err
}

// sid is the identifier of an account by its last part.
func (h *Host) sid(rid uint32) principal.SID {
	return principal.MustSID(fmt.Sprintf("%s-%d", h.machine.SID, rid))
}

// Seal implements [journal.Sealer] with the key of this machine: what was copied to another one does not open there.
func (h *Host) Seal(key []byte) ([]byte, error) { return h.system.Protect(key) }

// Unseal implements [journal.Sealer].
func (h *Host) Unseal(sealed []byte) ([]byte, error) { return h.system.Unprotect(sealed) }

// firmware finds model and serial number in the tables of the firmware, which makers fill with care or without; see
// DSP0134, SMBIOS Reference Specification, 6 and 7.2.
func firmware(raw []byte) (model, serial string) {
	const (
		head        = 8 // RawSMBIOSData before its tables
		systemTable = 1
		modelAt     = 5
		serialAt    = 7
	)
	for tables := raw[min(head, len(raw)):]; len(tables) >= 4; {
		kind, long := tables[0], int(tables[1])
		end := strings.Index(string(tables[min(long, len(tables)):]), "\x00\x00")
		if long < 4 || end < 0 {
			return "", ""
		}
		words := strings.Split(string(tables[long:long+end]), "\x00")
		if kind == systemTable && long > serialAt {
			word := func(at int) string {
				n := int(tables[at])
				if n == 0 || n > len(words) {
					return ""
				}
				return host.FirmwareWord(words[n-1])
			}
			return word(modelAt), word(serialAt)
		}
		tables = tables[long+end+2:]
	}
	return "", ""
}
