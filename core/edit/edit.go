// Package edit is the shape of one edit of a change: what a policy, an assignment or a group is to become.
package edit

import "rankwarden.example/core/assign"

// Kind says what an edit does.
type Kind string

// The kinds of edit.
const (
	Publish   Kind = "publish"    // a policy's next revision, or a new policy
	Assign    Kind = "assign"     // an assignment made, or replaced whole
	Withdraw  Kind = "withdraw"   // an assignment removed
	Group     Kind = "group"      // a group made, or replaced whole
	DropGroup Kind = "drop_group" // a group removed
)

// Type says what sort of thing an edit is about.
type Type string

// The types of things that can be edited.
const (
	Policies    Type = "policy"
	Assignments Type = "assignment"
	Groups      Type = "group"
)

// Type is what the edit is about.
func (k Kind) Type() Type {
	switch k {
	case Publish:
		return Policies
	case Assign, Withdraw:
		return Assignments
	}
	return Groups
}

// Edit is one edit of a change, in the one shape in which it is sent, stored and shown. Of Document, Assignment and
// Group that is set which its kind needs. Package change reads one, and makes of it what a plan takes.
type Edit struct {
	Kind       Kind       `json:"kind" enum:"publish,assign,withdraw,group,drop_group"`
	Name       string     `json:"name" minLength:"1" maxLength:"63" doc:"Of the policy, assignment or group"`
	BasedOn    int64      `json:"based_on" minimum:"0" doc:"Version of the thing that was read, 0 when it does not exist"`
	Document   string     `json:"document,omitempty" maxLength:"262144" doc:"Policy to publish, in YAML or JSON"`
	Assignment *Aim       `json:"assignment,omitempty"`
	Group      *GroupBody `json:"group,omitempty"`
}

// Aim is what an edit says of an assignment; its name is that of the edit.
type Aim assign.Assignment

// GroupBody is what a group is to be: listed, or by a rule; or with Amend who comes into a listed one, and who leaves.
type GroupBody struct {
	Description string   `json:"description,omitempty" maxLength:"500"`
	Devices     []string `json:"devices,omitempty" maxItems:"20000" nullable:"false" doc:"Names of devices, enrolled or not yet"`
	Rule        string   `json:"rule,omitempty" maxLength:"4096" doc:"Expression over device facts, instead of a list"`
	Amend       bool     `json:"amend,omitempty" doc:"Who is listed stays, but for add and remove"`
	Add         []string `json:"add,omitempty" maxItems:"20000" nullable:"false" doc:"Names that come into the list"`
	Remove      []string `json:"remove,omitempty" maxItems:"20000" nullable:"false" doc:"Names that leave the list"`
}

// Trimmed is the edit with what its kind needs and nothing else, so that nothing is stored and shown that does nothing.
func (e Edit) Trimmed() Edit {
	trimmed := Edit{Kind: e.Kind, Name: e.Name, BasedOn: e.BasedOn}
	switch e.Kind {
	case Publish:
		trimmed.Document = e.Document
	case Assign:
		trimmed.Assignment = e.Assignment
	case Group:
		trimmed.Group = e.Group
	}
	return trimmed
}

// Aimed is the assignment of an edit that has one, with its name.
func (e Edit) Aimed() *assign.Assignment {
	a := assign.Assignment(*e.Assignment)
	a.Name = e.Name
	return &a
}
