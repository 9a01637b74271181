package api

import (
	"encoding/json"
	"time"
)

// TrailEntry is one thing that an operator, a device or the service did, or was refused.
type TrailEntry struct {
	Seq         int64             `json:"seq"`
	At          time.Time         `json:"at"`
	Actor       string            `json:"actor" doc:"Name of an operator; service, strangers, device:ID or console:USER"`
	Address     string            `json:"address" doc:"From where; empty for what the service does by itself"`
	Action      string            `json:"action"`
	Object      string            `json:"object" doc:"What it was done to"`
	Device      string            `json:"device" doc:"Name of the device that the actor or the object names by its identifier; empty for none"`
	Reason      string            `json:"reason"`
	Outcome     string            `json:"outcome" enum:"done,refused"`
	Differences []TrailDifference `json:"differences" nullable:"false" doc:"Before against after, value by value"`
	Hash        string            `json:"hash" doc:"SHA-256, in hexadecimal, over what the entry says and the hash of the one before"`
}

// TrailDifference is one value that an entry changed.
type TrailDifference struct {
	Path   string          `json:"path" doc:"Such as reach.groups.0; empty for the whole"`
	Before json.RawMessage `json:"before,omitempty" doc:"Left out where there was none"`
	After  json.RawMessage `json:"after,omitempty" doc:"Left out where there is none any more"`
}

// Checkpoint is a signed statement of how far the trail went at a time.
type Checkpoint struct {
	Seq        int64     `json:"seq" doc:"Its last entry"`
	At         time.Time `json:"at"`
	Hash       string    `json:"hash" doc:"Of that entry, in hexadecimal"`
	MadeBy     string    `json:"made_by"`
	Checkpoint string    `json:"checkpoint" doc:"Signed (JWS)"`
	KeyList    string    `json:"key_list" doc:"Names the key that signed it; signed by the root key"`
}

// TrailCheck is what a part of the trail was found to be.
type TrailCheck struct {
	Last     int64  `json:"last" doc:"The last entry that was checked; ask again behind it until it is head"`
	Head     int64  `json:"head" doc:"The last entry that there is"`
	Anchored int64  `json:"anchored" doc:"The last entry of the part that a checkpoint ends with; 0 for none"`
	Broken   int64  `json:"broken" doc:"The entry at which the trail is not what was written; 0 where it is"`
	Why      string `json:"why"`
}
