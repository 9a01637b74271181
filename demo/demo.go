// Package demo is Skerry Line, an invented ferry operator on invented islands: its policies, groups,
// assignments and devices, and the people who interfere with them.
package demo

import (
	"embed"
	"fmt"
	"io/fs"
	"path"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/api"
)

//go:embed policies/*.yaml assignments.yaml directory.ldif
var files embed.FS

// Organisation is the name of the invented organisation.
const Organisation = "Skerry Line"

// Owner is the name of the demo's first operator.
const Owner = "harbourmaster"

// Author drafts changes, Deployer takes them out, and Night and Desk help people on the telephone.
const (
	Night    = "nightwatch"
	Desk     = "kirkness.desk"
	Author   = "chartroom"
	Deployer = "pilot"
)

// Operators work beside the owner.
var Operators = []struct {
	Name  string
	Roles []api.Role
}{
	{Night, []api.Role{{Role: "support", Groups: []string{}}}},
	{Desk, []api.Role{{Role: "support", Groups: []string{"ticket-desks"}}}},
	{Author, []api.Role{{Role: "author", Groups: []string{}}}},
	{Deployer, []api.Role{{Role: "deployer", Groups: []string{}}}},
}

// Assignment aims a policy at groups.
type Assignment struct {
	Name    string   `yaml:"name"`
	Policy  string   `yaml:"policy"`
	Include []string `yaml:"include"`
	Exclude []string `yaml:"exclude"`
	Within  []string `yaml:"within"`
	Rank    int      `yaml:"rank"`
	Stance  string   `yaml:"stance"`
}

// Directory is the LDIF file with people and groups.
func Directory() ([]byte, error) {
	data, err := files.ReadFile("directory.ldif")
	if err != nil {
		return nil, fmt.Errorf("demo directory: %w", err)
	}
	return data, nil
}

// Policies are the documents, by file name.
func Policies() ([]string, error) {
	names, err := fs.Glob(files, "policies/*.yaml")
	if err != nil {
		return nil, fmt.Errorf("demo policies: %w", err)
	}
	sources := make([]string, len(names))
	for i, name := range names {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, fmt.Errorf("demo policy %s: %w", path.Base(name), err)
		}
		sources[i] = string(data)
	}
	return sources, nil
}

// Assignments are who gets what.
func Assignments() ([]Assignment, error) {
	data, err := files.ReadFile("assignments.yaml")
	if err != nil {
		return nil, fmt.Errorf("demo assignments: %w", err)
	}
	var list []Assignment
	if err := yaml.Unmarshal(data, &list); err != nil {
		return nil, fmt.Errorf("demo assignments: %w", err)
	}
	return list, nil
}
