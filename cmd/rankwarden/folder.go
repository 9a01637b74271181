package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	coretext "rankwarden.example/core/text"
)

// Files of a folder that an organisation is kept in.
const (
	policiesFolder  = "policies"
	groupsFile      = "groups.yaml"
	assignmentsFile = "assignments.yaml"
)

// folderGroup is a group as it stands in a file.
type folderGroup struct {
	Name        string   `yaml:"name"`
	Description string   `yaml:"description,omitempty"`
	Rule        string   `yaml:"rule,omitempty"`
	Devices     []string `yaml:"devices,flow,omitempty"`
}

// folderAssignment is an assignment as it stands in a file.
type folderAssignment struct {
	Name    string   `yaml:"name"`
	Policy  string   `yaml:"policy"`
	Include []string `yaml:"include,flow"`
	Exclude []string `yaml:"exclude,flow,omitempty"`
	Within  []string `yaml:"within,flow,omitempty"`
	Rank    int      `yaml:"rank"`
	Stance  string   `yaml:"stance,omitempty"`
}

// folder is an organisation in files, or as it is in force. A list that is nil is not kept there.
type folder struct {
	policies    map[string]string // documents by name
	versions    map[string]int64  // of what is in force, by type and name
	groups      []folderGroup
	assignments []folderAssignment
}

// readFolder reads a folder. The error says which file is wrong.
func readFolder(dir string) (*folder, error) {
	f := &folder{policies: map[string]string{}}
	files, err := filepath.Glob(filepath.Join(dir, policiesFolder, "*.yaml"))
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		source, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		doc, problems := policy.Parse(source, nil)
		if doc == nil || !policy.Usable(problems) {
			return nil, fmt.Errorf(
				"%s: %w",
				file,
				&client.Problem{Detail: "the policy cannot be used", Problems: problems},
			)
		}
		if _, twice := f.policies[doc.Name]; twice {
			return nil, fmt.Errorf("%s: another file has the policy %q too", file, doc.Name)
		}
		f.policies[doc.Name] = string(source)
	}
	if err := readList(filepath.Join(dir, groupsFile), &f.groups); err != nil {
		return nil, err
	}
	if err := readList(filepath.Join(dir, assignmentsFile), &f.assignments); err != nil {
		return nil, err
	}
	if len(files) == 0 && f.groups == nil && f.assignments == nil {
		return nil, fmt.Errorf(
			"%s has none of %s/*.yaml, %s and %s; write them with: rankwarden export %s",
			dir,
			policiesFolder,
			groupsFile,
			assignmentsFile,
			dir,
		)
	}
	return f, nil
}

// readList reads a list from a YAML file. A file that is not there leaves the list nil, which means "not said"; an
// empty one makes it an empty list, which means "none". Unknown keys are errors.
func readList[T any](path string, into *[]T) error {
	source, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	decoder := yaml.NewDecoder(bytes.NewReader(source))
	decoder.KnownFields(true)
	if err := decoder.Decode(into); err != nil && !errors.Is(err, io.EOF) {
		return fmt.Errorf("%s: %w", path, err)
	}
	if *into == nil {
		*into = []T{}
	}
	return nil
}

// inForce reads what the service has in force.
func inForce(ctx context.Context, c *client.Client) (*folder, error) {
	f := &folder{
		policies:    map[string]string{},
		versions:    map[string]int64{},
		groups:      []folderGroup{},
		assignments: []folderAssignment{},
	}
	policies, err := client.All(
		0,
		func(p client.Page) (client.List[api.PolicySummary], error) { return c.Policies(ctx, "", p) },
	)
	if err != nil {
		return nil, err
	}
	for _, p := range policies {
		draft, err := c.Policy(ctx, p.Name)
		if err != nil {
			return nil, err
		}
		f.versions["policy "+p.Name] = draft.Version
		if p.Revision == 0 {
			continue
		}
		r, err := c.Revision(ctx, p.Name, p.Revision)
		if err != nil {
			return nil, err
		}
		f.policies[p.Name] = r.Source
	}
	groups, err := client.All(
		0,
		func(p client.Page) (client.List[api.GroupSummary], error) { return c.Groups(ctx, "", p) },
	)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		body, version, err := groupNow(ctx, c, g.Name)
		if err != nil {
			return nil, err
		}
		f.versions["group "+g.Name] = version
		f.groups = append(f.groups, folderGroup{g.Name, body.Description, body.Rule, body.Devices})
	}
	assignments, err := client.All(
		0,
		func(p client.Page) (client.List[api.Assignment], error) { return c.Assignments(ctx, "", p) },
	)
	for _, x := range assignments {
		f.versions["assignment "+x.Name] = x.Version
		f.assignments = append(
			f.assignments,
			folderAssignment{x.Name, x.Policy, x.Include, x.Exclude, x.Within, x.Rank, x.Stance},
		)
	}
	return f, err
}

