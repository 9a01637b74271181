//go:build linux

package linux

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"rankwarden.example/internal/kit/atomicfile"
)

const (
	pamDir      = "/etc/pam.d"
	profilesDir = "/usr/share/pam-configs"
	pamState    = "/var/lib/pam"
)

// pamFiles are those that pam-auth-update writes.
var pamFiles = []string{"auth", "account", "password", "session", "session-noninteractive"}

// profile is a part of the stack as pam-auth-update takes it. An empty text takes it out.
type profile struct{ name, text string }

// ErrTrial is given when a change of the sign-in rules did not pass its trial; what was there is back.
var ErrTrial = errors.New("with it nobody could sign in any more, so that what was there before was put back")

// changeStack changes the stack of PAM, with a net under it: what was there is kept beside, the new stack is tried with
// an account of the host's own, and goes back when it does not let that account in or lets it in with a wrong password.
// Should the power go meanwhile, [Open] puts it back.
func (h *Host) changeStack(ctx context.Context, holds func(now pam) bool, profiles ...profile) (err error) {
	if err := h.tryDoors(ctx); err != nil {
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
	if all, _ := readPAM(); !holds(all) {
		return fmt.Errorf(
			"pam-auth-update did not take it into %s, which was changed by hand; run pam-auth-update --force",
			pamDir,
		)
	}
	if err := h.tryDoors(ctx); err != nil {
		return fmt.Errorf("%w (%w)", ErrTrial, err)
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
