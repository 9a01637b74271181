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
	"sync/atomic"
	"time"

	"github.com/fsnotify/fsnotify"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/linux/door"
	"rankwarden.example/internal/wire/protocol"
)

// Host is this workstation. All of its methods may be called at once; changes take turns.
type Host struct {
	Tools Tools

	dir    string // for what the host keeps
	mu     sync.Mutex
	kept   kept
	people people
	read   partsRead
	last   last
	watch  chan struct{}

	watcher     *fsnotify.Watcher
	sessionKept atomic.Bool // by systemd, since the journal was read
	looks       bool        // nothing is changed, not even to try
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
	if err := h.removeTrialAccount(ctx); err != nil {
		return nil, fmt.Errorf("removing the account of a trial that was cut: %w", err)
	}
	return h, h.listen(ctx)
}

// Look opens this workstation to look at it alone, beside an agent that may run. Nothing is tried, so that rules are
// what their files say, or what the agent of this machine found.
func Look(_ context.Context, dir string, tools Tools) (*Host, error) {
	if os.Geteuid() != 0 {
		return nil, errors.New("only root can read the accounts of a workstation; run it as root")
	}
	h := &Host{Tools: tools, dir: dir, watch: make(chan struct{}, 1), looks: true}
	h.read.blind = true
	return h, h.kept.read(h.keptPath())
}

// change does one change, unless its context has ended.
func (h *Host) change(ctx context.Context, do func() error) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return err
	}
	defer h.read.changed()
	return do()
}

// Facts implements [host.Host]. The build is the release and its number: 1211 for Debian 12.11, 2404 for a release
// 24.04.
func (h *Host) Facts(context.Context) (protocol.Facts, error) {
	name, err := os.Hostname()
	if err != nil {
		return protocol.Facts{}, fmt.Errorf("the name of this device: %w", err)
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	facts := h.release()
	facts.Name = name
	return facts, nil
}

// release is what system the device has, on which machine.
func (h *Host) release() protocol.Facts {
	if h.read.due(partRelease) {
		f := protocol.Facts{Platform: host.PlatformLinux, Model: firmware("product_name"),
			Serial: firmware("product_serial")}
		f.OSVersion, f.OSBuild = release()
		h.last.facts = f
	}
	return h.last.facts
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
func (h *Host) Limits(ctx context.Context) ([]drift.Limit, error) {
	limits := host.LinuxLimits()
	no := func(readOnly bool, why string, settings ...unit.ID) {
		for _, id := range settings {
			limits = append(limits, drift.Limit{Setting: id, ReadOnly: readOnly, Why: why})
		}
	}
	if _, err := os.Stat(sudoersFile); errors.Is(err, os.ErrNotExist) { // else the group is missing, and that is told
		h.mu.Lock()
		d, err := h.accounts()
		h.mu.Unlock()
		if err != nil {
			return nil, err
		}
		if _, there := administratorsOf(d.groups); !there {
			no(false, "has neither a group sudo nor a group wheel", unit.MembershipOf(unit.GroupAdministrators))
		}
	}
	for _, tool := range []string{"useradd", "usermod", "userdel", "chpasswd", "chage"} {
		if !h.Tools.has(tool) {
			limits = append(limits, drift.Limit{Family: unit.Accounts, Why: "lacks the program " + tool})
		}
	}
	if !h.Tools.has("gpasswd") {
		limits = append(limits, drift.Limit{Family: unit.Membership, ReadOnly: true, Why: "lacks the program gpasswd"})
	}
	modules, err := h.modules(ctx)
	if err != nil {
		return nil, err
	}
	_, noHelper := h.helper()
	helped := noHelper == nil
	for _, rule := range []struct {
		module, from string
		settings     []unit.ID
	}{
		{"pam_pwquality.so", "libpam-pwquality", []unit.ID{unit.MinLength, unit.Complexity}},
		{"pam_pwhistory.so", "libpam-modules", []unit.ID{unit.History}},
		{"pam_faillock.so", "libpam-modules", []unit.ID{unit.Lockout}},
	} {
		switch {
		case !modules[rule.module]:
			no(true, fmt.Sprintf("lacks %s, which the package %s brings", rule.module, rule.from), rule.settings...)
		case !helped:
			no(true, "lacks the program "+door.Program+", without which a change of how people sign in cannot be tried",
				rule.settings...)
		case !h.Tools.has("pam-auth-update"):
			no(true, "lacks the program pam-auth-update, which changes how people sign in", rule.settings...)
		}
	}
	return limits, nil
}

// modules says which of the modules that settings need the device has.
func (h *Host) modules(ctx context.Context) (map[string]bool, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if h.last.modules == nil || !h.read.holds(partRules) {
		has := map[string]bool{}
		for _, name := range []string{"pam_pwquality.so", "pam_pwhistory.so", "pam_faillock.so"} {
			has[name] = hasModule(name)
		}
		h.last.modules = has
	}
	return h.last.modules, nil
}

// Read implements [host.Host].
func (h *Host) Read(ctx context.Context) (drift.State, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return drift.State{}, err
	}
	facts := h.release()
	state := drift.State{Platform: facts.Platform, OSVersion: facts.OSVersion, OSBuild: facts.OSBuild}
	d, err := h.accounts()
	if err != nil {
		return drift.State{}, err
	}
	rules, err := h.rules(ctx)
	if err != nil {
		return drift.State{}, err
	}
	locked, err := h.lockedNow(ctx, rules.lockout, time.Now())
	if err != nil {
		return drift.State{}, err
	}
	passwords := d.withAges(rules.passwords())
	state.Passwords, state.Lockout = &passwords, &rules.lockout.rule
	state.SignInFault, state.Causes = rules.effect.SignIn, rules.causes()
	if state.LocalGroups, err = h.groups(ctx, d); err != nil {
		return drift.State{}, err
	}
	joined := map[principal.SID]bool{}
	for _, g := range state.LocalGroups {
		for _, m := range g.Members {
			joined[m.SID] = true
		}
	}
	for _, p := range d.people {
		if p.name != trialAccount && (d.shown(p) || joined[p.sid()]) {
			state.Accounts = append(state.Accounts, d.account(p, locked[p.name], h.endOf(p)))
		}
	}
	return state, nil
}

// kept is what the host must remember.
type kept struct {
	Mark int `json:"mark"` // the greatest UID that it gave; none is given twice
	// Rename is what must be finished after the power was cut.
	Rename *rename `json:"rename,omitempty"`
	// Ends are the days of shadow(5) on which disabled accounts expire, by UID: there they have another day meanwhile.
	Ends map[int]int `json:"ends,omitempty"`
	// Files are those of the system that the agent wrote, by their path.
	Files map[string]*overwritten `json:"files,omitempty"`
	// Ages are what the agent did to the ages of accounts, by UID.
	Ages       map[int]agesOf `json:"ages,omitempty"`
	QualityDir bool           `json:"quality_dir,omitempty"` // the host made the directory of its settings for new passwords
	// Effect is what the trial of the sign-in rules found last.
	Effect *effect `json:"effect,omitempty"`
}
