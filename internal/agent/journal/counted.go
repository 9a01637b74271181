package journal

import (
	"time"

	"rankwarden.example/core/principal"
)

// Counted are the accounts that no policy names, by identifier.
type Counted map[principal.SID]Count

// Count is one of them.
type Count struct {
	Since time.Time `json:"since"`          // when the device saw it first under the rule, in service time
	Told  bool      `json:"told,omitempty"` // that the last day before it is disabled has begun
}
