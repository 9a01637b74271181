//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/core/unit"
)

const (
	faillockConf = "/etc/security/faillock.conf"
	tallyDir     = "/run/faillock" // unless faillock.conf says another
)

// Profiles that count wrong passwords, before and after the module that checks them. Somebody who is locked out reads
// what the organisation says; see [Host.ShowHelp]. Whoever is not locked passes by.
const (
	lockoutBefore = `Name: Rank Warden: locked accounts are turned away
Default: no
Priority: 1024
Auth-Type: Primary
Auth:
	[auth_err=ignore default=2]	pam_faillock.so preauth
	optional	pam_echo.so file=` + helpFile + `
	requisite	pam_deny.so
Account-Type: Primary
Account:
	required	pam_faillock.so
`
	lockoutAfter = `Name: Rank Warden: wrong passwords lock accounts
Default: no
Priority: 0
Auth-Type: Primary
Auth:
	[default=die]	pam_faillock.so authfail
`
)

// lockout is what faillock.conf(5) and the stack come to.
type lockout struct {
	rule unit.LockoutRule
	dir  string
	root bool // root is locked too
}

// Limits and defaults of pam_faillock(8), in seconds and attempts.
const (
	mostSeconds       = 604_800
	defaultDeny       = 3
	defaultInterval   = 900
	defaultUnlockTime = 600
)

// countsWrong reports whether the stack counts wrong passwords.
func (p pam) countsWrong() bool {
	before, after := false, false
	for _, m := range p.calls("auth", "pam_faillock.so") {
		before = before || slices.Contains(m, "preauth")
		after = after || slices.Contains(m, "authfail")
	}
	return before && after
}

// readLockout is the lockout as the stack and its file say. Without the stack nothing is locked, whatever the file
// says.
func readLockout(all pam) lockout {
	conf := assignments(string(readOr(faillockConf)), "=")
	_, root := conf["even_deny_root"]
	for _, m := range all.calls("auth", "pam_faillock.so") { // arguments count before the file
		for _, key := range []string{"deny", "unlock_time", "fail_interval", "dir"} {
			if value, there := m.arg(key); there {
				conf[key] = value
			}
		}
		root = root || slices.Contains(m, "even_deny_root")
	}
	number := func(key string, otherwise int) int {
		value := conf[key]
		if value == "never" {
			return 0
		}
		if n, err := strconv.Atoi(value); err == nil && n >= 0 {
			return n
		}
		return otherwise
	}
	l := lockout{dir: tallyDir, root: root, rule: unit.LockoutRule{
		Threshold:       number("deny", defaultDeny),
		DurationMinutes: number("unlock_time", defaultUnlockTime) / 60,
		WindowMinutes:   number("fail_interval", defaultInterval) / 60,
	}}
	if conf["dir"] != "" {
		l.dir = conf["dir"]
	}
	if !all.countsWrong() {
		l.rule.Threshold = 0
	}
	return l
}

// SetLockout implements [host.Host]. Root is never locked: it is who unlocks.
func (h *Host) SetLockout(ctx context.Context, rule unit.LockoutRule) error {
	switch {
	case max(rule.DurationMinutes, rule.WindowMinutes)*60 > mostSeconds:
		return fmt.Errorf("pam_faillock locks and counts for at most %d minutes", mostSeconds/60)
	case rule.Threshold > 0 && rule.DurationMinutes != 0 && rule.WindowMinutes > rule.DurationMinutes:
		return fmt.Errorf(
			"the rules contradict each other: window %d min, duration %d min",
			rule.WindowMinutes,
			rule.DurationMinutes,
		)
	}
	return h.change(ctx, func() (err error) {
		undo, err := h.undoing(faillockConf)
		if err != nil {
			return err
		}
		defer func() { err = undo(err) }()
		if rule.Threshold == 0 {
			if err := h.stopCounting(ctx); err != nil {
				return err
			}
		}
		all, _ := readPAM()
		if rule.Threshold > 0 || all.countsWrong() {
			if err := h.configureLockout(rule); err != nil {
				return err
			}
		}
		if rule.Threshold > 0 && !all.countsWrong() {
			if err := h.changeStack(ctx, pam.countsWrong, profile{lockoutName, lockoutBefore},
				profile{countName, lockoutAfter}); err != nil {
				return err
			}
		}
		now, err := h.rulesNow(ctx)
		switch {
		case err != nil:
			return err
		case now.effect.NoLock != "" && rule.Threshold > 0:
			return fmt.Errorf("wrong passwords lock nobody: %s", now.effect.NoLock)
		case now.lockout.rule.Threshold != rule.Threshold || rule.Threshold > 0 && now.lockout.rule != rule:
			return fmt.Errorf(
				"arguments of pam_faillock in %s count before %s; take them out there",
				pamDir,
				faillockConf,
			)
		}
		return nil
	})
}

// lastingTallies is where wrong passwords are counted when they lock until someone unlocks: where they outlast a
// restart.
const lastingTallies = "/var/lib/faillock"

