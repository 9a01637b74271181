//go:build linux

package linux

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"rankwarden.example/core/principal"
)

// Unlock implements [host.Host].
func (h *Host) Unlock(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(_ database, p person) error { return h.forgetWrong(ctx, p.name) })
}

// Notify implements [host.Host].
func (h *Host) Notify(ctx context.Context, message string) error {
	return h.change(ctx, func() error {
		_, err := h.Tools.run(ctx, message+"\n", "wall")
		return err
	})
}

// Restart implements [host.Host].
func (h *Host) Restart(ctx context.Context) error {
	return h.change(ctx, func() error {
		_, err := h.Tools.run(ctx, "", "shutdown", "-r", "now")
		return err
	})
}

// InUse implements [host.RenamesUnused].
func (h *Host) InUse(ctx context.Context, account principal.SID) (used bool, err error) {
	err = h.on(ctx, account, func(_ database, p person) error {
		pids, err := programsOf(p.uid)
		used = len(pids) > 0 && h.keptAs(ctx, p) != closing
		return err
	})
	return used, err
}

// WhoIsThere implements [host.TellsWhoIsThere]: as who(1) of the system says.
func (h *Host) WhoIsThere(ctx context.Context) ([]string, error) {
	said, err := h.Tools.run(ctx, "", "who")
	if err != nil {
		return nil, fmt.Errorf("reading who is signed in: %w", err)
	}
	var names []string
	for line := range strings.Lines(said) {
		if name, _, found := strings.Cut(line, " "); found {
			names = append(names, name)
		}
	}
	return names, nil
}

// How long what is told to end may take, and how often it is looked at.
const (
	graceful = 3 * time.Second
	lookAt   = 20 * time.Millisecond
)

// keepsSessions reports whether systemd keeps the sessions of this system.
func (h *Host) keepsSessions() bool {
	_, err := os.Stat("/run/systemd/seats")
	return err == nil && h.Tools.has("loginctl")
}

// What systemd says of somebody for whom it keeps programs running though they are not signed in; see
// sd_uid_get_state(3).
const (
	closing   = "closing"   // for a while after they left
	lingering = "lingering" // since somebody said so
)

// keptAs is what systemd says of somebody; empty where it keeps nothing for them.
func (h *Host) keptAs(ctx context.Context, p person) string {
	if !h.keepsSessions() {
		return ""
	}
	state, err := h.Tools.run(ctx, "", "loginctl", "show-user", "--property=State", "--value", p.name)
	if err != nil { // it knows nothing of them
		return ""
	}
	return strings.TrimSpace(state)
}

// endKept ends what systemd keeps running for somebody who is not signed in, where that is kept in one of some ways.
func (h *Host) endKept(ctx context.Context, p person, ways ...string) error {
	if !slices.Contains(ways, h.keptAs(ctx, p)) {
		return nil
	}
	return h.endSessions(ctx, p)
}

// EndSessions implements [host.Host].
func (h *Host) EndSessions(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(_ database, p person) error { return h.endSessions(ctx, p) })
}

// endSessions ends those of a person by the system's keeper of sessions where it runs, and then what is left.
func (h *Host) endSessions(ctx context.Context, p person) error {
	if h.keepsSessions() && p.uid != 0 {
		// It complains when nobody is signed in; whoever is left is ended below.
		_, _ = h.Tools.run(ctx, "", "loginctl", "terminate-user", p.name)
		if err := killGroup(p.uid); err != nil {
			return fmt.Errorf("ending what %s began: %w", p.name, err)
		}
	}
	for _, signal := range []syscall.Signal{syscall.SIGHUP, syscall.SIGKILL} {
		left, err := signalAll(ctx, p.uid, signal)
		if err != nil || !left {
			return err
		}
	}
	return fmt.Errorf("programs of %s do not end", p.name)
}

// userSlices is where systemd keeps what people began, see systemd.slice(5).
const userSlices = "/sys/fs/cgroup/user.slice"

// killGroup ends everything that somebody began in their sessions, as whomever it runs, also what left its terminal.
func killGroup(uid int) error {
	err := os.WriteFile(filepath.Join(userSlices, fmt.Sprintf("user-%d.slice", uid), "cgroup.kill"), []byte("1"), 0)
	if errors.Is(err, os.ErrNotExist) {
		return nil // nobody is signed in, or the system keeps no such groups
	}
	return err
}

