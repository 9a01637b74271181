package api

import "time"

// Waiver is a difference of one device that is accepted until a day.
type Waiver struct {
	ID         string     `json:"id"`
	Device     string     `json:"device"`
	DeviceID   string     `json:"device_id"`
	Unit       string     `json:"unit"`
	UnitTitle  string     `json:"unit_title"`
	Subject    string     `json:"subject"`
	Words      string     `json:"words" doc:"What the finding said"`
	State      string     `json:"state" enum:"waiting,active,ended" doc:"waiting: for a second person"`
	Reason     string     `json:"reason"`
	Until      time.Time  `json:"until"`
	MadeBy     string     `json:"made_by"`
	MadeAt     time.Time  `json:"made_at"`
	ApprovedBy string     `json:"approved_by" doc:"Empty where nobody had to"`
	EndedBy    string     `json:"ended_by" doc:"Empty while it has not; service when its day came"`
	EndedAt    *time.Time `json:"ended_at"`
}
