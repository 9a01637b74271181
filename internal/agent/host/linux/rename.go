//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"

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
		h.kept.Rename = &rename{p.uid, p.name, name}
		if err := h.kept.write(h.keptPath()); err != nil {
			return err
		}
		_, err := h.Tools.run(ctx, "", "usermod", "--login", name, p.name)
		return errors.Join(err, h.finishRename(context.WithoutCancel(ctx)))
	})
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
	if !d.privateGroup(p, from) {
		return nil
	}
	_, err := h.Tools.run(ctx, "", "groupmod", "--new-name", p.name, from)
	return err
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
