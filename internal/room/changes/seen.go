package changes

import (
	"slices"

	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
)

// SeenBy is a change as somebody sees it: of the devices that edits of groups list, those in reach are named.
func (s *Service) SeenBy(who rights.Identity, c ChangeWithEdits) ChangeWithEdits {
	mine := who.Reach(rights.Look)
	if mine.Everywhere() || !slices.ContainsFunc(c.Edits, func(e EditState) bool { return e.Group != nil }) {
		return c
	}
	known := map[string]bool{}
	for _, d := range s.View.Devices(mine) {
		known[d.NameKey] = true
		for _, name := range d.Former {
			known[name] = true
		}
	}
	inReach := func(names []string) []string {
		return slices.DeleteFunc(slices.Clone(names), func(name string) bool { return !known[text.Fold(name)] })
	}
	c.Edits = slices.Clone(c.Edits)
	for i, e := range c.Edits {
		if e.Group != nil {
			group := *e.Group
			group.Devices, group.Add, group.Remove = inReach(group.Devices), inReach(group.Add), inReach(group.Remove)
			c.Edits[i].Group = &group
		}
	}
	return c
}
