package api

import (
	"time"
)

// Me is who is signed in.
type Me struct {
	Name         string   `json:"name"`
	Roles        []Role   `json:"roles" nullable:"false"`
	Rights       []string `json:"rights" nullable:"false" doc:"look, reveal, handle, draft, deploy, trail, administer; on some device at least"`
	Organisation string   `json:"organisation"`
	Interval     int      `json:"interval_seconds" doc:"Seconds between two check-ins of a device"`
}

// Role is a role of an operator, with the groups on whose devices it holds.
type Role struct {
	Role   string   `json:"role" enum:"viewer,support,author,deployer,auditor,owner"`
	Groups []string `json:"groups" nullable:"false" doc:"Its reach: listed groups, or by organisation facts; empty for every device"`
}

// Operator is a person who signs in.
type Operator struct {
	Name      string    `json:"name"`
	Roles     []Role    `json:"roles" nullable:"false"`
	Disabled  bool      `json:"disabled"`
	CreatedAt time.Time `json:"created_at"`
}

// Token is an API token without its secret.
type Token struct {
	ID        string    `json:"id"`
	Name      string    `json:"name"`
	Operator  string    `json:"operator" doc:"Whose it is"`
	Role      string    `json:"role" doc:"That was asked for; empty for all that its maker might do"`
	Roles     []Role    `json:"roles" nullable:"false" doc:"What it was given; it may do no more than this, and no more than its operator"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Revoked   bool      `json:"revoked"`
}

// NewToken is an API token with its secret, which is shown this once.
type NewToken struct {
	Token
	Secret string `json:"secret" doc:"Send it as Authorization: Bearer SECRET; it is shown this once"`
}
