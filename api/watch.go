package api

import (
	"time"
)

// Mark is one device in a strip.
type Mark struct {
	Device   string `json:"device" doc:"Its name"`
	DeviceID string `json:"device_id"`
	Standing string `json:"standing" enum:"in_step,drifted,waiting,held,silent"`
}

// Strip is one group in the overview.
type Strip struct {
	Group     string    `json:"group"`
	Standings Standings `json:"standings"`
	Marks     []Mark    `json:"marks" nullable:"false" doc:"Its devices by name; empty when there are too many to name"`
	Field     string    `json:"field" doc:"Where they are not named: one letter a device, by name, which is s in step, d drifted, w waiting, h held, o silent; empty when there are too many to draw"`
}

// Decision is something that waits for an operator.
type Decision struct {
	Unit     string `json:"unit" doc:"Empty for a device that claims to be another"`
	Title    string `json:"title"`
	Detail   string `json:"detail" doc:"What is wrong and the way out"`
	Devices  int    `json:"devices"`
	Device   string `json:"device" doc:"Name of one of them"`
	DeviceID string `json:"device_id"`
	Kind     string `json:"kind" doc:"Equal ranks differ; an error holds it; somebody changes it back; a device waits for an owner; a second person must approve a reveal; no escrow key is live; a change cannot be settled; the service may have been restored from a backup; the directory lost entries in use; passwords have no recovery copy; the database went back; settling or rollouts are frozen; a waiver waits for a second person or is about to end; the audit trail was altered; the sealed owner was used; a change waits for a second person; the brake holds something; a wave is to open early; a key is to go live or retire; accounts are left behind; a warrant waits for somebody to agree; a sealed sheet waits for a second person; a recovery key was not tried for a while; two machines hold the key of a device; an agent is kept from its work" enum:"contested,held,reverted,claim,reveal,no_key,unsettled,restored,returned,frozen,directory,recovery,waiver,trail,sealed,change,brake,wave,key,left,warrant,sheet,drill,copied,trouble"`
	Object   string `json:"object" doc:"Name of the change, the rollout, the key, or what is held; empty for others"`
}

// HeldSetting is a setting that is held for one reason: devices keep what they were given last.
type HeldSetting struct {
	Unit      string   `json:"unit" doc:"* for every setting of the device"`
	UnitTitle string   `json:"unit_title"`
	Reason    string   `json:"reason" doc:"contested, or the code of the problem"`
	Words     string   `json:"words" doc:"What is wrong and the way out"`
	Between   []string `json:"between" doc:"Assignments because of which it is held" nullable:"false"`
	Devices   int      `json:"devices"`
	Device    string   `json:"device" doc:"Name of one of them"`
	DeviceID  string   `json:"device_id"`
}

// LockedAccount is an account that is locked after wrong passwords, as its device reported last.
type LockedAccount struct {
	Device      string     `json:"device"`
	DeviceID    string     `json:"device_id"`
	Name        string     `json:"name"`
	SID         string     `json:"sid"`
	LockedUntil *time.Time `json:"locked_until" doc:"Null until someone unlocks it"`
}

// Edit is something an operator or the service did.
type Edit struct {
	At       time.Time `json:"at"`
	Operator string    `json:"operator" doc:"Who did it; service for what the service did by itself"`
	Action   string    `json:"action"`
	Object   string    `json:"object"`
}

// Overview is the fleet now.
type Overview struct {
	At             time.Time        `json:"at"`
	Devices        int              `json:"devices"`
	Online         int              `json:"online" doc:"Heard from within three check-in intervals"`
	Verified       int              `json:"verified" doc:"Reported back on the newest desired state, with nothing that failed or differs"`
	OnlineReported int              `json:"online_reported" doc:"Of those online, that reported back on the newest desired state, whatever came of it"`
	OnlineVerified int              `json:"online_verified"`
	Unsettled      int              `json:"unsettled" doc:"Changes that are still being settled for their devices"`
	Standings      Standings        `json:"standings"`
	Strips         []Strip          `json:"strips" nullable:"false"`
	Decisions      []Decision       `json:"decisions" nullable:"false"`
	Edits          []Edit           `json:"edits" doc:"Of the last day" nullable:"false"`
	Versions       []AgentVersion   `json:"versions" doc:"Of the agents in use, by number of devices" nullable:"false"`
	Rollouts       []RolloutSummary `json:"rollouts" doc:"Under way" nullable:"false"`
	Findings       []Finding        `json:"findings" doc:"That came or were closed in the last day" nullable:"false"`
}

// AgentVersion is a version of the agent that devices run.
type AgentVersion struct {
	Version string `json:"version" doc:"Empty for devices that have not said one"`
	Devices int    `json:"devices"`
}

// Notice tells a listener what to read again. Devices names those that changed; when it is empty
// although the topic is there, any may have.
type Notice struct {
	Topics  []string `json:"topics" doc:"devices, reports, edits or rollouts"`
	Devices []string `json:"devices" doc:"Identifiers, at most 500"`
}

// AllReported reports whether nothing is being settled and every online device has reported back on the newest that is
// asked of it, whatever came of it.
func (o Overview) AllReported() bool {
	return o.Unsettled == 0 && o.Online > 0 && o.OnlineReported == o.Online
}

// StandingHour is how devices stood in an hour, the last time that it was looked at.
type StandingHour struct {
	Hour time.Time `json:"hour" doc:"Its beginning"`
	Standings
}
