package change

import (
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/edit"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
)

// The shape of an edit has a package of its own, which the client links without the expression language of rules.
type (
	Edit      = edit.Edit
	Kind      = edit.Kind
	Type      = edit.Type
	Aim       = edit.Aim
	GroupBody = edit.GroupBody
)

// The kinds of edit, see [edit.Kind].
const (
	Publish   = edit.Publish
	Assign    = edit.Assign
	Withdraw  = edit.Withdraw
	Group     = edit.Group
	DropGroup = edit.DropGroup
)

// The types of things that can be edited, see [edit.Type].
const (
	Policies    = edit.Policies
	Assignments = edit.Assignments
	Groups      = edit.Groups
)

// Step is an [Edit] that was read, as a plan takes it. Of Policy, Assignment and Group that is set which its kind
// needs.
type Step struct {
	Kind       Kind
	Name       string             // of the policy, assignment or group
	Policy     *policy.Document   // without errors
	Assignment *assign.Assignment // checked
	Group      *fleet.Group
	Amend      *Amendment // of a listed group that is there, beside Group; nil replaces it whole
}

// Amendment is who comes into a listed group and who leaves, by index.
type Amendment struct{ Add, Remove []int }

// Error says which edit cannot be made, and why.
type Error struct {
	Index int // from 0
	Step  Step
	Err   error
}

func (e *Error) Error() string {
	return fmt.Sprintf("edit %d (%s %s): %v", e.Index+1, e.Step.Kind, e.Step.Name, e.Err)
}

func (e *Error) Unwrap() error { return e.Err }

// The causes of an [Error].
var (
	ErrUnknown = errors.New("it does not exist")      // the edit names a policy, assignment or group that is not there
	ErrInUse   = errors.New("an assignment names it") // the group cannot be removed
	ErrWrong   = errors.New("it cannot be used")      // the edit is wrong in itself
)

// Apply gives the inputs with the edits made one after the other; the inputs themselves stay as they are. The error is
// an [Error] for the first edit that cannot be made.
func Apply(in plan.Inputs, edits []Step) (plan.Inputs, error) {
	s := newState(in)
	if err := s.applyAll(edits); err != nil {
		return plan.Inputs{}, err
	}
	return in.With(s.edits), nil
}

// Check says which edit cannot be made first, as [Apply] would; nil when all can. Of the inputs it needs no more than
// names.
func Check(in plan.Inputs, edits []Step) *Error {
	return newState(in).applyAll(edits)
}

// state is what there is after some edits.
type state struct {
	policies    map[string]bool
	groups      map[string]bool
	assignments map[string]assign.Assignment
	edits       plan.Edits
	in          plan.Inputs
}

func newState(in plan.Inputs) *state {
	s := &state{
		policies: map[string]bool{}, groups: map[string]bool{assign.Everything: true},
		assignments: map[string]assign.Assignment{},
		edits: plan.Edits{
			Policies: map[string]*policy.Document{}, Assignments: map[string]*assign.Assignment{},
			Groups: map[string]*fleet.Group{},
		},
	}
	s.in = in
	for name := range in.Policies {
		s.policies[name] = true
	}
	for name := range in.Unusable {
		s.policies[name] = true
	}
	for _, g := range in.Groups {
		s.groups[g.Name] = true
	}
	for name := range in.Known {
		s.groups[name] = true
	}
	for _, a := range in.Assignments {
		s.assignments[a.Name] = a
	}
	return s
}

func (s *state) applyAll(edits []Step) *Error {
	for i, e := range edits {
		if err := s.apply(e); err != nil {
			return &Error{i, e, err}
		}
	}
	return nil
}

func (s *state) apply(e Step) error {
	switch e.Kind {
	case Publish:
		s.policies[e.Name], s.edits.Policies[e.Name] = true, e.Policy
	case Assign:
		a := *e.Assignment
		if !s.policies[a.Policy] {
			return unknown("policy", a.Policy, s.policies)
		}
		for _, g := range slices.Concat(a.Include, a.Exclude, a.Within) {
			if !s.groups[g] {
				return unknown("group", g, s.groups)
			}
		}
		s.assignments[e.Name], s.edits.Assignments[e.Name] = a, e.Assignment
	case Withdraw:
		if _, there := s.assignments[e.Name]; !there {
			return unknown("assignment", e.Name, s.assignments)
		}
		delete(s.assignments, e.Name)
		s.edits.Assignments[e.Name] = nil
	case Group:
		if e.Amend != nil && !s.groups[e.Name] {
			return unknown("group", e.Name, s.groups)
		}
		s.groups[e.Name], s.edits.Groups[e.Name] = true, s.amended(e)
	case DropGroup:
		return s.dropGroup(e.Name)
	default:
		return fmt.Errorf("%w: there is no edit %q", ErrWrong, e.Kind)
	}
	return nil
}

// amended is the group that an edit leaves.
func (s *state) amended(e Step) *fleet.Group {
	if e.Amend == nil {
		return e.Group
	}
	group := *e.Group
	group.Devices = nil
	members := s.in.Known[e.Name]
	if was := s.edits.Groups[e.Name]; was != nil { // an edit before this one
		members = fleet.Listed(len(s.in.Devices), was.Devices, nil)
	} else if at := slices.IndexFunc(s.in.Groups, func(g fleet.Group) bool { return g.Name == e.Name }); at >= 0 {
		members = fleet.Listed(len(s.in.Devices), s.in.Groups[at].Devices, nil)
	}
	for d := range s.in.Devices {
		stays := members.Of(d) == assign.Yes && !slices.Contains(e.Amend.Remove, d)
		if stays || slices.Contains(e.Amend.Add, d) {
			group.Devices = append(group.Devices, d)
		}
	}
	return &group
}

func (s *state) dropGroup(name string) error {
	if name == assign.Everything {
		return fmt.Errorf("%w: %q is the built-in group of all devices, which stays", ErrWrong, name)
	}
	if !s.groups[name] {
		return unknown("group", name, s.groups)
	}
	for _, by := range sortedKeys(s.assignments) {
		a := s.assignments[by]
		if slices.Contains(slices.Concat(a.Include, a.Exclude, a.Within), name) {
			return fmt.Errorf("%w: assignment %s; withdraw that first", ErrInUse, by)
		}
	}
	delete(s.groups, name)
	s.edits.Groups[name] = nil
	return nil
}

func unknown[T any](what, name string, there map[string]T) error {
	hint := ""
	if near := text.Nearest(name, sortedKeys(there)); near != "" {
		hint = fmt.Sprintf("; did you mean %q?", near)
	}
	return fmt.Errorf("%w: there is no %s %q%s", ErrUnknown, what, name, hint)
}

func sortedKeys[T any](m map[string]T) []string {
	keys := make([]string, 0, len(m))
	for key := range m {
		keys = append(keys, key)
	}
	slices.Sort(keys)
	return keys
}
