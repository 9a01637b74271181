package devicegroups

import (
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// EditRecords is what is needed of the records to edit groups.
type EditRecords interface {
	Names
	Records
	planning.Touched

	AddGroup(g store.Group) error
	AddToGroup(groupID string, devices []string) error
	Assignments() ([]store.Assignment, error)
	AssignmentsUsing(group string) ([]string, error)
	CountDevicesOutside(reach rights.Reach, ids []string) (int, error)
	CountMembersOutside(reach rights.Reach, groupID string) (int, error)
	CountOutside(reach rights.Reach, names []string) (int, error)
	LearnsUsers() (bool, error)
	LiveIDs(keys []string) ([]string, error)
	OperatorsReaching(group string) ([]string, error)
	RemoveFromGroup(groupID string, devices []string) error
	RemoveGroup(id string, over int64) error
	SetGroup(g store.Group, over int64) error
}

// Spec is what a group is to be.
type Spec = change.GroupBody

// Add creates a group. keys are the folded names of its devices, see [DeviceKeys].
func Add(tx EditRecords, w *uow.Work, name string, want Spec, keys []string) (store.Group, error) {
	now := w.Now()
	g := store.Group{
		ID:          store.NewID(now),
		Name:        name,
		Description: want.Description,
		Rule:        want.Rule,
		Version:     1,
		CreatedAt:   now,
		UpdatedAt:   now,
	}
	if err := planning.NotTouched(tx, w.Under(), "group "+g.Name); err != nil {
		return g, err
	}
	if err := mayRegroup(tx, w.Who(), g.Name, keys); err != nil {
		return g, err
	}
	if err := tx.AddGroup(g); err != nil {
		return g, err
	}
	if err := tx.AddToGroup(g.ID, keys); err != nil {
		return g, err
	}
	if want.Rule != "" {
		changed, err := Regroup(tx, []store.RuleGroup{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
		if err != nil {
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
func mayRegroup(tx EditRecords, who rights.Identity, group string, names []string) error {
	if who.May(rights.Administer) {
		return nil
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil {
		return err
	}
	if len(operators) > 0 {
		return refusal.New(refusal.Forbidden,
			"the group %q decides what operators may reach, so only an owner can change who is in it", group).
			WithCode("group_gives_reach")
	}
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	n, err := tx.CountOutside(mine, names)
	if err == nil && n > 0 {
		err = refusal.BeyondReach()
	}
	return err
}

// MayMove refuses what alters devices out of somebody's reach.
func MayMove(tx EditRecords, who rights.Identity, devices []string) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() || len(devices) == 0 {
		return nil
	}
	n, err := tx.CountDevicesOutside(mine, devices)
	if err == nil && n > 0 {
		err = refusal.BeyondReach()
	}
	return err
}

// Edit is an edit of a group: a new description, a new rule, names put in, names taken out.
type Edit struct {
	Description *string
	Rule        *string
	Add, Remove []string
}

// Change edits a group as it was read; add and remove are the folded names of the change.
func Change(tx EditRecords, w *uow.Work, g *store.Group, c Edit, add, remove []string, over int64) error {
	if err := planning.NotTouched(tx, w.Under(), "group "+g.Name); err != nil {
		return err
	}
	if c.Rule != nil || len(add)+len(remove) > 0 {
		if err := mayRegroup(tx, w.Who(), g.Name, slices.Concat(add, remove)); err != nil {
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
	g.Version, g.UpdatedAt = over+1, w.Now()
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
func resettleNamed(tx EditRecords, w *uow.Work, cause string, keys []string) error {
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
	Moved(w, cause, ids)
	return nil
}

// Remove removes a group that no assignment and no role of an operator names.
func Remove(tx EditRecords, w *uow.Work, g store.Group, over int64) error {
	if err := planning.NotTouched(tx, w.Under(), "group "+g.Name); err != nil {
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
	if err := mayDisband(tx, w.Who(), g); err != nil {
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

// mayDisband refuses to remove a list of devices out of the editor's reach. Which devices a rule holds for is told by
// no answer to somebody who does not reach them, so that a rule that nothing uses is everybody's to remove.
func mayDisband(tx EditRecords, who rights.Identity, g store.Group) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() || g.Rule != "" {
		return nil
	}
	n, err := tx.CountMembersOutside(mine, g.ID)
	if err == nil && n > 0 {
		err = refusal.BeyondReach()
	}
	return err
}

// CheckEdit refuses an edit that does not fit the kind of the group.
func CheckEdit(g store.Group, c Edit) error {
	switch {
	case g.Rule != "" && len(c.Add)+len(c.Remove) > 0:
		return refusal.New(refusal.Invalid, "the members of %q follow its rule; change the rule, or make a listed "+
			"group", g.Name).
			At("add")
	case c.Rule == nil:
		return nil
	case g.Rule == "" || *c.Rule == "":
		return refusal.New(refusal.Invalid, "the group %q cannot change between a list and a rule; create another "+
			"group and aim the assignments at it", g.Name).
			At("rule")
	}
	_, err := Rule(*c.Rule)
	return err
}

// ruleChanged works out a group by its new rule, and asks for the devices that came or went to be settled.
func ruleChanged(tx EditRecords, w *uow.Work, g store.Group) error {
	changed, err := Regroup(tx, []store.RuleGroup{{ID: g.ID, Name: g.Name, Rule: g.Rule}}, nil)
	if err != nil {
		return err
	}
	w.Tell(store.TopicEdits, g.Name)
	if len(changed) > 0 {
		Moved(w, "rule of group "+g.Name+" changed", changed)
	}
	return nil
}

// mayFollow refuses a rule over facts that a device says of itself where assignments exclude the
// group, or operators have reach over it.
func mayFollow(tx EditRecords, group, rule string) error {
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	learned, err := tx.LearnsUsers()
	if err != nil {
		return err
	}
	for _, a := range assignments {
		if slices.Contains(a.Exclude, group) {
			if err := Excluded.Check(group, rule, learned); err != nil {
				return err
			}
		}
	}
	operators, err := tx.OperatorsReaching(group)
	if err != nil || len(operators) == 0 {
		return err
	}
	return Reached.Check(group, rule, learned)
}
