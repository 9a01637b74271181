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

// prepare checks an edit that somebody sends, puts it in order, and gives it as a plan takes it. Groups know their
// devices by folded name.
func (s *Service) prepare(tx Reads, e *change.Edit, index map[string]int) (change.Step, []policy.Problem, error) {
	var problems []policy.Problem
	*e = e.Trimmed()
	switch e.Kind {
	case change.Publish:
		doc, found, err := parseUsable(tx, e.Document)
		if err != nil {
			return change.Step{}, found, err
		}
		problems = found
		if doc.Name != e.Name {
			return change.Step{}, problems, refusal.New(refusal.Invalid,
				"the document is named %q, but it was sent for the policy %q; a policy keeps its name", doc.Name,
				e.Name).
				At("document")
		}
		s.Documents.Keep(e.Document, doc)
	case change.Assign:
		if err := checkAim(e); err != nil {
			return change.Step{}, nil, err
		}
	case change.Group:
		if e.Group == nil {
			e.Group = &change.GroupBody{}
		}
		if err := checkGroup(e.Name, *e.Group); err != nil {
			return change.Step{}, nil, err
		}
	case change.Withdraw, change.DropGroup:
	default:
		return change.Step{}, nil, refusal.Unknown("kind", string(e.Kind), []change.Kind{
			change.Publish, change.Assign, change.Withdraw, change.Group, change.DropGroup,
		})
	}
	step, err := change.Read(*e, s.context(index))
	return step, problems, err
}

// context is what the edits of a change are read with.
func (s *Service) context(index map[string]int) change.Context {
	return change.Context{Parse: s.Documents.Parse, Index: index}
}

// checkAim checks what an assignment is to be, and puts it in order.
func checkAim(e *change.Edit) error {
	var a assign.Assignment
	if e.Assignment != nil {
		a = assign.Assignment(*e.Assignment)
	}
	a.Name, a.Stance = e.Name, cmp.Or(a.Stance, assign.Enforce)
	a.Include, a.Exclude, a.Within = text.Set(a.Include), text.Set(a.Exclude), text.Set(a.Within)
	e.Assignment = new(change.Aim(a))
	if !policy.ValidName(e.Name) {
		return refusal.New(refusal.Invalid, "%q cannot name an assignment; use %s", e.Name, policy.NameRule).At("name")
	}
	if err := a.Check(); err != nil {
		return refusal.New(refusal.Invalid, "%v", err)
	}
	return nil
}

// checkGroup checks what a group is to be.
func checkGroup(name string, g change.GroupBody) error {
	if err := devicegroups.CheckSpec(name, g); err != nil || g.Rule != "" {
		return err
	}
	for _, names := range [][]string{g.Add, g.Remove} {
		if _, err := devicegroups.DeviceKeys(names, planning.MaxGroupDevices); err != nil {
			return err
		}
	}
	_, err := devicegroups.DeviceKeys(g.Devices, planning.MaxGroupDevices)
	return err
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
	return refusal.New(kind, "%s %s: %v", wrong.Step.Kind, wrong.Step.Name, wrong.Err).WithCode("edit_cannot_be_made")
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
