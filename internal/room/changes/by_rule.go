package changes

import (
	"slices"

	"rankwarden.example/core/change"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// mayGoByRules refuses edits with which a rule would decide whether devices out of reach are concerned. It does so
// whichever devices there are: an answer that depended on them would tell what they are.
func mayGoByRules(tx Reads, who rights.Identity, edits []change.Edit) error {
	open, err := openByRule(tx, who.Reach(rights.Deploy), edits)
	if err == nil && open {
		err = refusal.BeyondReach()
	}
	return err
}

// openByRule reports whether an assignment that edits alter, or whose rules they alter, names a group with a rule and
// is not kept within a reach.
func openByRule(tx Reads, mine rights.Reach, edits []change.Edit) (bool, error) {
	if mine.Everywhere() {
		return false, nil
	}
	groups, err := tx.RuledGroups()
	if err != nil {
		return false, err
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return false, err
	}
	ruled, altered := map[string]bool{}, map[string]bool{}
	for _, g := range groups {
		ruled[g.Name] = true
	}
	var aims []store.Aim
	for _, e := range edits {
		switch {
		case e.Group != nil && e.Group.Rule != "", e.Kind == change.DropGroup && ruled[e.Name]:
			ruled[e.Name], altered[e.Name] = true, true
		case e.Kind == change.Assign:
			a := e.Aimed()
			aims = append(aims, store.Aim{Include: a.Include, Exclude: a.Exclude, Within: a.Within})
		}
	}
	named := func(a store.Aim, groups map[string]bool) bool {
		all := slices.Concat(a.Include, a.Exclude, a.Within)
		return slices.ContainsFunc(all, func(group string) bool { return groups[group] })
	}
	for _, a := range assignments {
		aim := store.Aim{Include: a.Include, Exclude: a.Exclude, Within: a.Within}
		edited := slices.ContainsFunc(edits, func(e change.Edit) bool {
			return e.Name == a.Name && (e.Kind == change.Assign || e.Kind == change.Withdraw)
		})
		if edited || named(aim, altered) {
			aims = append(aims, aim)
		}
	}
	return slices.ContainsFunc(aims, func(a store.Aim) bool {
		return named(a, ruled) && !mine.Keeps(a.Include, a.Within)
	}), nil
}
