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
	"rankwarden.example/internal/kit/atomicfile"
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
func countsWrong() bool {
	before, after := false, false
	for _, m := range inStack("auth", "pam_faillock.so") {
		before = before || slices.Contains(m, "preauth")
		after = after || slices.Contains(m, "authfail")
	}
	return before && after
}

// readLockout is the lockout in force. Without the stack nothing is locked, whatever the file says.
func readLockout() lockout {
	conf := assignments(string(readOr(faillockConf)), "=")
	_, root := conf["even_deny_root"]
	for _, m := range inStack("auth", "pam_faillock.so") { // arguments count before the file
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
	if !countsWrong() {
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
		before, err := keep(faillockConf)
		if err != nil {
			return err
		}
		defer func() {
			if err != nil {
				err = errors.Join(err, putBack(before))
			}
		}()
		text := withSettings(string(before[0].Text), " = ",
			setting{"deny", strconv.Itoa(rule.Threshold)},
			setting{"unlock_time", strconv.Itoa(rule.DurationMinutes * 60)},
			setting{"fail_interval", strconv.Itoa(rule.WindowMinutes * 60)})
		if err := atomicfile.Write(faillockConf, []byte(text), 0o644); err != nil {
			return err
		}
		if rule.Threshold > 0 && !countsWrong() {
			if err := h.changeStack(ctx, countsWrong, profile{"rankwarden-lockout", lockoutBefore},
				profile{"rankwarden-lockout-count", lockoutAfter}); err != nil {
				return err
			}
		}
		if now := readLockout().rule; now.Threshold != rule.Threshold || rule.Threshold > 0 && now != rule {
			return fmt.Errorf(
				"arguments of pam_faillock in %s count before %s; take them out there",
				pamDir,
				faillockConf,
			)
		}
		return nil
	})
}

// lock is whether an account is locked.
type lock struct {
	locked bool
	until  *time.Time // nil: until someone unlocks
}

// lockedNow says which accounts are locked, by name.
func (h *Host) lockedNow(ctx context.Context, l lockout, now time.Time) (map[string]lock, error) {
	if l.rule.Threshold == 0 || !anyWrong(l.dir) {
		return nil, nil
	}
	out, err := h.Tools.run(ctx, "", "faillock")
	if err != nil {
		return nil, fmt.Errorf("reading which accounts are locked: %w", err)
	}
	locks := map[string]lock{}
	for name, wrong := range parseTallies(out) {
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

// forgetWrong lets the count of a name begin again.
func (h *Host) forgetWrong(ctx context.Context, name string) error {
	if _, err := os.Stat(filepath.Join(readLockout().dir, name)); err != nil || !h.Tools.has("faillock") {
		return nil // nothing was counted
	}
	_, err := h.Tools.run(ctx, "", "faillock", "--user", name, "--reset")
	return err
}
