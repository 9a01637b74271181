package service

import (
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// MaxGroupEdit is the largest number of devices that one edit of a group may name.
const MaxGroupEdit = 5000

// GroupSummary is a group with the number of names that are listed in it, and of its devices in reach.
type GroupSummary struct {
	store.Group
	Listed   int
	Enrolled int
}

// Groups lists a page by name; search is part of one.
func (s *Service) Groups(ctx context.Context, who auth.Identity, search string, p store.Page) ([]GroupSummary, string, error) {
	list, next, err := s.Store.With(ctx).ListGroups(search, p)
	if err != nil {
		return nil, "", err
	}
	enrolled := map[string]int{}
	for _, g := range s.View.Groups(s.clock(), who.Reach(auth.Look), 0, nil) {
		enrolled[g.Name] = g.Counts.Total()
	}
	out := make([]GroupSummary, len(list))
	for i, g := range list {
		out[i] = GroupSummary{g.Group, g.Listed, enrolled[g.Name]}
		if g.Rule != "" {
			out[i].Listed = out[i].Enrolled
		}
		if !who.Reach(auth.Look).Everywhere() {
			out[i].Listed = out[i].Enrolled
		}
	}
	return out, next, nil
}

// Group finds one by name.
func (s *Service) Group(ctx context.Context, name string) (store.Group, error) {
	if name == assign.Everything {
		return store.Group{}, errEverything
	}
	g, err := s.Store.With(ctx).Group(name)
	return g, named(err, "group", name)
}

var errEverything = failf(Invalid, "%q is the built-in group of all devices; it is always there and cannot be changed", assign.Everything)

// GroupMembers lists a page of the names in a group.
func (s *Service) GroupMembers(ctx context.Context, who auth.Identity, name string, p store.Page) ([]store.GroupMember, string, error) {
	g, err := s.Group(ctx, name)
	if err != nil {
		return nil, "", err
	}
	return s.Store.With(ctx).ListGroupMembers(who.Reach(auth.Look), g.ID, p)
}

// NewGroup is what a group is to be: listed, or by a rule.
type NewGroup struct {
	Name, Description string
	Devices           []string
	Rule              string
}

// AddGroup makes a group.
func (s *Service) AddGroup(ctx context.Context, who auth.Identity, want NewGroup) (store.Group, error) {
	name := want.Name
	if name == assign.Everything {
		return store.Group{}, errEverything
	}
	if !policy.ValidName(name) {
		return store.Group{}, failf(Invalid, "%q cannot name a group; use %s", name, policy.NameRule).at("name")
	}
	if want.Rule != "" {
		if len(want.Devices) > 0 {
			return store.Group{}, failf(Invalid, "a group has either a list of devices or a rule; leave one out").at("rule")
		}
		if _, err := usableRule(want.Rule); err != nil {
			return store.Group{}, err
		}
	}
	keys, err := deviceKeys(want.Devices)
	if err != nil {
		return store.Group{}, err
	}
	now := s.Now()
	g := store.Group{ID: store.NewID(now), Name: name, Description: want.Description, Rule: want.Rule, Version: 1, CreatedAt: now, UpdatedAt: now}
	err = s.InTx(ctx, func(tx store.Tx) error {
		if err := s.mayRegroup(tx, who, name, keys); err != nil {
			return err
		}
		if err := tx.AddGroup(g); err != nil {
			return err
		}
		if err := tx.AddToGroup(g.ID, keys); err != nil {
			return err
		}
		if want.Rule != "" {
			changed, err := regroup(tx, []store.Ruled{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
			if err != nil {
				return err
			}
			if err := s.mayMove(tx, who, changed); err != nil {
				return err
			}
			if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: changed}); err != nil {
				return err
			}
		}
		if ids, err := tx.LiveIDs(keys); err != nil {
			return err
		} else if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: append(ids, g.ID)}); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{name}}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "group.made", object: name, after: map[string]any{"description": want.Description, "devices": want.Devices, "rule": want.Rule}})
	})
	return g, s.refused(ctx, who, record{action: "group.made", object: name}, named(err, "group", name))
}

// mayMove refuses a rule that moves devices out of the editor's reach into a group or out of it.
func (s *Service) mayMove(tx store.Tx, who auth.Identity, devices []string) error {
	reach := who.Reach(auth.Deploy)
	if reach.Everywhere() || len(devices) == 0 {
		return nil
	}
	n, err := tx.CountDevicesOutside(reach, devices)
	if err == nil && n > 0 {
		err = beyondReach(n)
	}
	return err
}

// GroupChange is an edit of a group: a new description, a new rule, names put in, names taken out.
type GroupChange struct {
	Description *string
	Rule        *string
	Add, Remove []string
}

