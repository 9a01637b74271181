//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// administratorsOf is the group whose members may become root: sudo, or else wheel.
func administratorsOf(groups []group) (group, bool) {
	for _, name := range []string{"sudo", "wheel"} {
		if i := slices.IndexFunc(groups, func(g group) bool { return g.name == name }); i >= 0 {
			return groups[i], true
		}
	}
	return group{}, false
}

func (d database) sidOf(g group) principal.SID {
	if administrators, there := administratorsOf(d.groups); there && administrators.gid == g.gid {
		return drift.WellKnown(unit.GroupAdministrators)
	}
	return groupSID(g.gid)
}

// private reports whether a group is that of one account alone, as useradd makes them.
func (d database) private(g group) bool {
	p, there := d.named(g.name)
	return there && d.regular(p) && p.gid == g.gid && len(g.members) == 0
}

// groups are the local groups with their members, those whose first group it is among them. Of several lines with one
// number the first is the group.
func (h *Host) groups(ctx context.Context, d database) ([]drift.LocalGroup, error) {
	administrators, _ := administratorsOf(d.groups)
	var list []drift.LocalGroup
	seen := map[int]bool{}
	for _, g := range d.groups {
		if d.private(g) || g.gid == administrators.gid && g.name != administrators.name && administrators.name != "" ||
			seen[g.gid] {
			continue
		}
		seen[g.gid] = true
		if g.name == administrators.name {
			members, noEffect, err := h.administrators(ctx, d, g)
			if err != nil {
				return nil, err
			}
			list = append(list,
				drift.LocalGroup{LocalGroup: g.name, SID: d.sidOf(g), Members: members, NoEffect: noEffect})
			continue
		}
		out := drift.LocalGroup{LocalGroup: g.name, SID: d.sidOf(g), Members: []drift.Member{}}
		for _, p := range d.people {
			if p.gid == g.gid && d.regular(p) || slices.Contains(g.members, p.name) {
				out.Members = append(out.Members, drift.Member{Name: p.name, SID: p.sid()})
			}
		}
		for _, name := range g.members {
			if _, local := d.named(name); !local {
				sid, err := h.memberSID(ctx, d, name)
				if err != nil {
					return nil, err
				}
				out.Members = append(out.Members, drift.Member{Name: name, SID: sid})
			}
		}
		list = append(list, out)
	}
	return list, nil
}

// nobody stands for a name in a group that no account has; whoever gets the name later would be a member.
func nobody(name string) principal.SID {
	return principal.MustSID(fmt.Sprintf("S-1-22-0-%d", digits(name)))
}

// CreateGroup implements [host.Host].
func (h *Host) CreateGroup(ctx context.Context, name string) (sid principal.SID, err error) {
	err = h.change(ctx, func() error {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		if err := d.checkNameFree(name); err != nil {
			return err
		}
		if _, err := h.Tools.run(ctx, "", "groupadd", name); err != nil {
			return refusedName(err)
		}
		if d, err = readDatabase(); err != nil {
			return err
		}
		for _, g := range d.groups {
			if g.name == name {
				sid = groupSID(g.gid)
			}
		}
		if sid.IsZero() {
			return ErrNoGroup
		}
		return nil
	})
	return sid, err
}

// DeleteGroup implements [host.Host].
func (h *Host) DeleteGroup(ctx context.Context, which principal.SID) error {
	return h.member(ctx, which, func(d database, g group) error {
		first := func(p person) bool { return p.gid == g.gid }
		if len(g.members) > 0 || slices.ContainsFunc(d.people, first) {
			return host.ErrNotEmpty
		}
		_, err := h.Tools.run(ctx, "", "groupdel", g.name)
		return err
	})
}

// AddMember implements [host.Host].
func (h *Host) AddMember(ctx context.Context, to, member principal.SID) error {
	return h.member(ctx, to, func(d database, g group) error {
		if strings.HasPrefix(member.String(), "S-1-22-2-") || h.people.isGroup(member) {
			return errors.New("a local group of this platform cannot hold groups; name the people")
		}
		name, err := h.nameOf(ctx, d, member)
		if err != nil {
			return err
		}
		p, local := d.named(name)
		switch {
		case slices.Contains(g.members, name), local && p.gid == g.gid:
			return nil
		case local && len(p.shares) > 0:
			return p.sharedError()
		}
		_, err = h.Tools.run(ctx, "", "gpasswd", "--add", name, g.name)
		return err
	})
}

// RemoveMember implements [host.Host].
func (h *Host) RemoveMember(ctx context.Context, from, member principal.SID) error {
	return h.member(ctx, from, func(d database, g group) error {
		if from == drift.WellKnown(unit.GroupAdministrators) {
			return h.takeRights(ctx, d, g, member)
		}
		for _, name := range g.members {
			sid, err := h.memberSID(ctx, d, name)
			if err != nil {
				return err
			}
			if sid == member {
				if _, err := h.Tools.run(ctx, "", "gpasswd", "--delete", name, g.name); err != nil {
					return err
				}
			}
		}
		if p, err := d.find(member); err == nil && p.gid == g.gid {
			return fmt.Errorf("%s has it as its first group; give it another with usermod --gid", p.name)
		}
		return nil
	})
}

// member does one change of a group.
func (h *Host) member(ctx context.Context, sid principal.SID, do func(d database, g group) error) error {
	return h.change(ctx, func() error {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		i := slices.IndexFunc(d.groups, func(g group) bool { return d.sidOf(g) == sid })
		if i < 0 {
			return ErrNoGroup
		}
		return do(d, d.groups[i])
	})
}

// nameOf is what the device calls a principal, local or of the directory.
func (h *Host) nameOf(ctx context.Context, d database, sid principal.SID) (string, error) {
	if p, err := d.find(sid); err == nil {
		return p.name, nil
	}
	if name, err := h.people.name(ctx, h.Tools, d, sid); err != nil || name != "" {
		return name, err
	}
	return "", fmt.Errorf("%w: %s", host.ErrUnresolved, sid)
}
