package changes

import (
	"context"

	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// MaxGroupEdit is the largest number of devices that one edit of a group may name.
const MaxGroupEdit = 5000

// AddGroup makes a group, as a change of one edit.
func (s *Service) AddGroup(
	ctx context.Context, who rights.Identity, name string, want devicegroups.Spec, asking Asking,
) (store.Group, error) {
	if err := devicegroups.CheckSpec(name, want); err != nil {
		return store.Group{}, err
	}
	if _, err := devicegroups.DeviceKeys(want.Devices, MaxGroupEdit); err != nil {
		return store.Group{}, err
	}
	edit := change.Edit{Kind: change.Group, Name: name, Group: &want}
	if err := s.direct(ctx, who, operation.CreateGroup, edit, asking); err != nil {
		return store.Group{}, err
	}
	g, err := s.Read(ctx).Group(name)
	return g, refusal.Named(err, "group", name)
}

// ChangeGroup edits a group over the version its editor read, as a change of one edit.
func (s *Service) ChangeGroup(
	ctx context.Context, who rights.Identity, name string, c devicegroups.Edit, over int64, asking Asking,
) (store.Group, error) {
	for _, names := range [][]string{c.Add, c.Remove} {
		if _, err := devicegroups.DeviceKeys(names, MaxGroupEdit); err != nil {
			return store.Group{}, err
		}
	}
	if err := devicegroups.NotBuiltIn(name); err != nil {
		return store.Group{}, err
	}
	g, err := s.Read(ctx).Group(name)
	if err != nil {
		return g, refusal.Named(err, "group", name)
	}
	if err := devicegroups.CheckEdit(g, c); err != nil {
		return g, err
	}
	body := devicegroups.Spec{Description: g.Description, Rule: g.Rule, Amend: g.Rule == "", Add: c.Add,
		Remove: c.Remove}
	if c.Description != nil {
		body.Description = *c.Description
	}
	if c.Rule != nil {
		body.Rule = *c.Rule
	}
	edit := change.Edit{Kind: change.Group, Name: name, BasedOn: over, Group: &body}
	if err := s.direct(ctx, who, operation.EditGroup, edit, asking); err != nil {
		return g, err
	}
	g, err = s.Read(ctx).Group(name)
	return g, refusal.Named(err, "group", name)
}

// RemoveGroup removes a group that no assignment names, as a change of one edit.
func (s *Service) RemoveGroup(ctx context.Context, who rights.Identity, name string, over int64, asking Asking) error {
	if err := devicegroups.NotBuiltIn(name); err != nil {
		return err
	}
	edit := change.Edit{Kind: change.DropGroup, Name: name, BasedOn: over}
	return s.direct(ctx, who, operation.DeleteGroup, edit, asking)
}
