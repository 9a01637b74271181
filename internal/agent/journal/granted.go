package journal

import (
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Granted is a membership that the device gave for a warrant, kept before it is given, so that it is taken away
// whatever happens in between. One that was there before is not granted, and stays.
type Granted struct {
	Warrant     string        `json:"warrant"` // its identifier
	Unit        unit.ID       `json:"unit"`    // of the local group
	Principal   principal.Ref `json:"principal"`
	Group       principal.SID `json:"group"`
	Member      principal.SID `json:"member"`
	Until       time.Time     `json:"until"` // in service time
	EndSessions bool          `json:"end_sessions,omitempty"`
	Used        bool          `json:"used,omitempty"` // whoever it is for was seen signed in
	Told        bool          `json:"told,omitempty"` // somebody who was signed in was told that the end is near
}
