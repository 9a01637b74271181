//go:build linux

package linux

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

var _ host.TellsUse = (*Host)(nil)

// Where units of systemd and tables of cron are, the stronger ones first; see systemd.unit(5) and cron(8).
var (
	unitDirs = []string{"/etc/systemd/system", "/run/systemd/system", "/usr/lib/systemd/system",
		"/lib/systemd/system"}
	cronSystem  = []string{"/etc/crontab", "/etc/cron.d/*"}
	cronPeople  = "/var/spool/cron/crontabs/*"
	sudoersFile = "/etc/sudoers"
	sudoersDir  = "/etc/sudoers.d"
)

// Runs implements [host.TellsUse], from the units of systemd and the tables of cron.
func (h *Host) Runs(ctx context.Context) (map[principal.SID][]string, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	d, err := readDatabase()
	if err != nil {
		return nil, err
	}
	found := map[principal.SID][]string{}
	note := func(name, what string) {
		p, there := d.named(name)
		if sid := personSID(p.uid); there && p.uid != 0 && d.regular(p) && !slices.Contains(found[sid], what) {
			found[sid] = append(found[sid], what)
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
	return found, nil
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

// Sudo implements [host.TellsUse], with the system's own reader of sudoers(5), cvtsudoers(1).
func (h *Host) Sudo(ctx context.Context) ([]drift.Sudo, error) {
	if _, err := os.Stat(sudoersFile); err != nil || !h.Tools.has("cvtsudoers") {
		return nil, nil // sudo is not there, or too old to say
	}
	d, err := readDatabase()
	if err != nil {
		return nil, err
	}
	text, err := h.Tools.run(ctx, "", "cvtsudoers", "--expand-aliases", "--output-format", "json", sudoersFile)
	var complaint *ToolError
	if errors.As(err, &complaint) {
		return nil, nil // a file that sudo refuses allows nobody anything
	}
	if err != nil {
		return nil, err
	}
	return sudoOf(d, text, sourceOf)
}

// sudoersJSON is what cvtsudoers writes.
type sudoersJSON struct {
	Specs []struct {
		Who []struct {
			Username  string `json:"username"`
			Usergroup string `json:"usergroup"`
			Negated   bool   `json:"negated"`
		} `json:"User_List"`
		Commands []struct {
			RunAs []struct {
				Username string `json:"username"`
			} `json:"runasusers"`
			Commands []struct {
				Command string `json:"command"`
				Negated bool   `json:"negated"`
			} `json:"Commands"`
		} `json:"Cmnd_Specs"`
	} `json:"User_Specs"`
}

// sudoOf takes from what cvtsudoers wrote who may do what, without root itself.
func sudoOf(d database, text string, sourceOf func(name string) string) ([]drift.Sudo, error) {
	var read sudoersJSON
	if err := json.Unmarshal([]byte(text), &read); err != nil {
		return nil, fmt.Errorf("what cvtsudoers wrote: %w", err)
	}
	var list []drift.Sudo
	for _, spec := range read.Specs {
		var commands []string
		root := false
		for _, s := range spec.Commands {
			as := len(s.RunAs) == 0
			for _, user := range s.RunAs {
				as = as || user.Username == "ALL" || user.Username == "root"
			}
			for _, c := range s.Commands {
				name := c.Command
				if c.Negated {
					name = "!" + name
				}
				if !slices.Contains(commands, name) {
					commands = append(commands, name)
				}
				root = root || as && name == "ALL"
			}
		}
		for _, who := range spec.Who {
			if who.Negated || who.Username == "root" || len(commands) == 0 {
				continue
			}
			s := drift.Sudo{Name: who.Username, Commands: commands, Root: root}
			if p, there := d.named(who.Username); there {
				s.SID = personSID(p.uid)
			}
			if who.Usergroup != "" {
				s.Name = "%" + who.Usergroup
				for _, g := range d.groups {
					if g.name == who.Usergroup {
						s.SID = d.sidOf(g)
					}
				}
			}
			s.Via = sourceOf(s.Name)
			list = append(list, s)
		}
	}
	return list, nil
}

// sourceOf is the file with the first line for somebody; the main one where an alias stands for them.
func sourceOf(name string) string {
	for _, path := range append(globbed(filepath.Join(sudoersDir, "*")), sudoersFile) {
		for line := range strings.Lines(string(readOr(path))) {
			if fields := strings.Fields(line); len(fields) > 1 && slices.Contains(strings.Split(fields[0], ","), name) {
				return path
			}
		}
	}
	return sudoersFile
}