// signalAll signals every program of a person, and reports whether any is left after a while.
func signalAll(ctx context.Context, uid int, signal syscall.Signal) (left bool, err error) {
	for end := time.Now().Add(graceful); ; {
		pids, err := programsOf(uid)
		if err == nil && uid != 0 {
			var asRoot []int
			asRoot, err = programsBegunBy(uid)
			pids = append(pids, asRoot...)
		}
		if err != nil || len(pids) == 0 {
			return false, err
		}
		for _, pid := range pids {
			if err := syscall.Kill(pid, signal); err != nil && !errors.Is(err, syscall.ESRCH) {
				return true, fmt.Errorf("ending a program: %w", err)
			}
		}
		if time.Now().After(end) {
			return true, nil
		}
		select {
		case <-ctx.Done():
			return true, ctx.Err()
		case <-time.After(lookAt):
		}
	}
}

// programsOf are the running programs of a person; of root only those at a terminal that is not the agent's own, since
// the system runs as root.
func programsOf(uid int) ([]int, error) {
	own := terminalOf("/proc/self")
	return programs(func(_ int, dir string, status []byte) bool {
		if !hasUID(status, uid) {
			return false
		}
		tty := terminalOf(dir)
		return uid != 0 || tty != "0" && tty != own
	})
}

// programsBegunBy are the running programs that a person began as somebody else, by sudo(8) or after signing in, also
// those that left their terminal. The agent, and what it was begun by, is none of them.
func programsBegunBy(uid int) ([]int, error) {
	own := ancestors()
	return programs(func(pid int, dir string, status []byte) bool {
		return !slices.Contains(own, pid) && !hasUID(status, uid) && begunBy(dir, uid)
	})
}

// programs are the running ones that are meant, without those that have ended and are waited for.
func programs(meant func(pid int, dir string, status []byte) bool) (pids []int, err error) {
	dirs, err := filepath.Glob("/proc/[0-9]*")
	if err != nil {
		return nil, err
	}
	for _, dir := range dirs {
		pid, err := strconv.Atoi(filepath.Base(dir))
		if err != nil {
			continue
		}
		status, err := os.ReadFile(filepath.Join(dir, "status"))
		if err != nil || bytes.Contains(status, []byte("\nState:\tZ")) {
			continue // it ended meanwhile
		}
		if meant(pid, dir, status) {
			pids = append(pids, pid)
		}
	}
	return pids, nil
}

// begunBy reports whether a person began a program: they signed in for it, as the system's auditing keeps, or sudo(8)
// told it so when it began.
func begunBy(dir string, uid int) bool {
	id := strconv.Itoa(uid)
	return strings.TrimSpace(string(readOr(filepath.Join(dir, "loginuid")))) == id ||
		slices.Contains(strings.Split(string(readOr(filepath.Join(dir, "environ"))), "\x00"), "SUDO_UID="+id)
}

// ancestors are the agent and the programs that it was begun by.
func ancestors() (pids []int) {
	for pid := os.Getpid(); pid > 1 && !slices.Contains(pids, pid); {
		pids = append(pids, pid)
		stat := string(readOr(filepath.Join("/proc", strconv.Itoa(pid), "stat")))
		fields := strings.Fields(stat[strings.LastIndexByte(stat, ')')+1:])
		if len(fields) < 2 {
			return pids
		}
		pid, _ = strconv.Atoi(fields[1])
	}
	return pids
}

// hasUID reports whether any of the identifiers of proc(5) is the person's.
func hasUID(status []byte, uid int) bool {
	for line := range bytes.Lines(status) {
		if ids, found := bytes.CutPrefix(line, []byte("Uid:")); found {
			return slices.Contains(strings.Fields(string(ids)), strconv.Itoa(uid))
		}
	}
	return false
}

// terminalOf is the controlling terminal of a program, "0" for none; see proc(5).
func terminalOf(dir string) string {
	stat := string(readOr(filepath.Join(dir, "stat")))
	fields := strings.Fields(stat[strings.LastIndexByte(stat, ')')+1:])
	if len(fields) < 5 {
		return "0"
	}
	return fields[4]
}
