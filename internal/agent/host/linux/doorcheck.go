//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

var _ host.TriesDoors = (*Host)(nil)

// LetsIn implements [host.TriesDoors]: signing in works, the account is not over, its shell starts, and sudo gives it
// root. That its password opens it was seen when it was set.
func (h *Host) LetsIn(ctx context.Context, account principal.SID) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	d, err := h.accounts()
	if err != nil {
		return err
	}
	p, err := d.find(account)
	if err != nil {
		return err
	}
	rules, err := h.rules(ctx)
	switch {
	case err != nil:
		return err
	case rules.effect.SignIn != "":
		return fmt.Errorf("signing in does not work: %s", rules.effect.SignIn)
	case p.over(time.Now()):
		return errors.New("its password expired too long ago")
	case slices.Contains(noShells, filepath.Base(p.shell)):
		return fmt.Errorf("its shell is %s, which lets nobody work", p.shell)
	}
	shell := p.shell
	if shell == "" {
		shell = "/bin/sh" // see passwd(5)
	}
	if _, err := h.Tools.run(ctx, "", "runuser", "--user", p.name, "--", shell, "-c", "exit 0"); err != nil {
		return fmt.Errorf("its shell %s does not start: %w", shell, err)
	}
	if p.uid == 0 {
		return nil
	}
	allowed, err := h.Tools.run(ctx, "", "sudo", "--non-interactive", "--list", "--other-user", p.name)
	if err != nil {
		return fmt.Errorf("sudo gives it no rights: %w", err)
	}
	if !listsRoot(allowed) {
		return errors.New("sudo does not let it become root")
	}
	return nil
}

// over reports whether a password expired so long ago that it opens nothing any more, see shadow(5).
func (p person) over(now time.Time) bool {
	return p.maxDays >= 0 && p.inactive >= 0 && p.changed > 0 && today(now) > p.changed+p.maxDays+p.inactive
}

// allowedLine is a line of what sudo lists: as whom, and which commands with their tags.
var (
	allowedLine = regexp.MustCompile(`^\s+\(([^):]*)[^)]*\)\s+(.*)$`)
	tag         = regexp.MustCompile(`^([A-Z_]+:\s*)+`)
)

// listsRoot reports whether what sudo lists for somebody leads to root.
func listsRoot(list string) bool {
	for line := range strings.Lines(list) {
		found := allowedLine.FindStringSubmatch(strings.TrimRight(line, "\n"))
		if found == nil {
			continue
		}
		as := strings.FieldsFunc(found[1], func(r rune) bool { return r == ' ' || r == ',' })
		if !slices.Contains(as, "ALL") && !slices.Contains(as, "root") {
			continue
		}
		for command := range strings.SplitSeq(found[2], ", ") {
			if command = tag.ReplaceAllString(strings.TrimSpace(command), ""); leadsToRoot(command) {
				return true
			}
		}
	}
	return false
}
