package scenario

import (
	"errors"
	"fmt"

	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/whatif"
)

// edit is one edit of a change as it is written: an object of one key.
type edit struct {
	Publish   *document   `json:"publish"    yaml:"publish"`
	Assign    *assignment `json:"assign"     yaml:"assign"`
	Withdraw  *string     `json:"withdraw"   yaml:"withdraw"`
	Group     *group      `json:"group"      yaml:"group"`
	DropGroup *string     `json:"drop_group" yaml:"drop_group"`
}

// ErrNoChange is the error for a scenario without a change where one is needed.
var ErrNoChange = errors.New(`the file has no "change:"; add a list of edits, such as "- withdraw: NAME"`)

// changes reads the change of the file. That an edit names what is not there is found when it is applied.
func (f *file) changes(s *Scenario) error {
	if f.Change != nil {
		s.Change = []change.Step{}
	}
	index := indexes(s)
	for i, e := range f.Change {
		where := fmt.Sprintf("change[%d]", i)
		made, err := e.build(where, s, index)
		if err != nil {
			return err
		}
		s.Change = append(s.Change, made)
	}
	return nil
}

func (e *edit) build(where string, s *Scenario, index map[string]int) (made change.Step, err error) {
	keys := 0
	if e.Publish != nil {
		keys++
		doc, problems := e.Publish.parse(s.Directory)
		if !policy.Usable(problems) {
			return made, fail(where+".publish", "%w:%s", ErrPolicy, errorLines(problems))
		}
		made = change.Step{Kind: change.Publish, Name: doc.Name, Policy: doc}
	}
	if e.Assign != nil {
		keys++
		a, err := e.Assign.build(where + ".assign")
		if err != nil {
			return made, err
		}
		s.warn(where+".assign", a)
		made = change.Step{Kind: change.Assign, Name: a.Name, Assignment: &a}
	}
	if e.Withdraw != nil {
		keys++
		made = change.Step{Kind: change.Withdraw, Name: *e.Withdraw}
	}
	if e.Group != nil {
		keys++
		g, err := e.Group.build(where+".group", index)
		if err != nil {
			return made, err
		}
		made = change.Step{Kind: change.Group, Name: g.Name, Group: &g}
	}
	if e.DropGroup != nil {
		keys++
		made = change.Step{Kind: change.DropGroup, Name: *e.DropGroup}
	}
	if keys != 1 {
		return made, fail(
			where,
			"an edit has exactly one of publish, assign, withdraw, group and drop_group, and this one has %d",
			keys,
		)
	}
	return made, nil
}

// Preview says what the change of the scenario would do, with what is independent done as each does. The error is
// [ErrNoChange], or a [change.Error] that says which edit cannot be made.
func (s *Scenario) Preview(each fleet.Each) (*preview.Preview, error) {
	before, after, err := s.futures(each)
	if err != nil {
		return nil, err
	}
	return s.previewed(before, after, each), nil
}

func (s *Scenario) previewed(before, after *plan.Plan, each fleet.Each) *preview.Preview {
	return preview.Run(before, after, s.known, each)
}

// Count is the sums of [Scenario.Preview] alone, with its errors.
func (s *Scenario) Count(each fleet.Each) (*preview.Tally, error) {
	before, after, err := s.futures(each)
	if err != nil {
		return nil, err
	}
	return preview.Count(before, after, s.known, each), nil
}

func (s *Scenario) futures(each fleet.Each) (before, after *plan.Plan, err error) {
	if s.Change == nil {
		return nil, nil, ErrNoChange
	}
	edited, err := change.Apply(s.Inputs, s.Change)
	if err != nil {
		return nil, nil, err
	}
	before = plan.Run(s.Inputs, each)
	return before, plan.RunAfter(before, edited, each), nil
}

// WhatIf says what would become of the devices with other facts, by index, and without some people of the directory.
func (s *Scenario) WhatIf(facts map[int]fleet.Facts, gone []principal.Ref, each fleet.Each) *preview.Preview {
	return s.previewed(plan.Run(s.Inputs, each), plan.Run(whatif.With(s.Inputs, facts, gone), each), each)
}

func (s *Scenario) known(device int) preview.Device {
	if report := s.Reports[device]; report != nil {
		return preview.Device{State: &report.State, Warrants: s.running(device)}
	}
	return preview.Device{Warrants: s.running(device)}
}
