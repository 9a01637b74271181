package api

import (
	"time"

	"rankwarden.example/core/edit"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
)

// Standings are numbers of devices.
type Standings struct {
	InStep  int `json:"in_step"`
	Drifted int `json:"drifted"`
	Waiting int `json:"waiting"`
	Held    int `json:"held"`
	Silent  int `json:"silent"`
}

// PolicySummary is a policy in a list.
type PolicySummary struct {
	Name        string       `json:"name"`
	Title       string       `json:"title"`
	Revision    int          `json:"revision" doc:"Latest published revision, 0 before the first"`
	UpdatedAt   time.Time    `json:"updated_at"`
	UpdatedBy   string       `json:"updated_by"`
	Assignments []Assignment `json:"assignments" nullable:"false" doc:"Where it is used"`
	Standings   Standings    `json:"standings" doc:"How the devices stand that it reaches; one counts once for each assignment"`
}

// Policy is a policy with its draft.
type Policy struct {
	Name      string           `json:"name"`
	Title     string           `json:"title"`
	Source    string           `json:"source" doc:"The draft, in YAML or JSON"`
	Version   int64            `json:"version" doc:"Counts edits; the ETag"`
	Revision  int              `json:"revision" doc:"Latest published revision, 0 before the first"`
	UpdatedAt time.Time        `json:"updated_at"`
	UpdatedBy string           `json:"updated_by"`
	Problems  []policy.Problem `json:"problems" nullable:"false" doc:"Warnings of the draft"`
}

// PolicyCheck is what is wrong with a document, and what it asks for.
type PolicyCheck struct {
	Problems []policy.Problem  `json:"problems" nullable:"false"`
	Asks     []present.Line    `json:"asks" nullable:"false" doc:"Unit by unit, in words; empty while the document has errors"`
	Exists   []ExistingAccount `json:"exists" nullable:"false" doc:"Accounts that no policy manages and that exist already on devices in reach, so that the policy would take them over"`
}

// ExistingAccount says that devices have an account that a policy would take over.
type ExistingAccount struct {
	Key     string `json:"key" doc:"Of the account of the policy"`
	Name    string `json:"name"`
	Devices int    `json:"devices" doc:"In reach, with an account of this name or of a former name"`
}

// Publication says what a publish did.
type Publication struct {
	Policy   string   `json:"policy"`
	Revision int      `json:"revision"`
	Moved    []string `json:"moved" nullable:"false" doc:"Assignments that now have this revision in force, for all of their devices at once"`
}

// Revision is a published document.
type Revision struct {
	Number      int       `json:"number"`
	Source      string    `json:"source,omitempty" doc:"Not in lists"`
	PublishedAt time.Time `json:"published_at"`
	PublishedBy string    `json:"published_by"`
}

// Document is a policy document in a request.
type Document struct {
	Source string `json:"source" maxLength:"262144" doc:"The document, in YAML or JSON"`
}

// Group is a group of devices: listed, or by a rule.
type Group struct {
	Name        string `json:"name"`
	Description string `json:"description"`
	Rule        string `json:"rule" doc:"Expression over device facts; empty for a listed group"`
	Version     int64  `json:"version" doc:"Counts edits; the ETag"`
}

// GroupSummary is a group in a list.
type GroupSummary struct {
	Group
	Listed   int `json:"listed" doc:"Names in the group"`
	Enrolled int `json:"enrolled" doc:"Of those, the names of devices that are enrolled"`
}

// GroupMember is a name in a group.
type GroupMember struct {
	Device   string `json:"device" doc:"Its name, folded while no such device is enrolled"`
	DeviceID string `json:"device_id,omitempty" doc:"Once such a device is enrolled"`
	Certain  bool   `json:"certain" doc:"False when a fact that the rule reads is not known"`
}

// Assignment is an assignment with the revision it has in force.
type Assignment struct {
	Name     string   `json:"name"`
	Policy   string   `json:"policy"`
	Revision int      `json:"revision" doc:"The revision in force"`
	Include  []string `json:"include" nullable:"false"`
	Exclude  []string `json:"exclude" nullable:"false"`
	Within   []string `json:"within" nullable:"false"`
	Rank     int      `json:"rank" doc:"1 (strongest) to 9999 (weakest)"`
	Stance   string   `json:"stance" enum:"enforce,trial"`
	Version  int64    `json:"version" doc:"Counts edits; the ETag"`
}

// Aim is what an assignment is to be.
type Aim = edit.Aim

// RuleTrial says for which devices a rule holds.
type RuleTrial struct {
	Holds    int      `json:"holds" doc:"Devices for which it holds"`
	Unknown  int      `json:"unknown" doc:"Devices of which a fact that the rule reads is not known"`
	Examples []string `json:"examples" nullable:"false" doc:"Names of some for which it holds"`
	Reads    []string `json:"reads" nullable:"false" doc:"Facts that the rule reads"`
}
