package changes

import (
	"cmp"
	"errors"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// MaxEdits is how many edits a change may have.
const MaxEdits = 500

// Edit is one edit of a change.
type Edit = planning.Edit

// NewGroup is what a group is to be.
type NewGroup = planning.EditedGroup

// prepare checks an edit by itself, and gives it as the core has it. Groups know their devices by folded name.
func prepare(tx Reads, e *Edit, index map[string]int) (change.Edit, []policy.Problem, error) {
	made := change.Edit{Kind: e.Kind, Name: e.Name}
	switch e.Kind {
	case change.Publish:
		doc, problems, err := parseUsable(tx, e.Document)
		if err != nil {
			return made, problems, err
		}
		if doc.Name != e.Name {
			return made, problems, refusal.New(refusal.Invalid,
				"the document is named %q, but it was sent for the policy %q; a policy keeps its name", doc.Name,
				e.Name).
				At("document")
		}
		made.Policy = doc
		return made, problems, nil
	case change.Assign:
		a := e.Assignment
		a.Name, a.Stance = e.Name, cmp.Or(a.Stance, assign.Enforce)
		a.Include, a.Exclude, a.Within = text.Set(a.Include), text.Set(a.Exclude), text.Set(a.Within)
		e.Assignment = a
		if !policy.ValidName(e.Name) {
			return made, nil, refusal.New(refusal.Invalid, "%q cannot name an assignment; use %s", e.Name,
				policy.NameRule).
				At("name")
		}
		if err := a.Check(); err != nil {
			return made, nil, refusal.New(refusal.Invalid, "%v", err)
		}
		made.Assignment = &a
	case change.Group:
		group, err := prepareGroup(&e.Group, e.Name, index)
		if err != nil {
			return made, nil, err
		}
		e.Group.Name, made.Group = e.Name, &group
	case change.Withdraw, change.DropGroup:
	default:
		return made, nil, refusal.Unknown("kind", string(e.Kind), []change.Kind{
			change.Publish, change.Assign, change.Withdraw, change.Group, change.DropGroup,
		})
	}
	return made, nil, nil
}

// prepare checks what a group is to be.
func prepareGroup(g *NewGroup, name string, index map[string]int) (fleet.Group, error) {
	made := fleet.Group{Name: name}
	if err := devicegroups.CheckSpec(name, *g); err != nil {
		return made, err
	}
	if g.Rule != "" {
		rule, err := devicegroups.Rule(g.Rule)
		made.Rule = rule
		return made, err
	}
	keys, err := devicegroups.DeviceKeys(g.Devices, planning.MaxGroupDevices)
	if err != nil {
		return made, err
	}
	for _, key := range keys {
		if at, enrolled := index[key]; enrolled {
			made.Devices = append(made.Devices, at)
		}
	}
	return made, nil
}

// names reads what exists, by name, so that edits can be judged.
func names(tx Reads) (plan.Inputs, error) {
	in := plan.Inputs{Policies: map[string]*policy.Document{}, Known: map[string]fleet.Members{}}
	policies, err := tx.PolicyNames()
	if err != nil {
		return in, err
	}
	for _, name := range policies {
		in.Policies[name] = nil
	}
	groups, err := tx.GroupNames()
	if err != nil {
		return in, err
	}
	for _, name := range groups {
		in.Known[name] = fleet.Members{}
	}
	assignments, err := tx.Assignments()
	for _, a := range assignments {
		in.Assignments = append(in.Assignments, a.Aim())
	}
	return in, err
}

// refuseEdit turns what the core says of an edit into a refusal.
func refuseEdit(err error) error {
	var wrong *change.Error
	if !errors.As(err, &wrong) {
		return err
	}
	kind := refusal.Invalid
	if errors.Is(err, change.ErrInUse) {
		kind = refusal.Conflict
	}
	return refusal.New(kind, "%s %s: %v", wrong.Edit.Kind, wrong.Edit.Name, wrong.Err).WithCode("edit_cannot_be_made")
}

// versions reads the versions that the things of edits have now.
func versions(tx Reads, edits []store.ChangeEdit) (func(e store.ChangeEdit) int64, error) {
	byType := map[string][]string{}
	for _, e := range edits {
		byType[e.Type] = append(byType[e.Type], e.Name)
	}
	now := map[string]map[string]int64{}
	for typ, names := range byType {
		var err error
		if now[typ], err = tx.VersionsOf(typ, names); err != nil {
			return nil, err
		}
	}
	return func(e store.ChangeEdit) int64 { return now[e.Type][e.Name] }, nil
}

// conflicts are the things that somebody else altered since an edit was based on them.
func conflicts(edits []store.ChangeEdit, now func(e store.ChangeEdit) int64) (moved []string) {
	for _, e := range edits {
		if now(e) != e.BasedOn {
			moved = append(moved, e.Type+" "+e.Name)
		}
	}
	slices.Sort(moved)
	return moved
}
