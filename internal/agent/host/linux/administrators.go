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
)

// administrators are who may become root, each once, with the way to it where that is not that they were put into the
// group of the administrators; and why being in that group is of no use, empty where it is.
func (h *Host) administrators(ctx context.Context, d database, of group) ([]drift.Member, string, error) {
	allowed, err := h.sudoers(ctx)
	if err != nil {
		return nil, "", err
	}
	found := &ways{known: map[principal.SID]bool{}}
	if err := h.inGroup(ctx, d, of, found); err != nil {
		return nil, "", err
	}
	for _, p := range d.people {
		if p.uid == 0 {
			found.add(p.name, p.sid(), "the number 0")
		}
	}
	for _, s := range allowed.specs {
		if s.root != "" {
			if err := h.bySudoers(ctx, d, of, s, found); err != nil {
				return nil, "", err
			}
		}
	}
	for _, r := range h.polkit() {
		if err := h.byPolkit(ctx, d, of, r, found); err != nil {
			return nil, "", err
		}
	}
	for _, p := range d.people { // to the system all of one number are the first of them
		for _, other := range p.shares {
			if o, there := d.named(other); there && p.uid != 0 && found.known[o.sid()] {
				found.add(p.name, p.sid(), "the number of "+other)
			}
		}
	}
	return found.members, effectOf(allowed, of), nil
}

// ways are who has rights, and by what.
type ways struct {
	members []drift.Member
	known   map[principal.SID]bool
}

func (w *ways) add(name string, sid principal.SID, via string) {
	if !w.known[sid] {
		w.known[sid] = true
		w.members = append(w.members, drift.Member{Name: name, SID: sid, Via: via})
	}
}

// inGroup adds who is in a privileged group: those that it lists, those whose first group it is, and whoever can come
// to be in it. Every line with the number of the group is the group to the system.
func (h *Host) inGroup(ctx context.Context, d database, of group, found *ways) error {
	lines := d.linesOf(of)
	for _, g := range lines {
		via := ""
		if g.name != of.name {
			via = fmt.Sprintf("group %s, which has the number of %s", g.name, of.name)
		}
		for _, name := range g.members {
			sid, err := h.memberSID(ctx, d, name)
			if err != nil {
				return err
			}
			found.add(name, sid, via)
		}
	}
	for _, p := range d.people {
		if p.gid == of.gid && p.name != trialAccount {
			found.add(p.name, p.sid(), "its first group")
		}
	}
	for _, g := range lines {
		if g.name != of.name {
			found.add("group "+g.name, whoSID("line "+g.name), "a second line with the number of "+of.name)
		}
		if g.password != "" {
			found.add("whoever knows the password of group "+g.name, whoSID("password "+g.name), "a password on "+
				"the group")
		}
		for _, name := range g.hidden {
			found.add(name, whoSID("gshadow "+name), "gshadow, by which newgrp lets them into "+g.name)
		}
		for _, name := range g.managers {
			sid, err := h.memberSID(ctx, d, name)
			if err != nil {
				return err
			}
			found.add(name, sid, "the right to add members to group "+g.name)
		}
	}
	return nil
}

// linesOf are the lines of group(5) that have the number of a group, itself first.
func (d database) linesOf(of group) []group {
	lines := []group{of}
	for _, g := range d.groups {
		if g.gid == of.gid && g.name != of.name {
			lines = append(lines, g)
		}
	}
	return lines
}

// bySudoers adds whom a line of sudoers(5) leads to root.
func (h *Host) bySudoers(ctx context.Context, d database, of group, s sudoSpec, found *ways) error {
	via := shortPath(s.via)
	switch {
	case s.who.all:
		found.add("everybody", whoSID("ALL"), via)
	case s.who.group && (s.who.name == of.name || s.who.id == of.gid): // its members are there
	case s.who.group:
		return h.byGroup(ctx, d, s.who, via, found)
	default:
		return h.byName(ctx, d, s.who, via, found)
	}
	return nil
}

func (h *Host) byName(ctx context.Context, d database, who sudoWho, via string, found *ways) error {
	for _, p := range d.people {
		if p.name == who.name || p.uid == who.id {
			found.add(p.name, p.sid(), via)
			return nil
		}
	}
	if who.id >= 0 {
		found.add(who.text, personSID(who.id), via)
		return nil
	}
	sid, err := h.memberSID(ctx, d, who.name)
	found.add(who.name, sid, via)
	return err
}

