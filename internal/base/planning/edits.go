package planning

import (
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/store"
)

// Edit is one edit of a change, as it is stored. Of Document, Assignment and Group that is set which its kind needs.
type Edit struct {
	Kind       change.Kind
	Name       string
	Document   string // of the policy to publish
	Assignment assign.Assignment
	Group      EditedGroup
	BasedOn    int64 // version of the thing that its author read, 0 when it did not exist
	// Replaces is the version of the edit of the same thing that its author read, 0 when there was none; nil takes the
	// place of whatever is there.
	Replaces *int64
}

// body is what is stored of an edit.
type body struct {
	Document   string          `json:"document,omitempty"`
	Assignment *assignmentBody `json:"assignment,omitempty"`
	Group      *EditedGroup    `json:"group,omitempty"`
}

// assignmentBody is an assignment as it is stored in an edit.
type assignmentBody struct {
	Name    string        `json:"-"` // that of the edit
	Policy  string        `json:"policy"`
	Include []string      `json:"include"`
	Exclude []string      `json:"exclude"`
	Within  []string      `json:"within"`
	Rank    assign.Rank   `json:"rank"`
	Stance  assign.Stance `json:"stance"`
}

// Body is what is stored of an edit.
func (e Edit) Body() (string, error) {
	var b body
	switch e.Kind {
	case change.Publish:
		b.Document = e.Document
	case change.Assign:
		b.Assignment = new(assignmentBody(e.Assignment))
	case change.Group:
		b.Group = &e.Group
	}
	data, err := json.Marshal(b)
	if err != nil {
		return "", fmt.Errorf("storing an edit: %w", err)
	}
	return string(data), nil
}

// ReadEdit reads an edit as it is stored.
func ReadEdit(r store.ChangeEdit) (Edit, error) {
	e := Edit{Kind: change.Kind(r.Kind), Name: r.Name, BasedOn: r.BasedOn}
	var b body
	if err := json.Unmarshal([]byte(r.Body), &b); err != nil {
		return e, fmt.Errorf("reading an edit: %w", err)
	}
	e.Document = b.Document
	if b.Assignment != nil {
		e.Assignment = assign.Assignment(*b.Assignment)
		e.Assignment.Name = e.Name
	}
	if b.Group != nil {
		e.Group = *b.Group
		e.Group.Name = e.Name
	}
	return e, nil
}

// MaxGroupDevices is how many devices an edit may list in a group.
const MaxGroupDevices = 20_000

// EditedGroup is what a group is to be: listed, or by a rule.
type EditedGroup struct {
	Name        string   `json:"-"`
	Description string   `json:"description"`
	Devices     []string `json:"devices"`
	Rule        string   `json:"rule"`
}

// Names is what is needed of the records to know what edits name.
type Names interface {
	GroupsNamed(names []string) ([]store.Group, error)
	Policy(name string) (store.Policy, error)
}

// NamedByEdits are the things that edits bring in beside what is in force, and groups.
func NamedByEdits(tx Names, edits []change.Edit, groups []string) (Beside, error) {
	beside := Beside{Policies: map[string]PolicyInUse{}}
	for _, e := range edits {
		switch e.Kind {
		case change.Publish:
			beside.Principals = append(beside.Principals, e.Policy.Principals()...)
		case change.Assign:
			groups = append(groups, slices.Concat(e.Assignment.Include, e.Assignment.Exclude, e.Assignment.Within)...)
			p, err := tx.Policy(e.Assignment.Policy)
			if err == nil && p.Revision > 0 {
				beside.Policies[p.Name] = PolicyInUse{ID: p.ID, Revision: p.Revision}
			}
		case change.DropGroup:
			groups = append(groups, e.Name)
		}
	}
	found, err := tx.GroupsNamed(text.Set(groups))
	for _, g := range found {
		beside.Groups = append(beside.Groups, g.Name)
	}
	return beside, err
}

// Made is an edit as the core has it, for devices with an index by folded name. What it was checked for when it went
// into its change is not checked again; the error is for what cannot be read any more.
func (e Edit) Made(index map[string]int) (change.Edit, error) {
	made := change.Edit{Kind: e.Kind, Name: e.Name}
	switch e.Kind {
	case change.Publish:
		doc, problems := policy.Parse([]byte(e.Document), nil)
		if !policy.Usable(problems) {
			return made, fmt.Errorf("%s %s: the document cannot be read: %v", e.Kind, e.Name, problems)
		}
		made.Policy = doc
	case change.Assign:
		made.Assignment = &e.Assignment
	case change.Group:
		group := fleet.Group{Name: e.Name}
		if e.Group.Rule != "" {
			rule, err := fleet.ParseRule(e.Group.Rule)
			if err != nil {
				return made, fmt.Errorf("%s %s: %w", e.Kind, e.Name, err)
			}
			group.Rule = rule
		}
		for _, name := range e.Group.Devices {
			if at, enrolled := index[text.Fold(name)]; enrolled {
				group.Devices = append(group.Devices, at)
			}
		}
		made.Group = &group
	}
	return made, nil
}
