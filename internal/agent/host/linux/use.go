//go:build linux

package linux

import (
	"bufio"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

var _ host.TellsUse = (*Host)(nil)

// Where units of systemd and tables of cron are, the stronger ones first; see systemd.unit(5) and cron(8).
var (
	unitDirs = []string{"/etc/systemd/system", "/run/systemd/system", "/usr/lib/systemd/system",
		"/lib/systemd/system"}
	cronSystem = []string{"/etc/crontab", "/etc/cron.d/*"}
	cronPeople = "/var/spool/cron/crontabs/*"
)

// Runs implements [host.TellsUse], from the units of systemd and the tables of cron.
func (h *Host) Runs(ctx context.Context) (map[principal.SID][]string, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	d, err := h.accounts()
	if err != nil {
		return nil, err
	}
	if h.read.due(partUses) {
		h.last.uses = readUses()
	}
	found := map[principal.SID][]string{}
	for name, list := range h.last.uses {
		if p, there := d.named(name); there && p.uid != 0 && d.shown(p) {
			found[p.sid()] = slices.Clone(list)
		}
	}
	return found, nil
}

// readUses reads what services and tasks run as whom, by the name.
func readUses() map[string][]string {
	found := map[string][]string{}
	note := func(name, what string) {
		if name != "" && !slices.Contains(found[name], what) {
			found[name] = append(found[name], what)
		}
	}
	seen := map[string]bool{}
	for _, dir := range unitDirs {
		for _, path := range globbed(filepath.Join(dir, "*.service")) {
			if name := strings.TrimSuffix(filepath.Base(path), ".service"); !seen[name] {
				seen[name] = true
				note(unitUser(path, name), "service "+name)
			}
		}
	}
	for _, pattern := range cronSystem {
		for _, path := range globbed(pattern) {
			for _, name := range cronUsers(path) {
				note(name, "task "+path)
			}
		}
	}
	for _, path := range globbed(cronPeople) {
		if strings.TrimSpace(string(readOr(path))) != "" {
			note(filepath.Base(path), "task crontab")
		}
	}
	for _, list := range found {
		slices.Sort(list)
	}
	return found
}

func globbed(pattern string) []string {
	list, _ := filepath.Glob(pattern) // the patterns are good ones
	return list
}

// unitUser is as whom a service runs, by its unit and the drop-ins of it; see systemd.exec(5).
func unitUser(path, name string) (user string) {
	files := []string{path}
	for _, dir := range slices.Backward(unitDirs) {
		files = append(files, globbed(filepath.Join(dir, name+".service.d", "*.conf"))...)
	}
	for _, file := range files {
		section := ""
		for line := range strings.Lines(string(readOr(file))) {
			line = strings.TrimSpace(line)
			if strings.HasPrefix(line, "[") {
				section = line
			}
			if value, found := strings.CutPrefix(line, "User="); found && section == "[Service]" {
				user = strings.TrimSpace(value)
			}
		}
	}
	return user
}

// cronUsers are as whom the lines of a table of the system run, see crontab(5).
func cronUsers(path string) []string {
	f, err := os.Open(path)
	if err != nil {
		return nil
	}
	defer f.Close()
	var users []string
	for lines := bufio.NewScanner(f); lines.Scan(); {
		fields := strings.Fields(lines.Text())
		at := 5
		if len(fields) > 0 && strings.HasPrefix(fields[0], "@") {
			at = 1
		}
		if len(fields) > at+1 && !strings.HasPrefix(fields[0], "#") && !strings.Contains(fields[0], "=") {
			users = append(users, fields[at])
		}
	}
	return users
}
