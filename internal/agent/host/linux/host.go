//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/wire/protocol"
)

// Host is this workstation. All of its methods may be called at once; changes take turns.
type Host struct {
	Tools Tools

	dir    string // for what the host keeps
	mu     sync.Mutex
	kept   kept
	people people
	watch  chan struct{}
}

var (
	_ host.Host           = (*Host)(nil)
	_ host.KnowsDirectory = (*Host)(nil)
	_ host.RenamesUnused  = (*Host)(nil)
)

// Open takes over this workstation. What the host must remember is kept in a directory. A change of the sign-in rules
// that was cut in the middle is undone. Its errors say what is in the way.
func Open(ctx context.Context, dir string, tools Tools) (*Host, error) {
	if os.Geteuid() != 0 {
		return nil, errors.New("only root can keep the accounts of a workstation; run the agent as root")
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("host state: %w", err)
	}
	h := &Host{Tools: tools, dir: dir, watch: make(chan struct{}, 1)}
	if err := h.kept.read(h.keptPath()); err != nil {
		return nil, err
	}
	if err := h.undoTrial(ctx); err != nil {
		return nil, fmt.Errorf("undoing a change of the sign-in rules that was cut: %w", err)
	}
	if err := h.finishRename(ctx); err != nil {
		return nil, err
	}
	return h, h.listen(ctx)
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

// Facts implements [host.Host]. The build is the release and its number: 1211 for Debian 12.11, 2404 for a release
// 24.04.
func (h *Host) Facts(context.Context) (protocol.Facts, error) {
	name, err := os.Hostname()
	if err != nil {
		return protocol.Facts{}, fmt.Errorf("the name of this device: %w", err)
	}
	version, build := release()
	return protocol.Facts{
		Name:      name,
		Platform:  host.PlatformLinux,
		OSVersion: version,
		OSBuild:   build,
		Model:     firmware("product_name"),
		Serial:    firmware("product_serial"),
	}, nil
}

// release reads os-release(5), and the file in which Debian keeps the number of its point release.
func release() (version string, build int) {
	found := assignments(string(readOr("/etc/os-release")), "=")
	id, number := strings.Trim(found["ID"], `"`), strings.Trim(found["VERSION_ID"], `"`)
	if point := strings.TrimSpace(string(readOr("/etc/debian_version"))); id == "debian" &&
		strings.HasPrefix(point, number+".") {
		number = point
	}
	major, minor, _ := strings.Cut(number, ".")
	x, _ := strconv.Atoi(major)
	y, _ := strconv.Atoi(minor)
	return strings.TrimSpace(id + " " + number), x*100 + min(y, 99)
}

func readOr(path string) []byte {
	data, _ := os.ReadFile(path) // without it there is nothing to know
	return data
}

// firmware reads one of the device's own facts.
func firmware(fact string) string {
	return host.FirmwareWord(string(readOr(filepath.Join("/sys/class/dmi/id", fact))))
}

// Limits implements [host.Host].
func (h *Host) Limits(context.Context) ([]drift.Limit, error) {
	limits := host.LinuxLimits()
	no := func(readOnly bool, why string, settings ...unit.ID) {
		for _, id := range settings {
			limits = append(limits, drift.Limit{Setting: id, ReadOnly: readOnly, Why: why})
		}
	}
	if _, there := administratorsOf(readGroups()); !there {
		no(false, "has neither a group sudo nor a group wheel", unit.MembershipOf(unit.GroupAdministrators))
	}
	for _, tool := range []string{"useradd", "usermod", "userdel", "chpasswd", "chage"} {
		if !h.Tools.has(tool) {
			limits = append(limits, drift.Limit{Family: unit.Accounts, Why: "lacks the program " + tool})
		}
	}
	if !h.Tools.has("gpasswd") {
		limits = append(limits, drift.Limit{Family: unit.Membership, ReadOnly: true, Why: "lacks the program gpasswd"})
	}
	for _, rule := range []struct {
		module, from string
		settings     []unit.ID
	}{
		{"pam_pwquality.so", "libpam-pwquality", []unit.ID{unit.MinLength, unit.Complexity}},
		{"pam_pwhistory.so", "libpam-modules", []unit.ID{unit.History}},
		{"pam_faillock.so", "libpam-modules", []unit.ID{unit.Lockout}},
	} {
		switch {
		case !hasModule(rule.module):
			no(true, fmt.Sprintf("lacks %s, which the package %s brings", rule.module, rule.from), rule.settings...)
		case !h.Tools.has("pam-auth-update"):
			no(true, "lacks the program pam-auth-update, which changes how people sign in", rule.settings...)
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
	version, build := release()
	state := drift.State{Platform: host.PlatformLinux, OSVersion: version, OSBuild: build}
	d, err := readDatabase()
	if err != nil {
		return drift.State{}, err
	}
	lockout := readLockout()
	locked, err := h.lockedNow(ctx, lockout, time.Now())
	if err != nil {
		return drift.State{}, err
	}
	rules := readRules(d)
	state.Passwords, state.Lockout = &rules, &lockout.rule
	for _, p := range d.people {
		if d.regular(p) {
			state.Accounts = append(state.Accounts, d.account(p, locked[p.name], h.endOf(p)))
		}
	}
	state.LocalGroups, err = h.groups(ctx, d)
	return state, err
}

// kept is what the host must remember.
type kept struct {
	Mark int `json:"mark"` // the greatest UID that it gave; none is given twice
	// Rename is what must be finished after the power was cut.
	Rename *rename `json:"rename,omitempty"`
	// Ends are the days of shadow(5) on which disabled accounts expire, by UID: there they have another day meanwhile.
	Ends map[int]int `json:"ends,omitempty"`
}