// ChangeGroup edits a group over the version its editor read.
func (s *Service) ChangeGroup(ctx context.Context, who auth.Identity, name string, c GroupChange, over int64) (store.Group, error) {
	add, err := deviceKeys(c.Add)
	if err != nil {
		return store.Group{}, err
	}
	remove, err := deviceKeys(c.Remove)
	if err != nil {
		return store.Group{}, err
	}
	g, err := s.Group(ctx, name)
	if err != nil {
		return g, err
	}
	if err := checkRuleChange(g, c); err != nil {
		return g, err
	}
	err = s.InTx(ctx, func(tx store.Tx) error {
		if c.Rule != nil || len(add)+len(remove) > 0 {
			if err := s.mayRegroup(tx, who, name, slices.Concat(add, remove)); err != nil {
				return err
			}
		}
		before := map[string]any{"description": g.Description, "rule": g.Rule}
		if c.Rule != nil {
			if err := s.mayFollow(tx, name, *c.Rule); err != nil {
				return err
			}
			g.Rule = *c.Rule
		}
		if c.Description != nil {
			g.Description = *c.Description
		}
		g.Version, g.UpdatedAt = over+1, s.Now()
		if err := tx.SetGroup(g, over); err != nil {
			return err
		}
		if err := tx.AddToGroup(g.ID, add); err != nil {
			return err
		}
		if err := tx.RemoveFromGroup(g.ID, remove); err != nil {
			return err
		}
		if c.Rule != nil {
			if err := s.ruleChanged(tx, who, g); err != nil {
				return err
			}
		}
		if err := s.resettleNamed(tx, "group "+name+" changed", append(add, remove...)); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "group.changed", object: name, before: before,
			after: map[string]any{"description": g.Description, "rule": g.Rule, "added": c.Add, "removed": c.Remove}})
	})
	return g, s.refused(ctx, who, record{action: "group.changed", object: name}, named(err, "group", name))
}

// resettleNamed asks for the live devices of folded names to be settled again.
func (s *Service) resettleNamed(tx store.Tx, cause string, keys []string) error {
	if len(keys) == 0 {
		return nil
	}
	ids, err := tx.LiveIDs(keys)
	if err != nil {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits}); err != nil {
		return err
	}
	if len(ids) == 0 {
		return nil
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: ids}); err != nil {
		return err
	}
	return tx.RequestSettle(store.SettleRequest{Cause: cause, Devices: ids, CreatedAt: s.Now()})
}

// RemoveGroup removes a group that no assignment names.
func (s *Service) RemoveGroup(ctx context.Context, who auth.Identity, name string, over int64) error {
	g, err := s.Group(ctx, name)
	if err != nil {
		return err
	}
	return s.refused(ctx, who, record{action: "group.removed", object: name}, named(s.InTx(ctx, func(tx store.Tx) error {
		used, err := tx.AssignmentsUsing(name)
		if err != nil {
			return err
		}
		if len(used) > 0 {
			return failf(Conflict, "the group %q is named by the assignments %s; take it out of them first", name, strings.Join(used, ", "))
		}
		operators, err := tx.OperatorsReaching(name)
		if err != nil {
			return err
		}
		if len(operators) > 0 {
			return failf(Conflict, "the operators %s have a role on the group %q; change their roles first", strings.Join(operators, ", "), name)
		}
		if err := s.mayDisband(tx, who, g); err != nil {
			return err
		}
		if err := tx.RemoveGroup(g.ID, over); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: []string{g.ID}}); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicEdits, IDs: []string{name}}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "group.removed", object: name, before: map[string]any{"description": g.Description}})
	}), "group", name))
}

// mayDisband refuses to remove a group with devices out of the editor's reach.
func (s *Service) mayDisband(tx store.Tx, who auth.Identity, g store.Group) error {
	reach := who.Reach(auth.Deploy)
	if reach.Everywhere() {
		return nil
	}
	n, err := tx.CountMembersOutside(reach, g.ID)
	if err == nil && n > 0 {
		err = beyondReach(n)
	}
	return err
}

// deviceKeys checks names of devices and folds them.
func deviceKeys(names []string) ([]string, error) {
	if len(names) > MaxGroupEdit {
		return nil, failf(Invalid, "%d devices are too many for one edit; send at most %d at a time", len(names), MaxGroupEdit).at("devices")
	}
	keys := make([]string, len(names))
	for i, name := range names {
		if err := text.CheckName(name, MaxDeviceName); err != nil {
			return nil, failf(Invalid, "the name of device %d (%q) %v", i+1, name, err).at("devices")
		}
		keys[i] = text.Fold(name)
	}
	return keys, nil
}
