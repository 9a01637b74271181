package api

import "time"

// RolloutTally counts devices of a rollout by what they made of the change.
type RolloutTally struct {
	NotOpen      int `json:"not_open" doc:"Their wave has not opened"`
	Told         int `json:"told" doc:"Not heard from since their wave opened"`
	Working      int `json:"working" doc:"Heard from, and not verified yet"`
	Verified     int `json:"verified" doc:"Read back, and as desired"`
	Failed       int `json:"failed" doc:"Could not carry it out"`
	GuardRefused int `json:"guard_refused" doc:"Would have lost the last administrator, and refused"`
	Held         int `json:"held" doc:"Settings need a decision"`
	Lost         int `json:"lost" doc:"Were online when told, and have been silent for three check-in intervals since; they count as failed"`
	Late         int `json:"late" doc:"Came when their wave was open already, and wait until the rollout is resumed"`
}

// Devices are all of them.
func (t RolloutTally) Devices() int {
	return t.NotOpen + t.Told + t.Working + t.Verified + t.Failed + t.GuardRefused + t.Held + t.Lost + t.Late
}

// RolloutSummary is a rollout in a list.
type RolloutSummary struct {
	Change    string       `json:"change" doc:"Name of the change that goes out"`
	Title     string       `json:"title"`
	State     string       `json:"state" enum:"running,paused,stopped,done,reverted"`
	StartedAt time.Time    `json:"started_at"`
	StartedBy string       `json:"started_by"`
	EndedAt   *time.Time   `json:"ended_at" doc:"When it was reverted, or its change was made for good"`
	Waves     int          `json:"waves"`
	OpenWaves int          `json:"open_waves" doc:"Waves that have been opened"`
	Tally     RolloutTally `json:"tally" doc:"Of its devices in reach"`
	Said      string       `json:"said" doc:"The last decision, in words"`
	Trouble   string       `json:"trouble" doc:"Why it cannot come to its end; empty for nothing"`
}

// Rollout is a change on its way to the devices.
type Rollout struct {
	RolloutSummary
	Reason    string            `json:"reason" doc:"Of the change"`
	Edited    bool              `json:"edited" doc:"The change was edited since: resuming takes it out as it is now"`
	Lanes     []Lane            `json:"lanes" nullable:"false" doc:"Its waves"`
	Decisions []RolloutDecision `json:"decisions" nullable:"false" doc:"The latest first"`
	Asked     *RolloutAsk       `json:"asked" doc:"Somebody wants the next wave to open early, for which a second person must agree; null when nobody has"`
}

// RolloutAsk is a request for a second person.
type RolloutAsk struct {
	By     string `json:"by"`
	Reason string `json:"reason"`
	Wave   int    `json:"wave" doc:"From 1"`
}

// Lane is one wave of a rollout.
type Lane struct {
	Wave     int           `json:"wave" doc:"From 1"`
	Title    string        `json:"title"`
	Devices  int           `json:"devices" doc:"In reach"`
	Tally    RolloutTally  `json:"tally" doc:"Of its devices in reach"`
	OpenedAt *time.Time    `json:"opened_at"`
	PassedAt *time.Time    `json:"passed_at"`
	Gate     []GateReading `json:"gate" nullable:"false" doc:"What its gate asks for, and what that stands at"`
	Marks    []LaneMark    `json:"marks" nullable:"false" doc:"Its devices by name; empty when there are too many to name"`
	Field    string        `json:"field" doc:"Where they are not named: one letter a device, by name, which is n not open, t not heard from, w working, v verified, f failed, g refused by the guard, h held, x lost, l waits to join; empty when there are too many to draw"`
	Stuck    string        `json:"stuck" doc:"Why it does not pass although it has soaked, and what can be done; empty while that need not be said"`
	Curve    []VerifiedBy  `json:"curve" nullable:"false" doc:"How many of its devices were verified by when"`
}

// LaneMark is a device in a lane.
type LaneMark struct {
	Device   string `json:"device"`
	DeviceID string `json:"device_id"`
	Outcome  string `json:"outcome" enum:"not_open,told,working,verified,failed,guard_refused,held,lost,late"`
}

// GateReading is a condition of a gate.
type GateReading struct {
	Condition string `json:"condition" enum:"verified,failed,guard_refused,heard,soak"`
	Met       bool   `json:"met"`
	Broken    bool   `json:"broken" doc:"It stops the rollout"`
	Words     string `json:"words" doc:"What it stands at and what it asks for; the latter alone where not all devices are in reach"`
}

// VerifiedBy is a point of time.
type VerifiedBy struct {
	Seconds float64 `json:"seconds" doc:"Since the wave opened"`
	Devices int     `json:"devices" doc:"Verified by then"`
}

// RolloutDecision is one decision, of a person or a gate.
type RolloutDecision struct {
	At    time.Time `json:"at"`
	By    string    `json:"by" doc:"Empty for a gate"`
	What  string    `json:"what" enum:"started,wave_opened,gate_passed,gate_stopped,paused,resumed,opened_early,asked_to_open,halted,many_join,finished,reverted"`
	Words string    `json:"words"`
}

// RolloutDevice is a device of a rollout.
type RolloutDevice struct {
	Device   string `json:"device"`
	DeviceID string `json:"device_id"`
	Wave     int    `json:"wave" doc:"From 1"`
	Outcome  string `json:"outcome" enum:"not_open,told,working,verified,failed,guard_refused,held,lost,late"`
	Words    string `json:"words" doc:"What it made of the change, with the settings that are in the way"`
}

// StartRollout is how a change is to go out.
type StartRollout struct {
	Change string   `json:"change" minLength:"1" maxLength:"63"`
	Digest string   `json:"digest,omitempty" maxLength:"100" doc:"That of the preview you have seen; needed where it gives, takes or moves a way in"`
	Reason string   `json:"reason,omitempty" maxLength:"2000" doc:"Needed there too, where the change has none"`
	AtOnce bool     `json:"at_once,omitempty" doc:"All devices in one wave"`
	First  []string `json:"first,omitempty" maxItems:"20" nullable:"false" doc:"Groups whose devices go first; first-wave, or a small share, when left out"`
	Shares []int    `json:"shares,omitzero" maxItems:"20" nullable:"false" doc:"Percent of all devices once each of the next waves is open, growing; 10 and 50 when left out, none when empty"`
	Gate   *Gate    `json:"gate,omitempty"`
}

// Gate is what the devices of a wave must have shown before the next wave opens.
type Gate struct {
	Verified    int `json:"verified" minimum:"1" maximum:"100" doc:"At least so many percent of the devices heard from are verified"`
	Failed      int `json:"failed" minimum:"0" maximum:"100" doc:"At most so many percent of them failed"`
	SoakSeconds int `json:"soak_seconds" minimum:"0" maximum:"2592000" doc:"At least so long since the wave opened"`
	Heard       int `json:"heard,omitempty" minimum:"1" maximum:"100" doc:"At least so many percent of the devices online at the opening were heard from since; 90 when left out"`
}

// RolloutDefaults are how a change goes out where nothing else is said.
type RolloutDefaults struct {
	Shares []int `json:"shares" nullable:"false"`
	Gate   Gate  `json:"gate"`
}

// RolloutStep is what a step of a rollout came to.
type RolloutStep struct {
	Rollout *Rollout      `json:"rollout" doc:"Null while the change waits for a second person"`
	Change  *ChangeDetail `json:"change" doc:"The change while it waits for a second person, else null"`
}
