package api

import "time"

// Held is an import, a rule or a change of facts that the brake holds, or held until somebody decided.
type Held struct {
	ID        string      `json:"id"`
	Kind      string      `json:"kind" enum:"facts,rule,directory"`
	Object    string      `json:"object" doc:"The group whose rule it is, or devices, or directory"`
	State     string      `json:"state" enum:"waiting,released,refused"`
	Words     string      `json:"words" doc:"What it would alter"`
	Fleet     int         `json:"fleet" doc:"Devices"`
	Devices   int         `json:"devices" doc:"Of those, whose desired state it would alter"`
	Leaving   int         `json:"leaving" doc:"Of those, on which somebody leaves administrators"`
	Sums      []EffectSum `json:"sums" doc:"What it would do, by effect, as of when it was held" nullable:"false"`
	Alters    []Altered   `json:"alters" nullable:"false" doc:"What it would alter, the first 200, as of when it was held; to whoever reaches all devices, and not in lists"`
	Altering  int         `json:"altering" doc:"How much it would alter in all"`
	AskedBy   string      `json:"asked_by"`
	AskedAt   time.Time   `json:"asked_at"`
	DecidedBy string      `json:"decided_by" doc:"Empty while it waits"`
	DecidedAt *time.Time  `json:"decided_at"`
	Needs     []string    `json:"needs" nullable:"false" doc:"Why somebody else must release it; none where whoever asked for it may"`
	Reason    string      `json:"reason" doc:"Of the decision"`
}
