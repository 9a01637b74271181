package windows

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// groups reads the local groups with their members.
func (h *Host) groups() ([]drift.LocalGroup, error) {
	names, err := h.system.Groups()
	if err != nil {
		return nil, fmt.Errorf("reading local groups: %w", err)
	}
	var list []drift.LocalGroup
	for _, name := range names {
		sid, err := h.system.SIDOf(name)
		if err != nil {
			return nil, fmt.Errorf("the identifier of the local group %s: %w", name, err)
		}
		members, err := h.system.Members(name)
		if errors.Is(err, GroupNotFound) {
			continue // it has gone since
		}
		if err != nil {
			return nil, fmt.Errorf("reading the local group %s: %w", name, err)
		}
		group := drift.LocalGroup{LocalGroup: name, SID: sid, Members: []drift.Member{}}
		for _, m := range members {
			group.Members = append(group.Members, drift.Member{SID: m.SID, Name: h.plain(m.Name)})
		}
		list = append(list, group)
	}
	return list, nil
}

// plain is the name of a member, without that of this machine before it.
func (h *Host) plain(name string) string {
	if domain, own, found := strings.Cut(name, `\`); found && strings.EqualFold(domain, h.machine.Name) {
		return own
	}
	return name
}

// CreateGroup implements [host.Host].
func (h *Host) CreateGroup(ctx context.Context, name string) (sid principal.SID, err error) {
	err = h.change(ctx, func() error {
		if err := checkName(name); err != nil {
			return err
		}
		if err := h.system.AddGroup(name); err != nil {
			return named(name, err)
		}
		sid, err = h.system.SIDOf(name)
		return err
	})
	return sid, err
}

// DeleteGroup implements [host.Host].
func (h *Host) DeleteGroup(ctx context.Context, group principal.SID) error {
	return h.change(ctx, func() error {
		name, err := h.groupName(group)
		if err != nil {
			return err
		}
		switch members, err := h.system.Members(name); {
		case err != nil:
			return err
		case len(members) > 0:
			return host.ErrNotEmpty
		}
		return h.system.DeleteGroup(name)
	})
}

// AddMember implements [host.Host].
func (h *Host) AddMember(ctx context.Context, group, member principal.SID) error {
	return h.change(ctx, func() error { return h.addMember(group, member) })
}

func (h *Host) addMember(group, member principal.SID) error {
	name, err := h.groupName(group)
	if err != nil {
		return err
	}
	switch err := h.system.AddMember(name, member); {
	case errors.Is(err, MemberInAlias):
		return nil
	case errors.Is(err, NoSuchMember), errors.Is(err, NoneMapped):
		return fmt.Errorf("%w: %w", host.ErrUnresolved, err)
	default:
		return err
	}
}

// RemoveMember implements [host.Host].
func (h *Host) RemoveMember(ctx context.Context, group, member principal.SID) error {
	return h.change(ctx, func() error { return h.removeMember(group, member) })
}

func (h *Host) removeMember(group, member principal.SID) error {
	name, err := h.groupName(group)
	if err != nil {
		return err
	}
	if err := h.system.RemoveMember(name, member); !errors.Is(err, MemberNotInAlias) {
		return err
	}
	return nil
}

// groupName is what the system calls a local group, which depends on its language.
func (h *Host) groupName(group principal.SID) (string, error) {
	name, err := h.system.NameOf(group)
	if errors.Is(err, NoneMapped) {
		err = GroupNotFound
	}
	return name, err
}