// byGroup adds the members of a group: of this device, or of a directory that the device is joined to, which is then
// one member.
func (h *Host) byGroup(ctx context.Context, d database, who sudoWho, via string, found *ways) error {
	i := slices.IndexFunc(d.groups, func(g group) bool { return g.name == who.name || g.gid == who.id })
	if i < 0 {
		if who.name == "" {
			found.add(who.text, whoSID(who.text), via)
			return nil
		}
		sid, there, err := h.people.group(ctx, h.Tools, who.name)
		if there {
			found.add(who.text, sid, via)
		}
		return err // a group that there is none of lets nobody in
	}
	with := fmt.Sprintf("group %s in %s", d.groups[i].name, via)
	inside := &ways{known: map[principal.SID]bool{}}
	if err := h.inGroup(ctx, d, d.groups[i], inside); err != nil {
		return err
	}
	for _, m := range inside.members {
		if m.Via != "" && m.Via != "its first group" {
			found.add(m.Name, m.SID, fmt.Sprintf("%s (%s)", with, m.Via))
			continue
		}
		found.add(m.Name, m.SID, with)
	}
	return nil
}

// effectOf says why being in the group of the administrators is of no use, empty where it is.
func effectOf(allowed sudoers, of group) string {
	switch {
	case !allowed.known:
		return ""
	case allowed.refused != "":
		return "sudo refuses to work: " + allowed.refused
	case slices.ContainsFunc(allowed.specs, func(s sudoSpec) bool {
		return s.root != "" && (s.who.all || s.who.group && (s.who.name == of.name || s.who.id == of.gid))
	}):
		return ""
	}
	return fmt.Sprintf("no line of %s lets %%%s become root", sudoersFile, of.name)
}

// Refusals.
var errNotSafe = errors.New("the device does not take this away by itself")

// takeRights takes from somebody the rights of an administrator, in the ways that are safe: out of groups, and off the
// groups that let others in. What else gives them the rights is said.
func (h *Host) takeRights(ctx context.Context, d database, of group, member principal.SID) error {
	members, _, err := h.administrators(ctx, d, of)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(members, func(m drift.Member) bool { return m.SID == member })
	if i < 0 {
		return nil
	}
	if p, err := d.find(member); err == nil && len(p.shares) > 0 && p.uid != 0 {
		return p.sharedError() // it is not known which of them somebody meant
	}
	groups := d.linesOf(of)
	for _, s := range h.last.sudoers.specs {
		for _, g := range d.groups {
			if s.root != "" && s.who.group && (g.name == s.who.name || g.gid == s.who.id) &&
				!slices.ContainsFunc(groups, func(o group) bool { return o.name == g.name }) {
				groups = append(groups, d.linesOf(g)...)
			}
		}
	}
	taken, seen := false, map[int]bool{}
	for _, g := range groups {
		again := seen[g.gid]
		seen[g.gid] = true
		took, err := h.takeFromGroup(ctx, d, of, g, member, again)
		if err != nil {
			return err
		}
		taken = taken || took
	}
	if taken {
		return nil
	}
	m := members[i]
	switch {
	case m.SID == personSID(0):
		return fmt.Errorf("%w: root is an administrator by its number", errNotSafe)
	case m.Via == "the number 0", strings.HasPrefix(m.Via, "the number of "):
		return fmt.Errorf("%w: %s has %s; give it another with usermod --uid, or remove it", errNotSafe, m.Name, m.Via)
	}
	return fmt.Errorf("%w: %s has the rights by %s; %s", errNotSafe, m.Name, m.Via, strictHint(m.Via))
}

// takeFromGroup takes somebody out of one line of group(5), or what lets others into it, and reports whether there was
// something to take. Again is that another line of its number was seen to before.
func (h *Host) takeFromGroup(
	ctx context.Context, d database, of, g group, member principal.SID, again bool,
) (taken bool, err error) {
	do := func(tool string, args ...string) {
		if err == nil {
			_, err = h.Tools.run(ctx, "", tool, args...)
			taken = true
		}
	}
	for _, name := range g.members {
		sid, lookErr := h.memberSID(ctx, d, name)
		if lookErr != nil {
			return taken, lookErr
		}
		if sid == member {
			do("gpasswd", "--delete", name, g.name)
		}
	}
	var stay []string
	for _, name := range g.managers {
		sid, lookErr := h.memberSID(ctx, d, name)
		if lookErr != nil {
			return taken, lookErr
		}
		if sid != member {
			stay = append(stay, name)
		}
	}
	if len(stay) < len(g.managers) {
		do("gpasswd", "--administrators", strings.Join(stay, ","), g.name)
	}
	for _, name := range g.hidden {
		if member == whoSID("gshadow "+name) {
			do("gpasswd", "--delete", name, g.name)
		}
	}
	if member == whoSID("password "+g.name) {
		do("gpasswd", "--remove-password", g.name)
	}
	if member == whoSID("line "+g.name) && g.name != of.name {
		do("groupdel", "--force", g.name)
	}
	if p, findErr := d.find(member); findErr == nil && p.gid == g.gid && p.uid != 0 && !again {
		if !slices.ContainsFunc(d.groups, func(g group) bool { return g.name == p.name }) {
			do("groupadd", p.name)
		}
		do("usermod", "--gid", p.name, p.name) // a group of its own
	}
	return taken, err
}
