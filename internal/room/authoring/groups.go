package authoring

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
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
func (s *Service) Groups(
	ctx context.Context,
	who rights.Identity,
	search string,
	p store.Page,
) ([]GroupSummary, string, error) {
	list, next, err := s.DB.With(ctx).ListGroups(search, p)
	if err != nil {
		return nil, "", err
	}
	enrolled := map[string]int{}
	for _, g := range s.View.Groups(s.Clock(), who.Reach(rights.Look), fleetview.Drawn{}, nil) {
		enrolled[g.Name] = g.Counts.Total()
	}
	out := make([]GroupSummary, len(list))
	for i, g := range list {
		out[i] = GroupSummary{g.Group, g.Listed, enrolled[g.Name]}
		if g.Rule != "" {
			out[i].Listed = out[i].Enrolled
		}
		if !who.Reach(rights.Look).Everywhere() {
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
	g, err := s.DB.With(ctx).Group(name)
	return g, refusal.Named(err, "group", name)
}

var errEverything = refusal.New(
	refusal.Invalid,
	"%q is the built-in group of all devices; it is always there and cannot be changed",
	assign.Everything,
)

// GroupMembers lists a page of the names in a group.
func (s *Service) GroupMembers(
	ctx context.Context,
	who rights.Identity,
	name string,
	p store.Page,
) ([]store.GroupMember, string, error) {
	g, err := s.Group(ctx, name)
	if err != nil {
		return nil, "", err
	}
	return s.DB.With(ctx).ListGroupMembers(who.Reach(rights.Look), g.ID, p)
}

// AddGroup makes a group.
func (s *Service) AddGroup(ctx context.Context, who rights.Identity, want NewGroup) (store.Group, error) {
	name := want.Name
	if name == assign.Everything {
		return store.Group{}, errEverything
	}
	if !policy.ValidName(name) {
		return store.Group{}, refusal.New(refusal.Invalid, "%q cannot name a group; use %s", name, policy.NameRule).
			At("name")
	}
	if want.Rule != "" {
		if len(want.Devices) > 0 {
			return store.Group{}, refusal.New(refusal.Invalid, "a group has either a list of devices or a rule; leave one out").
				At("rule")
		}
		if _, err := devicegroups.Rule(want.Rule); err != nil {
			return store.Group{}, err
		}
	}
	keys, err := deviceKeys(want.Devices, MaxGroupEdit)
	if err != nil {
		return store.Group{}, err
	}
	var g store.Group
	err = s.Do(
		ctx,
		uow.Act{Who: who, Right: rights.Deploy, Action: "group.made", Object: name},
		func(tx Records, w *uow.Work) (err error) {
			g, err = s.addGroup(tx, w, want, keys)
			return err
		},
	)
	return g, refusal.Named(err, "group", name)
}

func (s *Service) addGroup(tx Records, w *uow.Work, want NewGroup, keys []string) (store.Group, error) {
	now := s.Now()
	g := store.Group{
		ID:          store.NewID(now),
		Name:        want.Name,
		Description: want.Description,
		Rule:        want.Rule,
		Version:     1,
		CreatedAt:   now,
		UpdatedAt:   now,
	}
	if err := free(tx, w.Under, "group "+g.Name); err != nil {
		return g, err
	}
	if err := mayRegroup(tx, w.Who, g.Name, keys); err != nil {
		return g, err
	}
	if err := tx.AddGroup(g); err != nil {
		return g, err
	}
	if err := tx.AddToGroup(g.ID, keys); err != nil {
		return g, err
	}
	if want.Rule != "" {
		changed, err := devicegroups.Regroup(tx, []store.RuleGroup{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
		if err != nil {
			return g, err
		}
		if err := mayMove(tx, w.Who, changed); err != nil {
			return g, err
		}
		w.Tell(store.TopicGroups, changed...)
	}
	ids, err := tx.LiveIDs(keys)
	if err != nil {
		return g, err
	}
	w.Tell(store.TopicGroups, append(ids, g.ID)...)
	w.Tell(store.TopicEdits, g.Name)
	w.After = map[string]any{"description": want.Description, "devices": want.Devices, "rule": want.Rule}
	return g, nil
}

// mayRegroup refuses an edit of who is in a group: by whoever is no owner when an operator's reach names
// the group, and when a device or name that comes or goes is out of the editor's reach.
func mayRegroup(tx Records, who rights.Identity, group string, names []string) error {
	if who.May(rights.Administer) {
		return nil
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil {
		return err
	}
	if len(operators) > 0 {
		return refusal.New(refusal.Forbidden, "the group %q decides what operators may reach, so only an owner can change "+
			"who is in it", group).
			WithCode("group_gives_reach")
	}
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	n, err := tx.CountOutside(mine, names)
	if err == nil && n > 0 {
		err = reach.Beyond(n)
	}
	return err
}

// mayMove refuses a rule that moves devices out of the editor's reach into a group or out of it.
func mayMove(tx Records, who rights.Identity, devices []string) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() || len(devices) == 0 {
		return nil
	}
	n, err := tx.CountDevicesOutside(mine, devices)
	if err == nil && n > 0 {
		err = reach.Beyond(n)
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
func (s *Service) ChangeGroup(
	ctx context.Context,
	who rights.Identity,
	name string,
	c GroupChange,
	over int64,
) (store.Group, error) {
	add, err := deviceKeys(c.Add, MaxGroupEdit)
	if err != nil {
		return store.Group{}, err
	}
	remove, err := deviceKeys(c.Remove, MaxGroupEdit)
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
	var held *store.Brake
	err = s.Do(
		ctx,
		uow.Act{Who: who, Right: rights.Deploy, Action: "group.changed", Object: name},
		func(tx Records, w *uow.Work) (err error) {
			if c.Rule == nil {
				return s.changeGroup(tx, w, &g, c, add, remove, over)
			}
			what := asked{Rule: &askedRule{Group: name, Rule: *c.Rule, Description: c.Description, Over: over}}
			held, err = s.braked(ctx, tx, w, store.BrakeRule, what, func(tx Records, w *uow.Work) error {
				changed := g // it may be done twice
				return s.changeGroup(tx, w, &changed, c, nil, nil, over)
			})
			return err
		},
	)
	if err = refusal.Named(cmp.Or(err, s.holds(held)), "group", name); err != nil {
		return g, err
	}
	return s.Group(ctx, name)
}

// changeGroup edits a group as it was read; add and remove are the folded names of the change.
func (s *Service) changeGroup(
	tx Records,
	w *uow.Work,
	g *store.Group,
	c GroupChange,
	add, remove []string,
	over int64,
) error {
	if err := free(tx, w.Under, "group "+g.Name); err != nil {
		return err
	}
	if c.Rule != nil || len(add)+len(remove) > 0 {
		if err := mayRegroup(tx, w.Who, g.Name, slices.Concat(add, remove)); err != nil {
			return err
		}
	}
	w.Before = map[string]any{"description": g.Description, "rule": g.Rule}
	if c.Rule != nil {
		if err := mayFollow(tx, g.Name, *c.Rule); err != nil {
			return err
		}
		g.Rule = *c.Rule
	}
	if c.Description != nil {
		g.Description = *c.Description
	}
	g.Version, g.UpdatedAt = over+1, s.Now()
	if err := tx.SetGroup(*g, over); err != nil {
		return err
	}
	if err := tx.AddToGroup(g.ID, add); err != nil {
		return err
	}
	if err := tx.RemoveFromGroup(g.ID, remove); err != nil {
		return err
	}
	if c.Rule != nil {
		if err := ruleChanged(tx, w, *g); err != nil {
			return err
		}
	}
	if err := resettleNamed(tx, w, "group "+g.Name+" changed", append(add, remove...)); err != nil {
		return err
	}
	w.After = map[string]any{"description": g.Description, "rule": g.Rule, "added": c.Add, "removed": c.Remove}
	return nil
}

// resettleNamed asks for the live devices of folded names to be settled again.
func resettleNamed(tx Records, w *uow.Work, cause string, keys []string) error {
	if len(keys) == 0 {
		return nil
	}
	ids, err := tx.LiveIDs(keys)
	if err != nil {
		return err
	}
	w.Tell(store.TopicEdits)
	if len(ids) == 0 {
		return nil
	}
	devicegroups.Moved(w, cause, ids)
	return nil
}

// RemoveGroup removes a group that no assignment names.
func (s *Service) RemoveGroup(ctx context.Context, who rights.Identity, name string, over int64) error {
	g, err := s.Group(ctx, name)
	if err != nil {
		return err
	}
	return refusal.Named(
		s.Do(
			ctx,
			uow.Act{Who: who, Right: rights.Deploy, Action: "group.removed", Object: name},
			func(tx Records, w *uow.Work) error { return removeGroup(tx, w, g, over) },
		),
		"group",
		name,
	)
}

func removeGroup(tx Records, w *uow.Work, g store.Group, over int64) error {
	if err := free(tx, w.Under, "group "+g.Name); err != nil {
		return err
	}
	used, err := tx.AssignmentsUsing(g.Name)
	if err != nil {
		return err
	}
	if len(used) > 0 {
		return refusal.New(
			refusal.Conflict,
			"the group %q is named by the assignments %s; take it out of them first",
			g.Name,
			strings.Join(used, ", "),
		)
	}
	operators, err := tx.OperatorsReaching(g.Name)
	if err != nil {
		return err
	}
	if len(operators) > 0 {
		return refusal.New(
			refusal.Conflict,
			"the operators %s have a role on the group %q; change their roles first",
			strings.Join(operators, ", "),
			g.Name,
		)
	}
	if err := mayDisband(tx, w.Who, g); err != nil {
		return err
	}
	if err := tx.RemoveGroup(g.ID, over); err != nil {
		return err
	}
	w.Tell(store.TopicGroups, g.ID)
	w.Tell(store.TopicEdits, g.Name)
	w.Before = map[string]any{"description": g.Description}
	return nil
}

// mayDisband refuses to remove a group with devices out of the editor's reach.
func mayDisband(tx Records, who rights.Identity, g store.Group) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	n, err := tx.CountMembersOutside(mine, g.ID)
	if err == nil && n > 0 {
		err = reach.Beyond(n)
	}
	return err
}

// deviceKeys checks names of devices, at most so many, and folds them.
func deviceKeys(names []string, most int) ([]string, error) {
	if len(names) > most {
		return nil, refusal.New(refusal.Invalid, "%d devices are too many for one edit; send at most %d at a time", len(names), most).
			At("devices")
	}
	keys := make([]string, len(names))
	for i, name := range names {
		if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
			return nil, refusal.New(refusal.Invalid, "the name of device %d (%q) %v", i+1, name, err).At("devices")
		}
		keys[i] = text.Fold(name)
	}
	return keys, nil
}
