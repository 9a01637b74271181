package change

import (
	"fmt"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
)

// Context is what an edit is read with.
type Context struct {
	// Parse gives the document of a source, or an error when it cannot be used. Whoever keeps parsed documents gives
	// one that was parsed before.
	Parse func(source string) (*policy.Document, error)
	Index map[string]int // of devices, by folded name; a listed device that is not in it is left out
}

// Read reads an edit: its document is parsed, its rule compiled, its devices found. What it was checked for when it
// went into its change is not checked again; the error is for what cannot be read.
func Read(e Edit, in Context) (Step, error) {
	step := Step{Kind: e.Kind, Name: e.Name}
	fail := func(err error) (Step, error) { return step, fmt.Errorf("%s %s: %w", e.Kind, e.Name, err) }
	switch {
	case e.Kind == Publish:
		doc, err := in.Parse(e.Document)
		if err != nil {
			return fail(err)
		}
		step.Policy = doc
	case e.Kind == Assign && e.Assignment == nil, e.Kind == Group && e.Group == nil:
		return fail(fmt.Errorf("%w: it says nothing of what the %s is to be", ErrWrong, e.Kind.Type()))
	case e.Kind == Assign:
		step.Assignment = e.Aimed()
	case e.Kind == Group:
		group := fleet.Group{Name: e.Name}
		if e.Group.Rule != "" {
			rule, err := fleet.ParseRule(e.Group.Rule)
			if err != nil {
				return fail(err)
			}
			group.Rule = rule
		}
		group.Devices = in.indexes(e.Group.Devices)
		step.Group = &group
		if e.Group.Amend {
			step.Amend = &Amendment{in.indexes(e.Group.Add), in.indexes(e.Group.Remove)}
		}
	}
	return step, nil
}

// indexes are those of the devices that are known.
func (in Context) indexes(names []string) (indexes []int) {
	for _, name := range names {
		if at, enrolled := in.Index[text.Fold(name)]; enrolled {
			indexes = append(indexes, at)
		}
	}
	return indexes
}

// ByName is an edit as a step that is judged by names alone, see [Check].
func ByName(e Edit) Step {
	step := Step{Kind: e.Kind, Name: e.Name}
	if e.Assignment != nil {
		step.Assignment = e.Aimed()
	}
	return step
}
