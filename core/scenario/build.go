package scenario

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

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

func (f *file) devices(s *Scenario) error {
	slices.SortStableFunc(f.Devices, func(a, b device) int { return cmp.Compare(a.Name, b.Name) })
	s.Devices = make([]fleet.Facts, len(f.Devices))
	for i, d := range f.Devices {
		if err := text.CheckVisible(d.Name); d.Name == "" || err != nil {
			return fail("devices", "%q cannot name a device", d.Name)
		}
		if i > 0 && f.Devices[i-1].Name == d.Name {
			return fail("devices", "two devices are called %q; give one another name", d.Name)
		}
		s.Devices[i] = fleet.Facts{
			Name: d.Name, Platform: d.Platform, OSVersion: d.OSVersion, OSBuild: d.OSBuild, Model: d.Model,
			Serial: d.Serial, Path: d.Path, Tags: d.Tags, PrimaryUser: d.PrimaryUser,
		}
		if d.Reported != nil {
			s.Reports[i] = (*drift.Report)(d.Reported)
		}
	}
	return nil
}

func (f *file) groups(s *Scenario) error {
	index := make(map[string]int, len(s.Devices))
	for i := range s.Devices {
		index[s.Devices[i].Name] = i
	}
	seen := map[string]bool{assign.Everything: true}
	for i, g := range f.Groups {
		where := fmt.Sprintf("groups[%d]", i)
		switch {
		case g.Name == assign.Everything:
			return fail(where+".name", "%q is the built-in group of all devices; choose another name", g.Name)
		case !policy.ValidName(g.Name):
			return fail(where+".name", "%q cannot name a group; use %s", g.Name, policy.NameRule)
		case seen[g.Name]:
			return fail(where+".name", "two groups are called %q; give one another name", g.Name)
		case (g.Rule == nil) == (g.Devices == nil):
			return fail(where, "the group %q needs either \"devices\" or \"rule\"", g.Name)
		}
		seen[g.Name] = true
		made := fleet.Group{Name: g.Name}
		if g.Rule != nil {
			rule, err := fleet.ParseRule(*g.Rule)
			if err != nil {
				return &Error{where + ".rule", err}
			}
			made.Rule = rule
		}
		for _, name := range g.Devices {
			if at, known := index[name]; known { // one that is not among the devices does no harm
				made.Devices = append(made.Devices, at)
			}
		}
		s.Groups = append(s.Groups, made)
	}
	return nil
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
			var lines []string
			for _, p := range src.problems {
				if p.Severity == policy.Error {
					lines = append(lines, "\n  "+p.String())
				}
			}
			errs = append(errs, fail(src.where, "%w:%s", ErrPolicy, strings.Join(lines, "")))
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

func (f *file) assignments(s *Scenario) error {
	slices.SortStableFunc(f.Assignments, func(a, b assignment) int {
		return cmp.Or(cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Name, b.Name))
	})
	groups := map[string]bool{assign.Everything: true}
	for _, g := range s.Groups {
		groups[g.Name] = true
	}
	seen := map[string]bool{}
	for _, a := range f.Assignments {
		where := fmt.Sprintf("assignment %q", a.Name)
		made := assign.Assignment{
			Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within,
			Rank: assign.Rank(a.Rank), Stance: assign.Stance(cmp.Or(a.Stance, string(assign.Enforce))),
		}
		if !policy.ValidName(a.Name) {
			return fail("assignments", "%q cannot name an assignment; use %s", a.Name, policy.NameRule)
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
		if s.Policies[a.Policy] == nil {
			names := map[string]bool{}
			for name := range s.Policies {
				names[name] = true
			}
			return fail(where, "there is no policy %q%s", a.Policy, nearest(a.Policy, names))
		}
		if !made.Rank.Valid() {
			return fail(
				where,
				"rank %d is out of bounds; use %d (strongest) to %d (weakest)",
				a.Rank,
				assign.Strongest,
				assign.Weakest,
			)
		}
		if made.Stance != assign.Enforce && made.Stance != assign.Trial {
			return fail(where, "stance %q is not possible; use enforce or trial", a.Stance)
		}
		if len(made.Include) == 0 {
			return fail(
				where,
				"no group is included, so it would reach no device; include a group, or %q for all",
				assign.Everything,
			)
		}
		if err := made.Check(); err != nil { // the worked examples have such ones; they resolve, and reach less than one may think
			s.Warnings = append(s.Warnings, fmt.Sprintf("%s: the service would refuse it: %v", where, err))
		}
		s.Assignments = append(s.Assignments, made)
	}
	return nil
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
