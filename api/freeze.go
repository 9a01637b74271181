package api

import "time"

// Freeze stops settling, waves or both everywhere.
type Freeze struct {
	What   string    `json:"what" enum:"rollouts,all" doc:"rollouts: no wave opens, and no rollout starts, resumes or ends; all: also no device gets another desired state"`
	Reason string    `json:"reason"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// NewFreeze is a freeze to put in force.
type NewFreeze struct {
	What   string `json:"what" enum:"rollouts,all" doc:"What stops"`
	Reason string `json:"reason" minLength:"1" maxLength:"2000" doc:"Why, for everybody"`
}