// difference are the edits that make what is in force what the files say. What the files do not have stays, unless it
// is to be removed too; a policy is never removed.
func difference(files, now *folder, remove bool) (edits []api.ChangeEdit) {
	for _, g := range files.groups {
		at := slices.IndexFunc(now.groups, func(x folderGroup) bool { return x.Name == g.Name })
		if at >= 0 && sameGroup(g, now.groups[at]) {
			continue
		}
		edits = append(edits, api.ChangeEdit{Kind: "group", Name: g.Name, BasedOn: now.versions["group "+g.Name],
			Group: &api.GroupBody{Description: g.Description, Rule: g.Rule, Devices: g.Devices}})
	}
	for _, name := range coretext.Set(keysOf(files.policies)) {
		if files.policies[name] != now.policies[name] {
			edits = append(edits, api.ChangeEdit{Kind: "publish", Name: name, Document: files.policies[name],
				BasedOn: now.versions["policy "+name]})
		}
	}
	for _, x := range files.assignments {
		at := slices.IndexFunc(now.assignments, func(y folderAssignment) bool { return x.Name == y.Name })
		if at >= 0 && sameAssignment(x, now.assignments[at]) {
			continue
		}
		edits = append(edits, api.ChangeEdit{
			Kind:    "assign",
			Name:    x.Name,
			BasedOn: now.versions["assignment "+x.Name],
			Assignment: &api.Aim{
				Policy: x.Policy, Include: x.Include, Exclude: x.Exclude, Within: x.Within, Rank: assign.Rank(x.Rank),
				Stance: assign.Stance(stanceOf(x))},
		})
	}
	if !remove {
		return edits
	}
	for _, y := range now.assignments {
		if files.assignments != nil &&
			!slices.ContainsFunc(files.assignments, func(x folderAssignment) bool { return x.Name == y.Name }) {
			edits = append(
				edits,
				api.ChangeEdit{Kind: "withdraw", Name: y.Name, BasedOn: now.versions["assignment "+y.Name]},
			)
		}
	}
	for _, h := range now.groups {
		if files.groups != nil &&
			!slices.ContainsFunc(files.groups, func(g folderGroup) bool { return g.Name == h.Name }) {
			edits = append(
				edits,
				api.ChangeEdit{Kind: "drop_group", Name: h.Name, BasedOn: now.versions["group "+h.Name]},
			)
		}
	}
	return edits
}

func keysOf[T any](m map[string]T) (keys []string) {
	for key := range m {
		keys = append(keys, key)
	}
	return keys
}

func sameGroup(a, b folderGroup) bool {
	folded := func(devices []string) []string { return coretext.Set(namesOf(devices, coretext.Fold)) }
	return a.Description == b.Description && a.Rule == b.Rule && slices.Equal(folded(a.Devices), folded(b.Devices))
}

func stanceOf(x folderAssignment) string {
	if x.Stance == "" {
		return "enforce"
	}
	return x.Stance
}

func sameAssignment(a, b folderAssignment) bool {
	same := func(x, y []string) bool { return slices.Equal(coretext.Set(x), coretext.Set(y)) }
	return a.Policy == b.Policy && a.Rank == b.Rank && stanceOf(a) == stanceOf(b) && same(a.Include, b.Include) &&
		same(a.Exclude, b.Exclude) && same(a.Within, b.Within)
}

// write writes the folder. Files of the same names are replaced; others stay.
func (f *folder) write(dir string) error {
	if err := os.MkdirAll(filepath.Join(dir, policiesFolder), 0o755); err != nil {
		return err
	}
	for name, source := range f.policies {
		if err := os.WriteFile(filepath.Join(dir, policiesFolder, name+".yaml"), []byte(source), 0o644); err != nil {
			return err
		}
	}
	groups := slices.Clone(f.groups)
	for i := range groups {
		groups[i].Devices = slices.Clone(groups[i].Devices)
		slices.Sort(groups[i].Devices)
	}
	if err := writeList(filepath.Join(dir, groupsFile), "# Groups of devices: listed, or by a rule.\n",
		groups); err != nil {
		return err
	}
	return writeList(
		filepath.Join(dir, assignmentsFile),
		"# Who gets what, strongest first. Rank 1 outranks 2.\n",
		f.assignments,
	)
}

func writeList[T any](path, head string, list []T) error {
	var out bytes.Buffer
	out.WriteString(head)
	encoder := yaml.NewEncoder(&out)
	encoder.SetIndent(2)
	if err := encoder.Encode(list); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}
