//go:build linux

package linux

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"rankwarden.example/internal/kit/atomicfile"
)

const (
	pamDir      = "/etc/pam.d"
	profilesDir = "/usr/share/pam-configs"
	pamState    = "/var/lib/pam"
)

// pamFiles are those that pam-auth-update writes.
var pamFiles = []string{"auth", "account", "password", "session", "session-noninteractive"}

// module is a call of a module in pam.conf(5): its arguments.
type module []string

// inStack are the lines that call a module among those that all services share.
func inStack(kind, name string) []module {
	var found []module
	for _, file := range []string{"common-" + kind, "system-auth"} {
		for line := range strings.Lines(string(readOr(filepath.Join(pamDir, file)))) {
			line, _, _ = strings.Cut(line, "#")
			before, after, there := strings.Cut(line, name)
			fields := strings.Fields(before)
			if there && len(fields) >= 2 && strings.TrimPrefix(fields[0], "-") == kind {
				found = append(found, strings.Fields(after))
			}
		}
	}
	return found
}

// arg is the value of an argument such as remember=5.
func (m module) arg(key string) (string, bool) {
	for _, a := range slices.Backward(m) {
		if value, found := strings.CutPrefix(a, key+"="); found {
			return value, true
		}
	}
	return "", false
}

// hasModule reports whether a module of PAM is on the device.
func hasModule(name string) bool {
	for _, pattern := range []string{"/lib/*/security", "/usr/lib/*/security", "/lib/security", "/usr/lib64/security"} {
		if found, _ := filepath.Glob(filepath.Join(pattern, name)); len(found) > 0 {
			return true
		}
	}
	return false
}

// profile is a part of the stack as pam-auth-update takes it. An empty text takes it out.
type profile struct{ name, text string }

// ErrTrial is given when a change of the sign-in rules did not pass its trial; what was there is back.
var ErrTrial = errors.New("with it nobody could sign in any more, so that what was there before was put back")

// changeStack changes the stack of PAM, with a net under it: what was there is kept beside, the new stack is tried with
// an account of the host's own, and goes back when it does not let that account in or lets it in with a wrong password.
// Should the power go meanwhile, [Open] puts it back.
func (h *Host) changeStack(ctx context.Context, holds func() bool, profiles ...profile) (err error) {
	if err := h.try(ctx, false); err != nil {
		return fmt.Errorf("nothing was changed, since signing in cannot be tried on this device: %w", err)
	}
	var paths []string
	for _, name := range pamFiles {
		paths = append(paths, filepath.Join(pamDir, "common-"+name), filepath.Join(pamState, name))
	}
	paths = append(paths, filepath.Join(pamState, "seen"))
	for _, p := range profiles {
		paths = append(paths, filepath.Join(profilesDir, p.name))
	}
	before, err := keep(paths...)
	if err != nil {
		return err
	}
	if err := h.noteTrial(before); err != nil {
		return err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, putBack(before))
		}
		err = errors.Join(err, h.endTrial())
	}()
	var enable, remove []string
	for _, p := range profiles {
		path := filepath.Join(profilesDir, p.name)
		if p.text == "" {
			remove = append(remove, p.name)
			if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
				return err
			}
			continue
		}
		enable = append(enable, p.name)
		if err := atomicfile.Write(path, []byte(p.text), 0o644); err != nil {
			return err
		}
	}
	for option, names := range map[string][]string{"--enable": enable, "--remove": remove} {
		if len(names) > 0 {
			if _, err := h.Tools.run(ctx, "", "pam-auth-update", append([]string{option}, names...)...); err != nil {
				return err
			}
		}
	}
	if !holds() {
		return fmt.Errorf(
			"pam-auth-update did not take it into %s, which was changed by hand; run pam-auth-update --force",
			pamDir,
		)
	}
	if err := h.try(ctx, true); err != nil {
		return fmt.Errorf("%w (%w)", ErrTrial, err)
	}
	return nil
}

// trialAccount is the account with which a stack is tried. It exists only meanwhile.
const trialAccount = "rankwarden-trial"

// unprivileged is who signs in as the account: nobody(7), whose password su(1) must ask for.
var unprivileged = &syscall.Credential{Uid: 65534, Gid: 65534}

// try signs in with the system's own su(1), and, if it is to be strict, with a wrong password too.
func (h *Host) try(ctx context.Context, strict bool) (err error) {
	if err := h.removeTrialAccount(ctx); err != nil {
		return err
	}
	if _, err := h.Tools.run(ctx, "", "useradd", "--system", "--no-create-home", "--shell", "/bin/sh",
		trialAccount); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, h.removeTrialAccount(context.WithoutCancel(ctx))) }()
	password := rand.Text() + "-aZ4"
	if _, err := h.Tools.run(ctx, trialAccount+":"+password+"\n", "chpasswd"); err != nil {
		return err
	}
	enter := func(password string) error {
		out, err := h.Tools.runAs(ctx, unprivileged, password+"\n", "su", trialAccount, "--command", "echo entered")
		if err == nil && !strings.Contains(out, "entered") {
			err = errors.New("su: it ended without a word")
		}
		return err
	}
	if err := enter(password); err != nil || !strict {
		return err
	}
	switch err := enter("not-" + password); {
	case err == nil:
		return errors.New("a wrong password was let in")
	case ctx.Err() != nil:
		return ctx.Err()
	}
	return nil
}

func (h *Host) removeTrialAccount(ctx context.Context) error {
	for _, p := range parsePeople(string(readOr(passwdFile)), "") {
		if p.name == trialAccount {
			if err := h.forgetWrong(ctx, trialAccount); err != nil {
				return err
			}
			_, err := h.Tools.run(ctx, "", "userdel", trialAccount)
			return err
		}
	}
	return nil
}

func (h *Host) trialPath() string { return filepath.Join(h.dir, "sign-in-rules-before.json") }

// noteTrial keeps beside what was there, while a stack is on trial.
func (h *Host) noteTrial(before []file) error {
	data, err := json.Marshal(before)
	if err != nil {
		return err
	}
	return atomicfile.Write(h.trialPath(), data, 0o600)
}

func (h *Host) endTrial() error { return os.Remove(h.trialPath()) }

// undoTrial puts back what was there before a trial that was cut.
func (h *Host) undoTrial(ctx context.Context) error {
	data, err := os.ReadFile(h.trialPath())
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	var before []file
	if err == nil {
		err = json.Unmarshal(data, &before)
	}
	if err != nil {
		return err
	}
	if err := errors.Join(putBack(before), h.removeTrialAccount(ctx)); err != nil {
		return err
	}
	return h.endTrial()
}