// configureLockout writes a lockout into its file.
func (h *Host) configureLockout(rule unit.LockoutRule) error {
	values := []setting{
		{"deny", strconv.Itoa(rule.Threshold)},
		{"unlock_time", strconv.Itoa(rule.DurationMinutes * 60)},
		{"fail_interval", strconv.Itoa(rule.WindowMinutes * 60)},
	}
	text := string(readOr(faillockConf))
	switch dir := assignments(text, "=")["dir"]; {
	case rule.DurationMinutes == 0 && dir == "":
		if err := os.MkdirAll(lastingTallies, 0o755); err != nil {
			return err
		}
		if err := h.watcher.Add(lastingTallies); err != nil {
			return err
		}
		values = append(values, setting{"dir", lastingTallies})
	case rule.DurationMinutes != 0 && dir == lastingTallies:
		values = append(values, setting{"dir", tallyDir})
	}
	return h.writeFile(faillockConf, withSettings(text, " = ", values...))
}

// stopCounting takes the agent's own profiles out, so that wrong passwords are counted as they were before it.
func (h *Host) stopCounting(ctx context.Context) error {
	var own []profile
	for _, name := range []string{lockoutName, countName} {
		if _, err := os.Stat(filepath.Join(profilesDir, name)); err == nil {
			own = append(own, profile{name, ""})
		}
	}
	if len(own) > 0 {
		if err := h.changeStack(ctx, func(now pam) bool { return !now.countsWrong() }, own...); err != nil {
			return err
		}
	}
	if all, _ := readPAM(); all.countsWrong() {
		return nil
	}
	if err := h.giveBackFile(faillockConf); !errors.Is(err, ErrWrittenSince) {
		return err
	}
	return nil // nothing counts, whatever stands there
}

// Names of the profiles.
const (
	lockoutName = "rankwarden-lockout"
	countName   = "rankwarden-lockout-count"
)

// lock is whether an account is locked.
type lock struct {
	locked bool
	until  *time.Time // nil: until someone unlocks
}

// lockedNow says which accounts are locked, by name.
func (h *Host) lockedNow(ctx context.Context, l lockout, now time.Time) (map[string]lock, error) {
	if l.rule.Threshold == 0 {
		return nil, nil
	}
	if is := likenessOf(l.dir + "/"); is != h.last.tallies {
		h.last.wrong = nil
		if anyWrong(l.dir) {
			out, err := h.Tools.run(ctx, "", "faillock", "--dir", l.dir)
			if err != nil {
				return nil, fmt.Errorf("reading which accounts are locked: %w", err)
			}
			h.last.wrong = parseTallies(out)
		}
		h.last.tallies = is
	}
	locks := map[string]lock{}
	for name, wrong := range h.last.wrong {
		if name != "root" || l.root {
			locks[name] = lockOf(wrong, l.rule, now)
		}
	}
	return locks, nil
}

// lockOf is what wrong passwords come to, as pam_faillock(8) counts them: those not longer before the latest than the
// window. A lock ends when its duration is over.
func lockOf(wrong []time.Time, rule unit.LockoutRule, now time.Time) lock {
	var latest time.Time
	for _, at := range wrong {
		if at.After(latest) {
			latest = at
		}
	}
	n := 0
	for _, at := range wrong {
		if latest.Sub(at) < time.Duration(rule.WindowMinutes)*time.Minute {
			n++
		}
	}
	if n < rule.Threshold {
		return lock{}
	}
	if rule.DurationMinutes == 0 {
		return lock{locked: true}
	}
	until := latest.Add(time.Duration(rule.DurationMinutes) * time.Minute).UTC()
	return lock{!now.After(until), &until}
}

// parseTallies reads what faillock(8) writes: a block for each name, with a line for each wrong password.
func parseTallies(out string) map[string][]time.Time {
	tallies, name := map[string][]time.Time{}, ""
	for line := range strings.Lines(out) {
		line = strings.TrimRight(line, " \n")
		if block, found := strings.CutSuffix(line, ":"); found && !strings.Contains(block, " ") {
			name = block
			continue
		}
		at, err := time.Parse(time.DateTime, line[:min(len(line), len(time.DateTime))])
		if err == nil && strings.HasSuffix(line, "V") { // V: it counts
			tallies[name] = append(tallies[name], at)
		}
	}
	return tallies
}

// anyWrong reports whether there is anything to read.
func anyWrong(dir string) bool {
	files, _ := filepath.Glob(filepath.Join(dir, "*"))
	for _, f := range files {
		if info, err := os.Stat(f); err == nil && info.Size() > 0 {
			return true
		}
	}
	return false
}

// tallies is where wrong passwords are counted.
func (h *Host) tallies() string {
	if h.last.rules.lockout.dir != "" {
		return h.last.rules.lockout.dir
	}
	all, _ := readPAM()
	return readLockout(all).dir
}

// forgetWrong lets the count of a name begin again.
func (h *Host) forgetWrong(ctx context.Context, name string) error {
	if _, err := os.Stat(filepath.Join(h.tallies(), name)); err != nil || !h.Tools.has("faillock") {
		return nil // nothing was counted
	}
	_, err := h.Tools.run(ctx, "", "faillock", "--dir", h.tallies(), "--user", name, "--reset")
	return err
}
