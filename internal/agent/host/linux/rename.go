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

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// rename is one that was begun. usermod writes one file after the other: when it is cut in between, nothing opens the
// account under its new name until the rest follows.
type rename struct {
	UID  int    `json:"uid"`
	From string `json:"from"`
	To   string `json:"to"`
}

// RenameAccount implements [host.Host]. A group of the account's own gets the name too; its home directory keeps its
// own.
func (h *Host) RenameAccount(ctx context.Context, account principal.SID, name string) error {
	return h.on(ctx, account, func(d database, p person) error {
		switch {
		case p.name == name:
			return nil
		case p.uid == 0:
			return fmt.Errorf("%w: root keeps its name", host.ErrUnsupported)
		}
		var own []string
		if d.privateGroup(p, p.name) {
			own = append(own, p.name)
		}
		if err := d.checkNameFree(name, own...); err != nil {
			return err
		}
		if err := h.forgetWrong(ctx, p.name); err != nil { // it is counted under the name
			return err
		}
		if err := h.endKept(ctx, p, closing); err != nil {
			return err
		}
		h.kept.Rename = &rename{p.uid, p.name, name}
		if err := h.kept.write(h.keptPath()); err != nil {
			return err
		}
		_, err := h.Tools.run(ctx, "", "usermod", "--login", name, p.name)
		return errors.Join(refusedName(err), h.finishRename(context.WithoutCancel(ctx)))
	})
}

var _ host.TellsNamed = (*Host)(nil)

// NamedIn implements [host.TellsNamed], by sudoers(5) and the rules of polkit(8).
func (h *Host) NamedIn(ctx context.Context, name string) (files []string, err error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	allowed, err := h.sudoers(ctx)
	if err != nil {
		return nil, err
	}
	note := func(who sudoWho, via string) {
		if via = shortPath(via); !who.group && who.name == name && !slices.Contains(files, via) {
			files = append(files, via)
		}
	}
	for _, s := range allowed.specs {
		note(s.who, s.via)
	}
	for _, r := range h.polkit() {
		note(r.who, r.via)
	}
	return files, nil
}

// privateGroup reports whether a name is that of a person's own group.
func (d database) privateGroup(p person, name string) bool {
	return slices.ContainsFunc(d.groups, func(g group) bool { return g.name == name && g.gid == p.gid })
}

// finishRename makes the rest of a rename that was begun, whatever became of it.
func (h *Host) finishRename(ctx context.Context) error {
	r := h.kept.Rename
	if r == nil {
		return nil
	}
	d, err := readDatabase()
	if err != nil {
		return err
	}
	i := slices.IndexFunc(d.people, func(p person) bool { return p.uid == r.UID && p.name == r.To })
	if i >= 0 {
		if err := h.follow(ctx, d, d.people[i], r.From); err != nil {
			return fmt.Errorf("finishing the rename of %s to %s: %w", r.From, r.To, err)
		}
	}
	h.kept.Rename = nil
	return h.kept.write(h.keptPath())
}

// follow has everything follow an account that has a new name already.
func (h *Host) follow(ctx context.Context, d database, p person, from string) error {
	if !p.shadowed {
		if err := h.takeSecret(ctx, p.name, from); err != nil {
			return err
		}
	}
	for _, g := range d.groups {
		if !slices.Contains(g.members, from) {
			continue
		}
		if _, err := h.Tools.run(ctx, "", "gpasswd", "--add", p.name, g.name); err != nil {
			return err
		}
		if _, err := h.Tools.run(ctx, "", "gpasswd", "--delete", from, g.name); err != nil {
			return err
		}
	}
	if d.privateGroup(p, from) {
		if _, err := h.Tools.run(ctx, "", "groupmod", "--new-name", p.name, from); err != nil {
			return err
		}
	}
	return takeAlong(from, p.name)
}

// Where the system keeps things under the name of an account, beside its accounts: one line for each in the former,
// a file of that name in the latter.
var (
	linesByName = []string{"/etc/subuid", "/etc/subgid", "/etc/cron.allow", "/etc/cron.deny", "/etc/at.allow",
		"/etc/at.deny"}
	filesByName = []string{"/var/spool/cron/crontabs", "/var/spool/cron", "/var/lib/systemd/linger", "/var/mail",
		"/var/spool/mail"}
)

// takeAlong gives what is kept under the former name of an account the new one. What the new name has already stays.
func takeAlong(from, to string) error {
	for _, path := range linesByName {
		text, err := os.ReadFile(path)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return err
		}
		if renamed := renameLines(string(text), from, to); renamed != string(text) {
			info, err := os.Stat(path)
			if err != nil {
				return err
			}
			if err := writeThrough(path, []byte(renamed), info.Mode().Perm()); err != nil {
				return err
			}
		}
	}
	for _, dir := range filesByName {
		before, after := filepath.Join(dir, from), filepath.Join(dir, to)
		info, err := os.Lstat(before)
		if err != nil || !info.Mode().IsRegular() {
			continue // there is none
		}
		if _, err := os.Lstat(after); errors.Is(err, os.ErrNotExist) {
			if err := os.Rename(before, after); err != nil {
				return err
			}
		}
	}
	return nil
}

// renameLines gives lines that begin with a name, up to a colon or the end, another one.
func renameLines(text, from, to string) string {
	var out strings.Builder
	for line := range strings.Lines(text) {
		name, rest, more := strings.Cut(strings.TrimRight(line, "\n"), ":")
		if name != from {
			out.WriteString(line)
			continue
		}
		out.WriteString(to)
		if more {
			out.WriteString(":" + rest)
		}
		if strings.HasSuffix(line, "\n") {
			out.WriteString("\n")
		}
	}
	return out.String()
}

// takeSecret gives an account what shadow(5) has under its former name.
func (h *Host) takeSecret(ctx context.Context, name, from string) error {
	shadow, err := os.ReadFile(shadowFile)
	if err != nil {
		return err
	}
	for fields := range records(string(shadow), 8) {
		if fields[0] != from {
			continue
		}
		if _, err := h.Tools.run(ctx, name+":"+fields[1]+"\n", "chpasswd", "--encrypted"); err != nil {
			return err
		}
		days := func(at int) string { return strconv.Itoa(natural(fields[at])) } // -1 where there are none
		_, err := h.Tools.run(ctx, "", "chage", "--lastday", days(2), "--mindays", days(3), "--maxdays", days(4),
			"--expiredate", days(7), name)
		return err
	}
	return nil
}
