package scenario

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

func (f *file) build(open Open) (*Scenario, error) {
	s := &Scenario{At: f.At, Reports: map[int]*drift.Report{}}
	s.Policies = map[string]*policy.Document{}
	for _, step := range []func(*Scenario) error{
		f.directory, f.devices, f.groups, func(s *Scenario) error { return f.policies(s, open) }, f.assignments,
		f.changes, f.rollout, f.warrants,
	} {
		if err := step(s); err != nil {
			return nil, err
		}
	}
	return s, nil
}

func (f *file) directory(s *Scenario) error {
	var entries []principal.Entry
	for i, e := range f.Directory {
		where := fmt.Sprintf("directory[%d]", i)
		ref, err := principal.Parse(e.Ref)
		if err != nil {
			return &Error{where + ".ref", err}
		}
		if kind := ref.Kind(); kind != principal.User && kind != principal.Group {
			return fail(where+".ref", "%s is not of the directory; it has user: and group: references", ref)
		}
		sid, err := principal.ParseSID(e.SID)
		if err != nil {
			return &Error{where + ".sid", err}
		}
		var guid principal.GUID
		if e.GUID != "" {
			if guid, err = principal.ParseGUID(e.GUID); err != nil {
				return &Error{where + ".guid", err}
			}
		}
		entries = append(entries, principal.Entry{Ref: ref, SID: sid, GUID: guid})
	}
	s.Directory = principal.NewTable(entries)
	return nil
}

func (f *file) groups(s *Scenario) error {
	seen := map[string]bool{assign.Everything: true}
	index := indexes(s)
	for i, g := range f.Groups {
		where := fmt.Sprintf("groups[%d]", i)
		made, err := g.build(where, index)
		if err != nil {
			return err
		}
		if seen[g.Name] {
			return fail(where+".name", "two groups are called %q; give one another name", g.Name)
		}
		seen[g.Name] = true
		s.Groups = append(s.Groups, made)
	}
	return nil
}

// indexes are the devices of a scenario by name.
func indexes(s *Scenario) map[string]int {
	index := make(map[string]int, len(s.Devices))
	for i := range s.Devices {
		index[s.Devices[i].Name] = i
	}
	return index
}

func (g *group) build(where string, index map[string]int) (fleet.Group, error) {
	made := fleet.Group{Name: g.Name}
	switch {
	case g.Name == assign.Everything:
		return made, fail(where+".name", "%q is the built-in group of all devices; choose another name", g.Name)
	case !policy.ValidName(g.Name):
		return made, fail(where+".name", "%q cannot name a group; use %s", g.Name, policy.NameRule)
	case (g.Rule == nil) == (g.Devices == nil):
		return made, fail(where, "the group %q needs either \"devices\" or \"rule\"", g.Name)
	}
	if g.Rule != nil {
		rule, err := fleet.ParseRule(*g.Rule)
		if err != nil {
			return made, &Error{where + ".rule", err}
		}
		made.Rule = rule
	}
	for _, name := range g.Devices {
		if at, known := index[name]; known { // one that is not among the devices does no harm
			made.Devices = append(made.Devices, at)
		}
	}
	return made, nil
}

func (f *file) policies(s *Scenario, open Open) error {
	type source struct {
		where    string
		document *policy.Document
		problems []policy.Problem
	}
	var sources []source
	for i, p := range f.Policies {
		doc, problems := p.parse(s.Directory)
		sources = append(sources, source{fmt.Sprintf("policies[%d]", i), doc, problems})
	}
	for _, path := range f.PolicyFiles {
		if open == nil {
			return fail("policy_files", "files cannot be read here; put the policies into the scenario")
		}
		data, err := open(path)
		if err != nil {
			return &Error{"policy_files", err}
		}
		doc, problems := policy.Parse(data, s.Directory)
		sources = append(sources, source{path, doc, problems})
	}
	var errs []error
	seen := map[string]string{}
	for _, src := range sources {
		if !policy.Usable(src.problems) {
			errs = append(errs, fail(src.where, "%w:%s", ErrPolicy, errorLines(src.problems)))
			continue
		}
		if other, again := seen[src.document.Name]; again {
			errs = append(
				errs,
				fail(src.where, "%s is called %q too; give one policy another name", other, src.document.Name),
			)
		}
		seen[src.document.Name] = src.where
		s.Policies[src.document.Name] = src.document
	}
	return errors.Join(errs...)
}

// errorLines are the errors among problems, each on a line of its own.
func errorLines(problems []policy.Problem) string {
	lines := ""
	for _, p := range problems {
		if p.Severity == policy.Error {
			lines += "\n  " + p.String()
		}
	}
	return lines
}

func (f *file) assignments(s *Scenario) error {
	slices.SortStableFunc(f.Assignments, func(a, b assignment) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Name, b.Name))
	})
	groups := map[string]bool{assign.Everything: true}
	for _, g := range s.Groups {
		groups[g.Name] = true
	}
	policies := map[string]bool{}
	for name := range s.Policies {
		policies[name] = true
	}
	seen := map[string]bool{}
	for _, a := range f.Assignments {
		where := fmt.Sprintf("assignment %q", a.Name)
		made, err := a.build(where)
		if err != nil {
			return err
		}
		if seen[a.Name] {
			return fail("assignments", "two assignments are called %q; give one another name", a.Name)
		}
		seen[a.Name] = true
		for _, g := range slices.Concat(a.Include, a.Exclude, a.Within) {
			if !groups[g] {
				return fail(where, "there is no group %q%s", g, nearest(g, groups))
			}
		}
		if !policies[a.Policy] {
			return fail(where, "there is no policy %q%s", a.Policy, nearest(a.Policy, policies))
		}
		s.warn(where, made)
		s.Assignments = append(s.Assignments, made)
	}
	return nil
}

// warn says what the service would not take: the worked examples have such ones; they resolve, and reach less than one
// may think.
func (s *Scenario) warn(where string, made assign.Assignment) {
	if err := made.Check(); err != nil {
		s.Warnings = append(s.Warnings, fmt.Sprintf("%s: the service would refuse it: %v", where, err))
	}
}

func (a *assignment) build(where string) (assign.Assignment, error) {
	made := assign.Assignment{
		Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within,
		Rank: assign.Rank(a.Rank), Stance: assign.Stance(cmp.Or(a.Stance, string(assign.Enforce))),
	}
	switch {
	case !policy.ValidName(a.Name):
		return made, fail("assignments", "%q cannot name an assignment; use %s", a.Name, policy.NameRule)
	case !made.Rank.Valid():
		return made, fail(
			where,
			"rank %d is out of bounds; use %d (strongest) to %d (weakest)",
			a.Rank,
			assign.Strongest,
			assign.Weakest,
		)
	case made.Stance != assign.Enforce && made.Stance != assign.Trial:
		return made, fail(where, "stance %q is not possible; use enforce or trial", a.Stance)
	case len(made.Include) == 0:
		return made, fail(
			where,
			"no group is included, so it would reach no device; include a group, or %q for all",
			assign.Everything,
		)
	}
	return made, nil
}

func nearest(name string, known map[string]bool) string {
	var names []string
	for k := range known {
		names = append(names, k)
	}
	slices.Sort(names)
	if near := text.Nearest(name, names); near != "" {
		return fmt.Sprintf("; did you mean %q?", near)
	}
	return ""
}
