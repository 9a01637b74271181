//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"rankwarden.example/internal/agent/host"
)

var _ host.GivesBack = (*Host)(nil)

// GiveBack implements [host.GivesBack]: the agent's own profiles go, files are what they were before it, byte for byte,
// and so are the ages of passwords.
func (h *Host) GiveBack(ctx context.Context) (left []string, err error) {
	err = h.change(ctx, func() error {
		keep := func(what string, err error) error {
			if err != nil && ctx.Err() == nil {
				left = append(left, fmt.Sprintf("%s: %v", what, err))
				return nil
			}
			return err
		}
		var own []profile
		for _, name := range []string{lockoutName, countName, historyName, qualityName} {
			if _, err := os.Stat(filepath.Join(profilesDir, name)); err == nil {
				own = append(own, profile{name, ""})
			}
		}
		if len(own) > 0 {
			gone := func(now pam) bool { return true }
			if err := keep("how people sign in", h.changeStack(ctx, gone, own...)); err != nil {
				return err
			}
		}
		if err := keep("ages of passwords", h.giveBackAges(ctx)); err != nil {
			return err
		}
		var paths []string
		for path := range h.kept.Files {
			paths = append(paths, path)
		}
		slices.Sort(paths)
		for _, path := range paths {
			if err := keep("a file", h.giveBackFile(path)); err != nil {
				return err
			}
		}
		return keep("what is the agent's own", h.removeOwn(ctx))
	})
	return left, err
}

// giveBackAges gives accounts the ages that somebody else set, where nobody changed them since.
func (h *Host) giveBackAges(ctx context.Context) error {
	d, err := readDatabase()
	if err != nil {
		return err
	}
	changes := map[string]Ages{}
	for _, p := range d.ageing() {
		now := Ages{p.minDays, p.maxDays}
		if before := h.agesBefore(p); before != now {
			changes[p.name] = before
		}
	}
	if err := h.changeAges(ctx, changes); err != nil {
		return err
	}
	h.kept.Ages = nil
	return h.kept.write(h.keptPath())
}

// removeOwn removes what nobody but the agent needs.
func (h *Host) removeOwn(ctx context.Context) error {
	err := h.removeTrialAccount(ctx)
	for _, path := range []string{helpFile, lastingTallies} {
		if failed := os.Remove(path); failed != nil && path == helpFile && !errors.Is(failed, os.ErrNotExist) {
			err = errors.Join(err, failed) // a directory with tallies stays
		}
	}
	if h.kept.QualityDir {
		_ = os.Remove(qualityDir) // it may hold files of others by now
	}
	return err
}
