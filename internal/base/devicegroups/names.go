package devicegroups

import (
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Names is what is needed of the records to find groups by name.
type Names interface {
	GroupsNamed(names []string) ([]store.Group, error)
	ListGroups(search string, p store.Page) ([]store.GroupCount, string, error)
}

// Exist refuses names of groups that do not exist, with the nearest one that does. place is the field of the request.
func Exist(tx Names, place string, groups []string) error {
	found, err := tx.GroupsNamed(append([]string{""}, groups...))
	if err != nil {
		return err
	}
	known := map[string]bool{assign.Everything: true}
	for _, g := range found {
		known[g.Name] = true
	}
	for _, name := range groups {
		if !known[name] {
			return missing(tx, place, name)
		}
	}
	return nil
}

func missing(tx Names, place, name string) error {
	list, _, err := tx.ListGroups("", store.Page{Limit: store.MaxLimit})
	if err != nil {
		return err
	}
	names := []string{assign.Everything}
	for _, g := range list {
		names = append(names, g.Name)
	}
	hint := "create it first, or list the groups"
	if near := text.Nearest(name, names); near != "" {
		hint = "did you mean \"" + near + "\"?"
	}
	return refusal.New(refusal.Invalid, "there is no group %q; %s", name, hint).At(place).WithCode("unknown_group")
}

// Asked refuses a group that a list is to be narrowed to and that does not exist; none is no restriction.
func Asked(tx Names, group string) error {
	if group == "" {
		return nil
	}
	err := Exist(tx, "group", []string{group})
	if refused, ok := err.(*refusal.Error); ok {
		return refused.Asked()
	}
	return err
}

// Listed refuses groups that do not exist, or that follow a rule so that nobody can be put into them.
func Listed(tx interface {
	Names
	RuledGroups() ([]store.RuleGroup, error)
}, groups []string) error {
	if err := Exist(tx, "groups", groups); err != nil {
		return err
	}
	ruled, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	for _, g := range ruled {
		if slices.Contains(groups, g.Name) {
			return refusal.New(refusal.Invalid,
				"the members of %q follow its rule, so nobody can be put into it; name a listed group", g.Name).
				At("groups")
		}
	}
	return nil
}
