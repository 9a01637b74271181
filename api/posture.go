package api

import "time"

// Posture is a report on how a group stood over a period.
type Posture struct {
	Group     string          `json:"group" doc:"Empty for every device in reach"`
	Since     time.Time       `json:"since"`
	Until     time.Time       `json:"until"`
	MadeAt    time.Time       `json:"made_at"`
	Standings Standings       `json:"standings" doc:"Now"`
	InStep    float64         `json:"in_step_percent" doc:"Of the devices that are not silent, in percent"`
	Days      []PostureDay    `json:"days" nullable:"false" doc:"Standings of the last hour of each day (UTC); none where only a part of the devices is in reach"`
	Verified  []VerifiedDay   `json:"verified" nullable:"false" doc:"How long devices took to have a new desired state, by day (UTC)"`
	Rules     []RuleFindings  `json:"findings" nullable:"false" doc:"By setting, and by the assignments that decide it"`
	Overdue   PostureOverdue  `json:"passwords_overdue" doc:"Now, the oldest first"`
	Reveals   PostureReveals  `json:"password_views" doc:"By person and reason"`
	Waivers   PostureWaivers  `json:"waivers" doc:"That held at some time of the period"`
	Warrants  PostureWarrants `json:"warrants" doc:"That held at some time of the period"`
	Changes   PostureChanges  `json:"changes" doc:"Of the organisation, that were applied or reverted"`
}

// PostureDay is how devices stood on a day.
type PostureDay struct {
	Day       string    `json:"day" doc:"Such as 2026-11-27"`
	Standings Standings `json:"standings"`
}

// VerifiedDay is how long devices took on a day.
type VerifiedDay struct {
	Day      string  `json:"day"`
	Verified int     `json:"verified" doc:"Desired states that were verified"`
	Half     float64 `json:"half_within_seconds" doc:"Half of them took no longer"`
	Most     float64 `json:"nine_of_ten_within_seconds"`
}

// RuleFindings are the findings of one setting.
type RuleFindings struct {
	Unit        string   `json:"unit"`
	UnitTitle   string   `json:"unit_title"`
	Assignments []string `json:"assignments" nullable:"false"`
	Opened      int      `json:"opened"`
	Corrected   int      `json:"corrected" doc:"By the device itself"`
	Closed      int      `json:"closed" doc:"In another way"`
	Open        int      `json:"open" doc:"At the end of the period, without waived ones"`
	Waived      int      `json:"waived" doc:"At the end of the period"`
	Devices     int      `json:"devices"`
}

// PostureOverdue are the first of some passwords.
type PostureOverdue struct {
	Total int               `json:"total"`
	Items []OverduePassword `json:"items" nullable:"false" doc:"At most 500"`
}

// OverduePassword is a password whose time to change has passed.
type OverduePassword struct {
	Device    string    `json:"device"`
	Account   string    `json:"account"`
	ChangedAt time.Time `json:"changed_at"`
	DueAt     time.Time `json:"due_at"`
}

// PostureReveals are sums of views of passwords.
type PostureReveals struct {
	Total int         `json:"total" doc:"Views"`
	Items []RevealSum `json:"items" nullable:"false" doc:"At most 500"`
}

// RevealSum is how often somebody saw passwords for a reason.
type RevealSum struct {
	Operator string    `json:"operator"`
	Reason   string    `json:"reason"`
	Times    int       `json:"times"`
	Devices  int       `json:"devices"`
	Last     time.Time `json:"last"`
}

// PostureWaivers are the first of some waivers.
type PostureWaivers struct {
	Total int             `json:"total"`
	Items []PostureWaiver `json:"items" nullable:"false" doc:"At most 500, the latest first"`
}

// PostureWaiver is a difference that was accepted for a time.
type PostureWaiver struct {
	Device     string     `json:"device"`
	UnitTitle  string     `json:"unit_title"`
	Words      string     `json:"words"`
	Reason     string     `json:"reason"`
	MadeBy     string     `json:"made_by"`
	ApprovedBy string     `json:"approved_by"`
	MadeAt     time.Time  `json:"made_at"`
	Until      time.Time  `json:"until"`
	EndedAt    *time.Time `json:"ended_at"`
}

// PostureWarrants are the first of some warrants.
type PostureWarrants struct {
	Total int              `json:"total"`
	Items []PostureWarrant `json:"items" nullable:"false" doc:"At most 500, the latest first"`
}

// PostureWarrant is a right for a time.
type PostureWarrant struct {
	ID        string     `json:"id"`
	Principal string     `json:"principal"`
	UnitTitle string     `json:"unit_title"`
	Reason    string     `json:"reason"`
	AskedBy   string     `json:"asked_by"`
	AgreedBy  string     `json:"agreed_by" doc:"Empty where nobody had to"`
	From      time.Time  `json:"from"`
	Until     time.Time  `json:"until"`
	EndedAt   *time.Time `json:"ended_at"`
}

// PostureChanges are the first of some changes.
type PostureChanges struct {
	Total int             `json:"total"`
	Items []PostureChange `json:"items" nullable:"false" doc:"At most 500, the latest first"`
}

// PostureChange is a change that came to its end.
type PostureChange struct {
	Name       string    `json:"name"`
	Title      string    `json:"title"`
	Reason     string    `json:"reason"`
	State      string    `json:"state" enum:"done,reverted"`
	CreatedBy  string    `json:"created_by"`
	ApprovedBy string    `json:"approved_by" doc:"Empty where nobody had to approve it"`
	ClosedAt   time.Time `json:"closed_at"`
}
