package scenario

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// file is a scenario as it is written.
type file struct {
	Format      string        `json:"format"       yaml:"format"`
	At          *time.Time    `json:"at"           yaml:"at"`
	Directory   []entry       `json:"directory"    yaml:"directory"`
	Groups      []group       `json:"groups"       yaml:"groups"`
	Policies    []document    `json:"policies"     yaml:"policies"`
	PolicyFiles []string      `json:"policy_files" yaml:"policy_files"`
	Assignments []assignment  `json:"assignments"  yaml:"assignments"`
	Devices     []device      `json:"devices"      yaml:"devices"`
	Change      []edit        `json:"change"       yaml:"change"`
	Rollout     *rolloutFile  `json:"rollout"      yaml:"rollout"`
	Warrants    []warrantFile `json:"warrants"    yaml:"warrants"`
	Notes       string        `json:"notes"        yaml:"notes"`

	listed devices // in place of Devices, where they were read one by one
}

type entry struct {
	Ref  string `json:"ref"  yaml:"ref"`
	SID  string `json:"sid"  yaml:"sid"`
	GUID string `json:"guid" yaml:"guid"`
}

type group struct {
	Name    string   `json:"name"    yaml:"name"`
	Devices []string `json:"devices" yaml:"devices"`
	Rule    *string  `json:"rule"    yaml:"rule"`
}

type assignment struct {
	Name    string   `json:"name"    yaml:"name"`
	Policy  string   `json:"policy"  yaml:"policy"`
	Include []string `json:"include" yaml:"include"`
	Exclude []string `json:"exclude" yaml:"exclude"`
	Within  []string `json:"within"  yaml:"within"`
	Rank    int      `json:"rank"    yaml:"rank"`
	Stance  string   `json:"stance"  yaml:"stance"`
}

// document is a policy that stands inside the scenario.
type document struct {
	json []byte
	node *yaml.Node
}

func (d *document) UnmarshalJSON(data []byte) error { d.json = bytes.Clone(data); return nil }

func (d *document) UnmarshalYAML(node *yaml.Node) error { d.node = node; return nil }

func (d document) parse(directory principal.Directory) (*policy.Document, []policy.Problem) {
	if d.node != nil {
		return policy.ParseNode(d.node, directory)
	}
	return policy.Parse(d.json, directory)
}

// report is what a device reported, in the format of its own.
type report drift.Report

func (r *report) UnmarshalYAML(node *yaml.Node) error {
	var any any
	if err := node.Decode(&any); err != nil {
		return err
	}
	data, err := json.Marshal(any)
	if err != nil {
		return fmt.Errorf("line %d: %w", node.Line, err)
	}
	if err := r.UnmarshalJSON(data); err != nil {
		return fmt.Errorf("line %d: reported: %w", node.Line, err)
	}
	return nil
}

func (r *report) UnmarshalJSON(data []byte) error {
	return json.Unmarshal(data, (*drift.Report)(r))
}

// Open reads a policy file that a scenario names, by its path relative to the scenario.
type Open func(path string) ([]byte, error)

// Read reads a scenario in YAML 1.2 or JSON. A policy with errors keeps it from being used, with
// all of them in the error; policies are read from other files through open.
func Read(source []byte, open Open) (*Scenario, error) {
	f := &file{}
	if err := decode(source, f); err != nil {
		return nil, err
	}
	if f.Format != Format {
		return nil, fail("format", "%q is not a format this version reads; write %q", f.Format, Format)
	}
	return f.build(open)
}

func decode(source []byte, into *file) error {
	if trimmed := bytes.TrimLeft(source, " \t\r\n"); len(trimmed) > 0 && trimmed[0] == '{' {
		return decodeJSON(source, into)
	}
	decoder := yaml.NewDecoder(bytes.NewReader(source))
	decoder.KnownFields(true)
	err := decoder.Decode(into)
	var several *yaml.TypeError
	switch {
	case errors.Is(err, io.EOF):
		return fail("line 1", "the file is empty; begin with \"format: %s\"", Format)
	case errors.As(err, &several):
		return errors.New(strings.Join(several.Errors, "\n"))
	case err != nil:
		return errors.New(strings.TrimPrefix(err.Error(), "yaml: "))
	}
	return nil
}

var keys = strings.Fields(
	`format at directory groups policies policy_files assignments devices change publish assign withdraw group drop_group notes ref sid guid
	name rule policy include exclude within rank stance platform os_version os_build model serial path tags primary_user user_groups reported
	rollout first shares gate events verified failed soak at do by reason give_back settings working guard_refused held online silent heard joins leaves`,
)

func line(source []byte, offset int64) string {
	return fmt.Sprintf("line %d", 1+bytes.Count(source[:min(max(offset, 0), int64(len(source)))], []byte("\n")))
}
