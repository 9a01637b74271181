package api

import (
	"encoding/json"
	"time"
)

// EnrolmentToken lets devices enrol.
type EnrolmentToken struct {
	ID        string    `json:"id"`
	Note      string    `json:"note"`
	UsesLeft  int       `json:"uses_left"`
	Groups    []string  `json:"groups" nullable:"false" doc:"Groups that devices join as they enrol"`
	Path      string    `json:"path" doc:"Organisation fact that devices get as they enrol"`
	Tags      []string  `json:"tags" nullable:"false" doc:"Organisation fact that devices get as they enrol"`
	CreatedBy string    `json:"created_by"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Revoked   bool      `json:"revoked"`
}

// NewEnrolmentToken is a token as devices need it; it is shown this once.
type NewEnrolmentToken struct {
	EnrolmentToken
	Token string `json:"token" doc:"Give it to the device's agent; it carries the fingerprint of the service's root key"`
}

// Device is a device in a list.
type Device struct {
	ID                 string     `json:"id"`
	Name               string     `json:"name"`
	State              string     `json:"state" enum:"live,claiming,refused,retired"`
	Standing           string     `json:"standing" enum:"in_step,drifted,waiting,held,silent"`
	Platform           string     `json:"platform"`
	OSVersion          string     `json:"os_version"`
	OSBuild            int        `json:"os_build"`
	AgentVersion       string     `json:"agent_version" doc:"Of the agent, as it says; empty until it says one"`
	Model              string     `json:"model"`
	Serial             string     `json:"serial"`
	Path               string     `json:"path" doc:"Organisation fact, like north/kirkness/desk"`
	Tags               []string   `json:"tags" nullable:"false" doc:"Organisation fact"`
	PrimaryUser        string     `json:"primary_user" doc:"Organisation fact"`
	PrimaryUserLearned bool       `json:"primary_user_learned" doc:"From who signs in there on most days, and set by nobody"`
	UserGroups         []string   `json:"user_groups" nullable:"false" doc:"Groups of the directory that the primary user is in, directly or through others, as rules read them"`
	NameRefused        string     `json:"name_refused" doc:"What the workstation is called, where another device has or keeps that name; empty where it has the name of the device"`
	RepeatedlyReverted []string   `json:"repeatedly_reverted" nullable:"false" doc:"Units that something keeps changing back: the device corrected them three times within a day"`
	OpenFindings       int        `json:"open_findings"`
	HeldUnits          int        `json:"held_units"`
	Desired            int64      `json:"desired" doc:"Number of the newest desired state, 0 before the first"`
	Reported           int64      `json:"reported" doc:"Number of the desired state that the last report names"`
	LastContact        *time.Time `json:"last_contact"`
	DesiredAt          *time.Time `json:"desired_at"`
	ReportedAt         *time.Time `json:"reported_at"`
	VerifiedAt         *time.Time `json:"verified_at" doc:"When it was verified against the newest desired state; null while it was not"`
	EnrolledAt         time.Time  `json:"enrolled_at"`
	Retired            *Retired   `json:"retired" doc:"Why and when; null while it is not, or where it was not kept"`
}

// UnitWhy is one setting of a device: its desired and reported value, and what decided it.
type UnitWhy struct {
	Unit      string        `json:"unit"`
	Section   string        `json:"section" doc:"Heading to show it under"`
	Title     string        `json:"title"`
	Desired   string        `json:"desired" doc:"The desired value, in words"`
	Reported  string        `json:"reported" doc:"The reported value, in words"`
	DecidedBy string        `json:"decided_by" doc:"How it was settled, in words"`
	Verdict   string        `json:"verdict" enum:",sole,agreed,ranked,stricter,merged,contested" doc:"Empty when not set by any assignment now"`
	Rank      int           `json:"rank" doc:"Rank of the assignments that decided; 0 when contested"`
	Value     any           `json:"value" doc:"The settled value; null when contested"`
	From      []string      `json:"from" nullable:"false"`
	Over      []Loser       `json:"over" nullable:"false"`
	Held      string        `json:"held" doc:"Why it may not change, in words; empty when it may"`
	InStep    bool          `json:"in_step" doc:"Reported, and as desired"`
	Findings  []UnitFinding `json:"findings" nullable:"false"`
	// RepeatedlyReverted and Trial are beside what is enforced.
	RepeatedlyReverted bool       `json:"repeatedly_reverted" doc:"Repeatedly reverted; the device retries once an hour"`
	Trial              *UnitTrial `json:"trial" doc:"What trial assignments would make of it; null when nothing would change"`
	// Warrants are laid over what is desired.
	Warrants []UnitWarrant `json:"warrants" nullable:"false" doc:"Rights for a time that run"`
}

// UnitWarrant is a right for a time in a local group of a device.
type UnitWarrant struct {
	Principal string    `json:"principal"`
	Until     time.Time `json:"until"`
	Effect    string    `json:"effect" enum:"added,already,overruled" doc:"Against what is desired"`
	Words     string    `json:"words"`
}

// UnitTrial is what trial assignments would make of a unit.
type UnitTrial struct {
	Desired   string   `json:"desired" doc:"In words"`
	DecidedBy string   `json:"decided_by" doc:"How it would be settled, in words"`
	Verdict   string   `json:"verdict" enum:"sole,agreed,ranked,stricter,merged,contested"`
	Value     any      `json:"value" doc:"Null when contested"`
	Effects   []Effect `json:"effects" nullable:"false" doc:"The forecast: what enforcing it would do, as in a preview"`
}

// Loser is an assignment that claimed the setting and did not decide it.
type Loser struct {
	Assignment string `json:"assignment"`
	Rank       int    `json:"rank"`
	Claim      string `json:"claim" doc:"What it claims, in words"`
	Why        string `json:"why" doc:"Why it did not decide, in words"`
}

// UnitFinding is a finding on a unit.
type UnitFinding struct {
	Kind    string     `json:"kind"`
	Subject string     `json:"subject"`
	Words   string     `json:"words" doc:"What differs, in one sentence"`
	Drifts  bool       `json:"drifts" doc:"Whether it makes the device drifted while it is open"`
	Waived  *time.Time `json:"waived" doc:"Until when it is accepted; null when it is not"`
}

// Account is a local account as reported.
type Account struct {
	Name     string     `json:"name"`
	SID      string     `json:"sid"`
	Builtin  string     `json:"builtin"`
	Key      string     `json:"key" doc:"Of the managed account that it is; empty for others"`
	FullName string     `json:"full_name"`
	Enabled  bool       `json:"enabled"`
	Locked   bool       `json:"locked"`
	Until    *time.Time `json:"locked_until"`
}

// LocalGroup is a local group as reported.
type LocalGroup struct {
	Name    string   `json:"name"`
	SID     string   `json:"sid"`
	Members []string `json:"members" nullable:"false" doc:"References, such as local:keeper"`
}

// DeviceWhy is everything on a device's page.
type DeviceWhy struct {
	At          *time.Time      `json:"at" doc:"The time as of which the device is explained; null for now"`
	Device      Device          `json:"device"`
	Notes       []string        `json:"notes" nullable:"false" doc:"What holds at the moment beside the settings, in words: a freeze, a database that went back"`
	Assignments []DeviceAim     `json:"assignments" nullable:"false"`
	Units       []UnitWhy       `json:"units" nullable:"false"`
	Problems    []DeviceProblem `json:"problems" nullable:"false"`
	Accounts    []Account       `json:"accounts" nullable:"false"`
	LocalGroups []LocalGroup    `json:"local_groups" nullable:"false"`
	Orders      []Order         `json:"orders" nullable:"false" doc:"Latest orders of the device"`
	Happened    []Event         `json:"events" nullable:"false" doc:"Latest events of the device"`
	Events      []Finding       `json:"history" nullable:"false" doc:"Latest findings, open and closed"`
}

// DeviceAim is an assignment that may include a device.
type DeviceAim struct {
	Assignment string `json:"assignment"`
	Policy     string `json:"policy"`
	Revision   int    `json:"revision"`
	Rank       int    `json:"rank"`
	Stance     string `json:"stance" enum:"enforce,trial"`
	Reason     string `json:"reason" enum:"included,excluded,outside,undecided" doc:"It applies when included"`
}

// DeviceProblem is a problem of the settled whole.
type DeviceProblem struct {
	Code     string `json:"code"`
	Severity string `json:"severity" enum:"error,warning"`
	Unit     string `json:"unit"`
	Words    string `json:"words" doc:"What is wrong, and the way out"`
}

// Finding is a finding in a list.
type Finding struct {
	ID          int64           `json:"id"`
	Device      string          `json:"device"`
	DeviceID    string          `json:"device_id"`
	Unit        string          `json:"unit"`
	UnitTitle   string          `json:"unit_title"`
	Kind        string          `json:"kind"`
	Subject     string          `json:"subject"`
	Words       string          `json:"words" doc:"What differs, in one sentence"`
	Drifts      bool            `json:"drifts" doc:"Whether it makes the device drifted while it is open"`
	Expected    json.RawMessage `json:"expected"`
	Actual      json.RawMessage `json:"actual"`
	Via         string          `json:"via" doc:"By what somebody is a member, such as sudoers.d/dave, or what makes a rule come to something else; empty where the device does not say"`
	Assignments []string        `json:"assignments" nullable:"false" doc:"Whose rule it breaks"`
	State       string          `json:"state" enum:"open,waived,closed,corrected"`
	FirstSeen   time.Time       `json:"first_seen"`
	LastSeen    time.Time       `json:"last_seen"`
	ClosedAt    *time.Time      `json:"closed_at"`
	CameBack    int             `json:"came_back" doc:"How often the same difference was found on the device before, and was settled or corrected"`
	LastState   string          `json:"last_state" doc:"That it was closed with the last time; empty for one that did not come back"`
	LastClosed  *time.Time      `json:"last_closed" doc:"When that was the last time; null for one that did not come back"`
}

// Happened is one thing that is known of a setting of a device.
type Happened struct {
	At       time.Time `json:"at"`
	What     string    `json:"what" enum:"found,closed,corrected,event,viewed,warrant" doc:"event: the device says so; viewed: an operator saw a password of the device; warrant: somebody was given the rights of the local group for a time"`
	Words    string    `json:"words"`
	Operator string    `json:"operator" doc:"Who saw a password; empty for others"`
}

// SettingHistory is what happened to a setting of a device, latest first.
type SettingHistory struct {
	Title string     `json:"title" doc:"The setting as it is shown"`
	Items []Happened `json:"items" nullable:"false" doc:"Of the last 30 days, at most 200"`
}

// FindingSum is the number of findings of one unit and kind.
type FindingSum struct {
	Unit      string    `json:"unit"`
	UnitTitle string    `json:"unit_title"`
	Kind      string    `json:"kind"`
	Findings  int       `json:"findings"`
	Devices   int       `json:"devices"`
	Oldest    time.Time `json:"oldest"`
}

// FindingCount is the number of open findings of one assignment, group or device.
type FindingCount struct {
	Name     string    `json:"name"`
	Findings int       `json:"findings"`
	Devices  int       `json:"devices"`
	Oldest   time.Time `json:"oldest"`
}

// FindingCounts are the first of them.
type FindingCounts struct {
	Items []FindingCount `json:"items" nullable:"false" doc:"The most devices first, at most 100"`
	More  int            `json:"more" doc:"Number of those left out"`
}

// EventDetails are what more is known of an event; the kind says which of them are there.
type EventDetails struct {
	From    any        `json:"from,omitempty" doc:"Of value_set: the value of the setting before"`
	To      any        `json:"to,omitempty" doc:"Of value_set: the value of the setting after"`
	OldName string     `json:"old_name,omitempty" doc:"Of account_renamed, device_renamed and password_changed"`
	NewName string     `json:"new_name,omitempty"`
	Number  int64      `json:"number,omitempty" doc:"Of applied: the desired state; of device_restored: the epoch"`
	Time    *time.Time `json:"time,omitempty" doc:"Of account_locked: until when, absent until someone unlocks it; of rotation_stopped: the last rotation"`
	Reason  string     `json:"reason,omitempty" doc:"Of password_changed"`
	Error   string     `json:"error,omitempty" doc:"Of rotation_failed and set_aside: what the system or the service said"`
}

// Event is something that a device says happened on it.
type Event struct {
	ID       int64        `json:"id"`
	Device   string       `json:"device"`
	DeviceID string       `json:"device_id"`
	At       time.Time    `json:"at" doc:"In service time, as the device keeps it"`
	Kind     string       `json:"kind"`
	Unit     string       `json:"unit"`
	Subject  string       `json:"subject"`
	Details  EventDetails `json:"details"`
	Policy   string       `json:"policy" doc:"Whose rule it follows, with the revision; empty for none"`
	Words    string       `json:"words" doc:"What happened, in one sentence"`
}

// Order is an order of one device.
type Order struct {
	ID          int64      `json:"id"`
	Device      string     `json:"device"`
	DeviceID    string     `json:"device_id"`
	Kind        string     `json:"kind" enum:"check-in,re-apply,collect,unlock,end-sessions,rotate,disable-account,remove-account"`
	Subject     string     `json:"subject" doc:"The account that it concerns"`
	State       string     `json:"state" enum:"queued,delivered,done,failed,ended,replaced"`
	Detail      string     `json:"detail" doc:"What came of it, why it failed, or why it was not done yet"`
	Revealed    bool       `json:"revealed" doc:"The password is changed because it was shown"`
	CreatedBy   string     `json:"created_by"`
	CreatedAt   time.Time  `json:"created_at"`
	EndsAt      *time.Time `json:"expires_at" doc:"Null for never"`
	NotBefore   *time.Time `json:"not_before"`
	DeliveredAt *time.Time `json:"delivered_at"`
	FinishedAt  *time.Time `json:"finished_at"`
}

// OrderProgress says how far the orders are that were given together.
type OrderProgress struct {
	Batch  string         `json:"batch"`
	Given  int            `json:"given" doc:"Devices that have the order"`
	Ended  int            `json:"ended" doc:"Orders of which nothing more will come"`
	Silent int            `json:"silent" doc:"Queued ones that wait for a device which is silent"`
	By     map[string]int `json:"by" doc:"Numbers by state"`
}

// NewOrder says what devices are to do, and which.
type NewOrder struct {
	Kind    string   `json:"kind" enum:"check-in,re-apply,collect,unlock,end-sessions,rotate"`
	Subject string   `json:"subject,omitempty" doc:"For unlock, end-sessions and rotate: the account, such as account:keeper or local:counter. A rotate without one changes every password that a rule changes"`
	Devices []string `json:"devices,omitempty" maxItems:"5000" nullable:"false" doc:"Identifiers or names"`
	Group   string   `json:"group,omitempty" doc:"Every device of the group as well"`
}
